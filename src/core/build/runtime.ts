/** What needle.js has to do on a page; written into the file as JSON but for the scripts. */
export interface Shipment {
  /** Addresses that only the script can tell; each that holds becomes a word of `data-needle` on `html`. */
  marks: { name: string; path: string | null; pattern: string | null; pages: string[]; queries: [string, string][] }[];
  dropExtension: string;
  tasks: ShippedTask[];
}

/** One swap or script of one rule. `scope` picks the body of the rule's pages, `selector` the elements there. */
export interface ShippedTask {
  rule: string;
  scope: string;
  selector: string;
  /** Relative to needle.js where it is a shipped file. */
  image?: string;
  alt?: string;
  text?: string;
  html?: string;
  /** The selector looks at what comes after an element (`:last-child`): it holds only once the page is read. */
  looksAhead?: true;
  run?: () => void;
}

/**
 * The whole of needle.js, shipped as the text of this function: it must not use anything from outside itself.
 * Runs at the end of `head`: marks `html` at once, then acts on elements as they appear, each once, until ten seconds
 * after the page has loaded. Whatever one task throws stops no other.
 */
export function needle(shipment: Shipment): void {
  const root = document.documentElement;
  const script = document.currentScript as HTMLScriptElement | null;
  const base = script?.src || document.baseURI;
  const secondsAfterLoad = 10;

  const report = (rule: string, error: unknown) => console.error(`Rule "${rule}" failed:`, error);
  const currentPath = () => {
    let path = location.pathname.replace(/\/index\.html?$/, '/');
    const ending = shipment.dropExtension;
    if (ending && path.slice(-ending.length) === ending) path = path.slice(0, -ending.length);
    return path.replace(/\/+$/, '') || '/';
  };
  const picks = (mark: Shipment['marks'][number]) => {
    const path = currentPath();
    const query = new URLSearchParams(location.search);
    if (!mark.queries.every(([key, value]) => query.getAll(key).indexOf(value) >= 0)) return false;
    if (mark.path !== null) return mark.path.replace(/\?.*$/, '') === path;
    if (mark.pattern === null) return true;
    return typeof URLPattern === 'function'
      ? new URLPattern({ pathname: mark.pattern }).test({ pathname: path })
      : mark.pages.indexOf(path) >= 0;
  };
  const names = shipment.marks.filter(picks).map((mark) => mark.name);
  if (names.length > 0) root.setAttribute('data-needle', names.join(' '));

  const swap = (task: ShippedTask, element: Element) => {
    if (task.image !== undefined) {
      const picture = element.parentElement;
      if (picture && picture.localName === 'picture')
        picture.querySelectorAll('source').forEach((source) => source.remove());
      element.removeAttribute('srcset');
      element.removeAttribute('sizes');
      element.setAttribute('src', new URL(task.image, base).href);
    }
    if (task.alt !== undefined) element.setAttribute('alt', task.alt);
    if (task.text !== undefined) element.textContent = task.text;
    if (task.html !== undefined) element.innerHTML = task.html;
  };
  /** Whether the parser is done with an element: before that, more text could still be added to what was swapped. */
  const isWhole = (element: Element) => {
    for (let at: Element | null = element; at; at = at.parentElement) if (at.nextSibling) return true;
    return false;
  };
  const done = shipment.tasks.map(() => new WeakSet<Element>());
  const ended = shipment.tasks.map(() => false);
  const act = () => {
    if (!document.body) return;
    const reading = document.readyState === 'loading';
    shipment.tasks.forEach((task, index) => {
      if (ended[index]) return;
      try {
        if (!document.querySelector(task.scope)) return;
        if (task.run) {
          if (task.selector ? !document.querySelector(task.selector) : reading) return;
          ended[index] = true;
          task.run();
          return;
        }
        document.querySelectorAll(task.selector).forEach((element) => {
          if (done[index]?.has(element) || (reading && (task.looksAhead || !isWhole(element)))) return;
          done[index]?.add(element);
          swap(task, element);
        });
      } catch (error) {
        ended[index] = true;
        report(task.rule, error);
      }
    });
  };
  if (shipment.tasks.length === 0) return;
  const observer = new MutationObserver(act);
  observer.observe(root, { childList: true, subtree: true });
  document.addEventListener('DOMContentLoaded', act);
  addEventListener('load', () => setTimeout(() => observer.disconnect(), secondsAfterLoad * 1000));
  act();
}

declare const URLPattern:
  undefined | (new (input: { pathname: string }) => { test(input: { pathname: string }): boolean });
