// Runs on every page of the preview: holds the panel, and points at elements for it. It changes nothing that rules reach:
// the panel's element is outside of body, its looks in a shadow tree.
import { mostPageText, ownFolder, panelTag, pickMark, type ToPage, type ToPanel } from '../protocol.js';

const script = document.currentScript as HTMLScriptElement | null;
const panelOrigin = script?.dataset['panel'] ?? '';
/** The origin of the live site; empty if there is none. */
const siteOrigin = script?.dataset['site'] ?? '';
script?.remove();

const looks = `
:host { all: initial !important; display: block !important; }
iframe { all: initial; display: block; position: fixed; right: 8px; bottom: 8px; border: 0; z-index: 2147483647; color-scheme: light dark; background: transparent; }
.spot { position: fixed; z-index: 2147483646; pointer-events: none; outline: 2px solid #0b8a9e; outline-offset: 1px; background: #0b8a9e2b; box-shadow: 0 0 0 3px #ffffffb0; }
@media print { :host { display: none !important; } }
`;

function start(): void {
  const host = document.createElement(panelTag);
  const shadow = host.attachShadow({ mode: 'closed' });
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(looks);
  shadow.adoptedStyleSheets = [sheet];
  const frame = document.createElement('iframe');
  frame.title = 'Local Needle';
  frame.allow = 'clipboard-write';
  frame.src = `${panelOrigin}/panel?${new URLSearchParams({ address: here() }).toString()}`;
  size(false, 0);
  shadow.append(frame);
  document.documentElement.append(host);

  const say = (words: ToPanel) => frame.contentWindow?.postMessage(words, panelOrigin);
  const picking = picker(host, shadow, say);
  let spots: HTMLElement[] = [];

  window.addEventListener('message', (event) => {
    if (event.origin !== panelOrigin || event.source !== frame.contentWindow) return;
    const words = event.data as ToPage;
    if (words.needle === 'hello') say({ needle: 'address', address: here() });
    else if (words.needle === 'size') size(words.open, words.height);
    else if (words.needle === 'pick') picking.start();
    else if (words.needle === 'leave-pick') picking.stop();
    else if (words.needle === 'wider') picking.wider();
    else if (words.needle === 'key') picking.key(words.key);
    else if (words.needle === 'show') spots = spotlight(words.selector);
    else if (words.needle === 'styles') restyle(words.version);
    else if (words.needle === 'reload') location.reload();
  });
  window.addEventListener('keydown', (event) => {
    if (event.altKey && event.shiftKey && event.code === 'KeyN') {
      event.preventDefault();
      say({ needle: 'toggle' });
      frame.focus();
    }
  });
  const moved = () => say({ needle: 'address', address: here() });
  window.addEventListener('popstate', moved);
  (window as { navigation?: EventTarget }).navigation?.addEventListener('currententrychange', moved);
  // Pages of the site that are named in full stay in the preview.
  document.addEventListener('click', stayHere, true);

  /** Closed, it is as small as its button. */
  function size(open: boolean, height: number): void {
    frame.style.setProperty('width', open ? 'min(400px, calc(100vw - 16px))' : '130px');
    frame.style.setProperty('height', open ? `min(${height || 720}px, 90vh)` : '36px');
  }

  /** Shows where elements are that a selector matches. */
  function spotlight(selector: string | null): HTMLElement[] {
    for (const spot of spots) spot.remove();
    if (selector === null) return [];
    try {
      return [...document.querySelectorAll(selector)].slice(0, 100).map((element) => spotOn(element, shadow));
    } catch {
      return [];
    }
  }
}

const here = () => location.pathname + location.search;

/** The new stylesheet replaces the old one once it has loaded, so that nothing flashes. */
function restyle(version: number): void {
  const old = [...document.querySelectorAll<HTMLLinkElement>('link[data-local-needle]')].filter((link) =>
    link.getAttribute('href')?.startsWith(`${ownFolder}local-needle.css`),
  );
  const last = old.at(-1);
  if (!last) return;
  const link = last.cloneNode() as HTMLLinkElement;
  link.href = `${ownFolder}local-needle.css?${version}`;
  link.onload = () => old.forEach((each) => each.remove());
  last.after(link);
}

