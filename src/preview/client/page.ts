// Runs on every page of the preview: holds the panel, and points at elements for it. It changes nothing that rules reach:
// the panel's element is outside of body, its looks in a shadow tree.
import {
  mostPageText,
  ownFolder,
  panelTag,
  pickMark,
  type Corner,
  type DraftSwap,
  type ToPage,
  type ToPanel,
} from '../protocol.js';
import type { Medium } from '../../core/css/cascade/media.js';
import type { PageState } from '../../core/page/state.js';
import { framed } from './framed.js';
import { lookAs } from './looked.js';

const script = document.currentScript as HTMLScriptElement | null;
const panelOrigin = script?.dataset['panel'] ?? '';
/** The origin of the live site; empty if there is none. */
const siteOrigin = script?.dataset['site'] ?? '';
/** How the preview looks at its pages now. */
const given = <T>(name: string) => JSON.parse(script?.dataset[name] ?? 'null') as T | null;
const [change, medium] = [given<PageState>('change'), given<Medium>('medium')];
script?.remove();
/** Called again where styles were added. */
let lookAgain: () => void = () => undefined;

const looks = `
:host { all: initial !important; display: block !important; }
dialog { all: initial; display: block; } dialog::backdrop { display: none; }
iframe { all: initial; display: block; position: fixed; right: 8px; bottom: 8px; border: 0; z-index: 2147483647; color-scheme: light dark; background: transparent; }
.margin { position: absolute; box-sizing: border-box; border: 0 solid #f0a03060; }
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
  let corner: Corner = 'bottom-right';
  /** Whether the panel is to stand beside the page, and the room that the page leaves it. */
  let docked = false;
  const room = new CSSStyleSheet();
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, room];
  let last = { open: false, height: 0, line: false };
  size(last);
  stayOn(host, shadow, frame, sheet);

  const say = (words: ToPanel) => frame.contentWindow?.postMessage(words, panelOrigin);
  const picking = picker(host, shadow, say, stepAside);
  let spots: HTMLElement[] = [];
  let putBack: () => void = () => undefined;

  window.addEventListener('message', (event) => {
    if (event.origin !== panelOrigin || event.source !== frame.contentWindow) return;
    const words = event.data as ToPage;
    if (words.needle === 'hello') say({ needle: 'address', address: here() });
    else if (words.needle === 'size') size(words);
    else if (words.needle === 'corner') {
      ({ corner, docked } = words);
      size(last);
    } else if (words.needle === 'aim') picking.aim(words.up);
    else if (words.needle === 'choose') picking.choose(words.up);
    else if (words.needle === 'below') picking.below();
    else if (words.needle === 'other-edge') stepAside();
    else if (words.needle === 'pick') picking.start();
    else if (words.needle === 'leave-pick') picking.stop();
    else if (words.needle === 'wider') picking.wider();
    else if (words.needle === 'key') picking.key(words.key);
    else if (words.needle === 'show') spots = spotlight(words.selector);
    else if (words.needle === 'draft') putBack = drafted(words, putBack);
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

  window.addEventListener('resize', () => docked && size(last));

  /** Closed, it is as small as its button; while somebody points, it is a line; docked, it is as tall as the window. */
  function size({ open, height, line }: typeof last): void {
    // A line stays at the edge to which it stepped aside; beside the page there was none.
    const isStanding = line && last.line;
    last = { open, height, line };
    const isBeside = docked && open && window.innerWidth >= leastBeside;
    const side = corner.endsWith('left') ? 'left' : 'right';
    // The page keeps its place while somebody points at it.
    room.replaceSync(isBeside ? `html { margin-${side}: ${besideWidth}px !important; }` : '');
    if (isBeside && !line) {
      for (const each of ['top', 'right', 'bottom', 'left'])
        frame.style.setProperty(each, each === 'top' || each === side ? '0' : 'auto');
      frame.style.setProperty('width', `${besideWidth}px`);
      frame.style.setProperty('height', '100vh');
      return;
    }
    const width = line ? 'calc(100vw - 16px)' : open ? 'min(400px, calc(100vw - 16px))' : '130px';
    frame.style.setProperty('width', width);
    frame.style.setProperty('height', line ? '44px' : open ? `min(${height || 720}px, 90vh)` : '36px');
    if (!isStanding) stand();
  }

  function stand(): void {
    const [vertical, horizontal] = corner.split('-');
    for (const side of ['top', 'right', 'bottom', 'left'])
      frame.style.setProperty(side, side === vertical || side === horizontal ? '8px' : 'auto');
  }

  /** The line goes to the other edge: where the element is that the keys aim at, or where it is asked to. */
  function stepAside(element?: DOMRect): void {
    const isAtTop = frame.style.getPropertyValue('top') !== 'auto';
    const isCovered = isAtTop
      ? element && element.top < lineRoom
      : element && element.bottom > window.innerHeight - lineRoom;
    if (element && (!isCovered || element.height > window.innerHeight - 2 * lineRoom)) return;
    frame.style.setProperty('top', isAtTop ? 'auto' : '8px');
    frame.style.setProperty('bottom', isAtTop ? '8px' : 'auto');
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

/** Width of the panel beside the page, and the least width of a window in which it stands there, in pixels. */
const [besideWidth, leastBeside] = [400, 900];

/** Times that the panel comes back to a page that removes it. */
const mostReturns = 5;

/** An element that takes another without loading its frames again; browsers before 2025 cannot. */
type Place = ParentNode & Node & { moveBefore?: (node: Node, child: null) => void };

/**
 * Puts the panel above everything, at the size that it has, whatever the page zooms or moves; and back where a script removes it.
 * While a modal dialog is open nothing outside of it can be used, so the panel is moved into it, without being loaded again. Where
 * a draft hides that dialog, the page can still not be used, and the panel opens a dialog of its own.
 */
function stayOn(host: HTMLElement, shadow: ShadowRoot, frame: HTMLElement, sheet: CSSStyleSheet): void {
  host.popover = 'manual';
  const own = document.createElement('dialog');
  own.ariaLabel = frame.title;
  own.append(frame);
  shadow.append(own);
  const isModal = (each: Element): each is HTMLDialogElement => each.matches('dialog:modal');
  let modal: HTMLDialogElement | undefined;
  const put = () => {
    document.documentElement.append(host);
    host.showPopover();
    const { currentCSSZoom: zoom = 1 } = document.documentElement as { currentCSSZoom?: number };
    if (zoom !== 1) sheet.insertRule(`:host { zoom: ${1 / zoom} !important; }`, sheet.cssRules.length);
  };
  const settle = () => {
    const isHidden = modal?.checkVisibility() === false;
    const place: Place = (!isHidden && modal) || document.documentElement;
    if (!host.isConnected || (isHidden === own.open && host.parentNode === place)) return;
    own.close();
    if (host.parentNode !== place) place.moveBefore?.(host, null);
    host.hidePopover();
    host.showPopover();
    if (isHidden) own.showModal();
  };
  // Escape closes it, while the page can be used as little as before.
  own.onclose = settle;
  const sizes = new ResizeObserver(settle);
  /** The dialog that was opened last, as far as that is known. */
  const follow = (opened: Element[]) => {
    const latest = [...document.querySelectorAll('dialog'), ...opened].filter(isModal).at(-1);
    if (latest === modal) return;
    sizes.disconnect();
    modal = latest;
    if (modal) sizes.observe(modal);
    settle();
  };
  put();
  follow([]);
  let returns = 0;
  new MutationObserver((changes) => {
    if (!host.isConnected && document.documentElement && returns++ < mostReturns) put();
    const turned = changes.flatMap(({ target }) => (target instanceof HTMLDialogElement ? [target] : []));
    if (host.isConnected && (turned.length > 0 || modal?.isConnected === false)) follow(turned);
  }).observe(document, { childList: true, subtree: true, attributeFilter: ['open'] });
}

/** Marks the page, and puts words and pictures into elements; returns what puts back what was there. */
function drafted({ swaps, marks }: { swaps: DraftSwap[]; marks: string[] }, putBack: () => void): () => void {
  putBack();
  const unmark = marked(marks);
  const undo = swaps.flatMap(({ scope, selector, text, image, alt }) => {
    if (!document.body.matches(scope)) return [];
    return [...document.body.querySelectorAll(selector)].map((element) => {
      const nodes = [...element.childNodes];
      const names = ['src', 'srcset', 'alt'];
      const before = names.map((name) => [name, element.getAttribute(name)] as const);
      if (text !== undefined) element.textContent = text;
      if (image !== undefined && element instanceof HTMLImageElement) {
        element.removeAttribute('srcset');
        element.src = /^[\w-]+:|^\//.test(image) ? image : ownFolder + image;
      }
      if (alt !== undefined) element.setAttribute('alt', alt);
      return () => {
        if (text !== undefined) element.replaceChildren(...nodes);
        for (const [name, value] of before)
          if (value === null) element.removeAttribute(name);
          else if (element.getAttribute(name) !== value) element.setAttribute(name, value);
      };
    });
  });
  return () => {
    undo.forEach((each) => each());
    unmark();
  };
}

/** Marks the page as local-needle.js would, where it has no such marks; returns what takes them away. */
function marked(marks: string[]): () => void {
  const name = 'data-local-needle';
  const root = document.documentElement;
  const now = () => root.getAttribute(name)?.split(' ') ?? [];
  const write = (all: string[]) => {
    if (all.length > 0) root.setAttribute(name, all.join(' '));
    else root.removeAttribute(name);
  };
  const added = marks.filter((mark) => !now().includes(mark));
  if (added.length > 0) write([...now(), ...added]);
  return () => added.length > 0 && write(now().filter((mark) => !added.includes(mark)));
}

const here = () => location.pathname + location.search;

/** The new stylesheet replaces the old one once it has loaded, so that nothing flashes. */
function restyle(version: number): void {
  const old = [...document.querySelectorAll<HTMLLinkElement>('link[data-local-needle]')].filter((link) =>
    link.getAttribute('href')?.startsWith(`${ownFolder}local-needle.css`),
  );
  const last = old.at(-1);
  if (!last || last.getAttribute('href')?.endsWith(`?${version}`)) return;
  const link = last.cloneNode() as HTMLLinkElement;
  link.href = `${ownFolder}local-needle.css?${version}`;
  link.onload = () => {
    old.forEach((each) => each.remove());
    lookAgain();
  };
  last.after(link);
}

function stayHere(event: MouseEvent): void {
  const link = event.composedPath().find((each): each is HTMLAnchorElement => each instanceof HTMLAnchorElement);
  if (link && link.origin === siteOrigin) link.href = link.pathname + link.search + link.hash;
}

/** Room that the line takes at an edge, in pixels. */
const lineRoom = 60;

/** Shows where an element is, with its margin around it if asked. */
function spotOn(element: Element, shadow: ShadowRoot, withMargin = false): HTMLElement {
  const { left, top, width, height } = element.getBoundingClientRect();
  const place = (box: HTMLElement, values: Record<string, number>) => {
    for (const [name, value] of Object.entries(values)) box.style.setProperty(name, `${value}px`);
  };
  const spot = document.createElement('div');
  spot.className = 'spot';
  place(spot, { left, top, width, height });
  if (withMargin) {
    const [above, right, below, before] = marginsOf(element);
    const margin = document.createElement('div');
    margin.className = 'margin';
    place(margin, {
      ...{ left: -before, top: -above, width: width + before + right, height: height + above + below },
      ...{ 'border-top-width': above, 'border-right-width': right },
      ...{ 'border-bottom-width': below, 'border-left-width': before },
    });
    spot.append(margin);
  }
  shadow.append(spot);
  return spot;
}

/** The margins of an element, from above clockwise, in pixels; negative ones count as none. */
function marginsOf(element: Element): [number, number, number, number] {
  const { marginTop, marginRight, marginBottom, marginLeft } = getComputedStyle(element);
  // Margins are told as written, places as they are seen.
  const { currentCSSZoom: zoom = 1 } = element as { currentCSSZoom?: number };
  const all = [marginTop, marginRight, marginBottom, marginLeft].map(
    (each) => Math.max(0, parseFloat(each) || 0) * zoom,
  );
  return all as [number, number, number, number];
}

/** `320 × 48, margin 0 0 16 0`. */
function sizeText(element: Element): string {
  const { width, height } = element.getBoundingClientRect();
  const margins = marginsOf(element).map(Math.round);
  const margin = margins.some((each) => each > 0) ? `, margin ${margins.join(' ')}` : '';
  return `${Math.round(width)} × ${Math.round(height)}${margin}`;
}

/** Elements around the one that is aimed at that are named. */
const mostAround = 7;

/** Lets a person point at an element, with the mouse or by arrow keys. */
function picker(host: Element, shadow: ShadowRoot, say: (words: ToPanel) => void, onKeys: (place: DOMRect) => void) {
  let active = false;
  let at: Element | null = null;
  let last: Element | null = null;
  let spot: HTMLElement | null = null;
  let pointer: [x: number, y: number] | null = null;

  const around = (element: Element | null, up: number): Element | null =>
    element && up > 0 ? around(element.parentElement, up - 1) : element;
  const mark = (element: Element) => {
    spot?.remove();
    spot = spotOn(element, shadow, true);
  };
  const aim = (element: Element | null) => {
    if (!element || element === host || element === document.documentElement) return;
    at = element;
    mark(element);
    const chain: string[] = [];
    for (let each: Element | null = element; each && each !== document.documentElement; each = each.parentElement)
      chain.push(nameOf(each));
    say({ needle: 'picking', chain: chain.slice(0, mostAround), size: sizeText(element) });
    if (!pointer) onKeys(element.getBoundingClientRect());
  };
  const over = (event: MouseEvent) => {
    pointer = [event.clientX, event.clientY];
    if (event.target instanceof Element) aim(event.target);
  };
  /** What is below the element that is aimed at, under the pointer; from the top again after the last. */
  const below = () => {
    if (!pointer) return;
    const all = document.elementsFromPoint(...pointer).filter((each) => each !== host);
    aim(all[(at ? all.indexOf(at) : -1) + 1] ?? all[0] ?? null);
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
    else if (name === 'b') below();
    else if (ways[name]) {
      pointer = null;
      aim(at ? (ways[name]?.(at) ?? at) : document.body);
      at?.scrollIntoView({ block: 'nearest' });
      if (at) aim(at);
    } else return false;
    return true;
  }
  const listeners: [string, (event: never) => void][] = [
    ['mousemove', over],
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
    pointer = null;
    aim(document.body);
  };
  const stop = () => {
    active = false;
    at = null;
    spot?.remove();
    for (const [name, listener] of listeners) window.removeEventListener(name, listener as EventListener, true);
    say({ needle: 'picking', chain: null, size: '' });
  };
  const wider = () => {
    at = last?.parentElement ?? null;
    if (at !== document.documentElement) choose();
  };
  return {
    ...{ start, stop, key, wider, below },
    /** Shows an element around the one that is aimed at. */
    aim: (up: number) => {
      const element = around(at, up);
      if (active && element) mark(element);
    },
    choose: (up: number) => {
      at = around(at, up);
      if (active) choose();
    },
  };
}

/** An element in short: `div.band`. */
function nameOf({ localName, id, classList: [first] }: Element): string {
  return localName + (id ? `#${id}` : first ? `.${first}` : '');
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
if (window.top === window) {
  if (change || medium) lookAgain = lookAs(change, medium);
  start();
} else if (window.parent === window.top) {
  const asTold = (told: Medium) => (lookAgain = lookAs(change, told));
  framed(panelOrigin, { here, restyle, lookAs: asTold });
}
