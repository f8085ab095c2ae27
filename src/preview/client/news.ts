import type { News } from '../protocol.js';

/**
 * Calls back with all news. One of all open pages and overviews listens to the server and passes the news on: a browser
 * keeps only a few connections to one address.
 */
export function onNews(heard: (news: News) => void): void {
  const channel = new BroadcastChannel('local-needle');
  channel.onmessage = ({ data }) => heard(data as News);
  void navigator.locks.request(
    'local-needle',
    () =>
      new Promise<never>(() => {
        new EventSource('news').onmessage = ({ data }) => {
          const news = JSON.parse(String(data)) as News;
          channel.postMessage(news);
          heard(news);
        };
      }),
  );
}