function stayHere(event: MouseEvent): void {
  const link = event.composedPath().find((each): each is HTMLAnchorElement => each instanceof HTMLAnchorElement);
  if (link && link.origin === siteOrigin) link.href = link.pathname + link.search + link.hash;
}

function spotOn(element: Element, shadow: ShadowRoot): HTMLElement {
  const { left, top, width, height } = element.getBoundingClientRect();
  const spot = document.createElement('div');
  spot.className = 'spot';
  for (const [name, value] of Object.entries({ left, top, width, height })) spot.style.setProperty(name, `${value}px`);
  shadow.append(spot);
  return spot;
}

/** Lets a person point at an element, with the mouse or by arrow keys. */
function picker(host: Element, shadow: ShadowRoot, say: (words: ToPanel) => void) {
  let active = false;
  let at: Element | null = null;
  let last: Element | null = null;
  let spot: HTMLElement | null = null;

  const aim = (element: Element | null) => {
    if (!element || element === host || element === document.documentElement) return;
    at = element;
    spot?.remove();
    spot = spotOn(element, shadow);
    const [first] = element.classList;
    say({ needle: 'picking', what: element.localName + (element.id ? `#${element.id}` : first ? `.${first}` : '') });
  };
  const over = (event: Event) => {
    if (event.target instanceof Element) aim(event.target);
  };
  const stopped = (event: Event) => {
    if (event.target === host) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.type === 'click') choose();
  };
  const typed = (event: KeyboardEvent) => {
    if (!key(event.key)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
  };
  const choose = () => {
    if (!at) return;
    last = at;
    const html = pageWith(at);
    stop();
    say(html.length > mostPageText ? { needle: 'too-large' } : { needle: 'picked', html });
  };
  const ways: Record<string, (from: Element) => Element | null> = {
    ArrowUp: (from) => from.parentElement,
    ArrowDown: (from) => from.firstElementChild,
    ArrowLeft: (from) => from.previousElementSibling,
    ArrowRight: (from) => from.nextElementSibling,
  };
  function key(name: string): boolean {
    if (!active) return false;
    if (name === 'Escape') stop();
    else if (name === 'Enter') choose();
    else if (ways[name]) {
      aim(at ? (ways[name]?.(at) ?? at) : document.body);
      at?.scrollIntoView({ block: 'nearest' });
      if (at) aim(at);
    } else return false;
    return true;
  }
  const listeners: [string, (event: never) => void][] = [
    ['mouseover', over],
    ['click', stopped],
    ['mousedown', stopped],
    ['mouseup', stopped],
    ['pointerdown', stopped],
    ['keydown', typed],
  ];
  const start = () => {
    if (active) return;
    active = true;
    for (const [name, listener] of listeners) window.addEventListener(name, listener as EventListener, true);
    say({ needle: 'picking', what: '' });
    aim(document.body);
  };
  const stop = () => {
    active = false;
    at = null;
    spot?.remove();
    for (const [name, listener] of listeners) window.removeEventListener(name, listener as EventListener, true);
    say({ needle: 'picking', what: null });
  };
  const wider = () => {
    at = last?.parentElement ?? null;
    if (at !== document.documentElement) choose();
  };
  return { start, stop, key, wider };
}

/** The page as it is, one element marked; a copy that loads and runs nothing. */
function pageWith(element: Element): string {
  const steps: number[] = [];
  for (let at = element; at.parentElement; at = at.parentElement)
    steps.unshift([...at.parentElement.children].indexOf(at));
  const copy = document.implementation.createHTMLDocument('').importNode(document.documentElement, true);
  const marked = steps.reduce<Element | undefined>((at, step) => at?.children[step], copy);
  marked?.setAttribute(pickMark, '');
  for (const each of copy.querySelectorAll(panelTag)) each.remove();
  return (document.doctype ? '<!doctype html>' : '') + copy.outerHTML;
}

// Frames within the site's pages get no panel.
if (window.top === window) start();
