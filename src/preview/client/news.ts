import type { News } from '../protocol.js';

/**
 * Calls back with all news. Only one of the open pages and overviews listens to the server and passes news on: browsers
 * allow few connections to one host.
 */
export function onNews(heard: (news: News) => void): void {
  const listen = (told: (news: News) => void) => {
    new EventSource('news').onmessage = ({ data }) => {
      const news = JSON.parse(String(data)) as News;
      told(news);
      heard(news);
    };
  };
  let channel: BroadcastChannel;
  try {
    channel = new BroadcastChannel('local-needle');
  } catch {
    return listen(() => undefined);
  }
  channel.onmessage = ({ data }) => heard(data as News);
  navigator.locks
    .request('local-needle', () => new Promise<never>(() => listen((news) => channel.postMessage(news))))
    // Without storage, each listens for itself.
    .catch(() => listen(() => undefined));
}
