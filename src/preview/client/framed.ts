// What a page does in a frame of the preview's looks: it tells where it is and how far it is scrolled, and looks as it is told.
import type { Medium } from '../../core/css/cascade/media.js';
import type { FromFrame, ToFrame } from '../protocol.js';

/** What a page can do. */
export interface FramedPage {
  here: () => string;
  lookAs: (medium: Medium) => void;
  restyle: (version: number) => void;
}

export function framed(panelOrigin: string, page: FramedPage): void {
  // Only the preview hears it: it names the origin that may.
  const say = (words: FromFrame) => window.parent.postMessage(words, panelOrigin);
  let scrolledTo = -1;
  window.addEventListener('message', (event) => {
    if (event.origin !== panelOrigin || event.source !== window.parent) return;
    const words = event.data as ToFrame;
    if (words.needle === 'as') page.lookAs(words.medium);
    else if (words.needle === 'styles') page.restyle(words.version);
    else if (words.needle === 'reload') location.reload();
    else if (words.needle === 'scroll') {
      scrolledTo = words.top;
      window.scrollTo(0, words.top);
    }
  });
  window.addEventListener('scroll', () => {
    // It was told to.
    if (Math.abs(window.scrollY - scrolledTo) < 2) return;
    scrolledTo = window.scrollY;
    say({ needle: 'scrolled', top: window.scrollY });
  });
  const tell = () => say({ needle: 'framed', address: page.here() });
  window.addEventListener('popstate', tell);
  (window as { navigation?: EventTarget }).navigation?.addEventListener('currententrychange', tell);
  tell();
}
