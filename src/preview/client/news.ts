import type { News } from '../protocol.js';

/**
 * Calls back with all news. One of all open pages and overviews listens to the server and passes the news on: a browser
 * keeps only a few connections to one address.
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
    // Where storage is kept from us, each listens for itself.
    .catch(() => listen(() => undefined));
}
