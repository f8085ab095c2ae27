/** What local-needle.js has to do on a page; written into the file as JSON but for the scripts. */
export interface NeedleWork {
  /** Addresses that only the script can match; each match becomes a word of `data-local-needle` on `html`. */
  marks: { name: string; path?: string; pattern?: string; pages?: string[]; queries?: [string, string][] }[];
  dropExtension?: string;
  /** Parameters that tell pages apart: a path alone means an address without them. */
  queryKeys?: string[];
  /** The file name of the stylesheet that the script is beside. */
  sheetName?: string;
  tasks: ShippedTask[];
}

/** One swap or script of one rule. `scope` picks the body of the rule's pages, `selector` the elements there. */
export interface ShippedTask {
  rule: string;
  scope: string;
  selector: string;
  /** Relative to local-needle.js where it is a shipped file. */
  image?: string;
  alt?: string;
  text?: string;
  html?: string;
  /** Tell screen readers which link is the page's own. */
  current?: true;
  /** A stylesheet to load before our own. */
  sheet?: string;
  /** The selector looks at what comes after an element (`:last-child`): it holds only once the page is read. */
  looksAhead?: true;
  run?: () => void;
}

/**
 * The whole of local-needle.js, shipped as the text of this function: it must not use anything from outside itself. It marks
 * `html` at once, then acts on elements as they appear, each once, until all is done (at least ten seconds after the page
 * has loaded, at most a minute); again after a navigation within the page, or when the page comes back from the browser's
 * cache. Whatever one task throws stops no other.
 */
export function needle(work: NeedleWork): void {
  const { marks, tasks } = work;
  const root = document.documentElement;
  const script = document.currentScript as HTMLScriptElement | null;
  const [settledMs, latestMs] = [10_000, 60_000];

  const pathOf = (path: string) => {
    const [short, ending] = [path.replace(/\/index\.html?$/, '/'), work.dropExtension];
    return (ending && short.endsWith(ending) ? short.slice(0, -ending.length) : short).replace(/\/+$/, '') || '/';
  };
  const here = () => location.pathname + location.search;
  let address: string | undefined;
  const markPage = () => {
    address = here();
    const [pathname, query] = [pathOf(location.pathname), new URLSearchParams(location.search)];
    const names = marks
      .filter(
        ({ path, pattern, pages, queries = [] }) =>
          queries.every(([key, value]) => query.getAll(key).includes(value)) &&
          (path === undefined ||
            (path === pathname && (queries.length > 0 || !work.queryKeys?.some((key) => query.has(key))))) &&
          (pattern === undefined ||
            (window.URLPattern ? new URLPattern({ pathname: pattern }).test({ pathname }) : pages?.includes(pathname))),
      )
      .map(({ name }) => name);
    if (names.length > 0) root.setAttribute('data-local-needle', names.join(' '));
    else root.removeAttribute('data-local-needle');
  };

  /** Elements done, by task: kept on the page, in case the script is loaded twice. */
  const acted = ((document as { localNeedle?: Record<string, WeakSet<Element>> }).localNeedle ??= {});
  const actedBy = (index: number) => (acted[tasks[index]?.rule + ` ${index}`] ??= new WeakSet());
  /** The state of each task since the page was loaded or navigated. */
  let done: ('acted' | 'ended' | undefined)[] = [];
  let waiting = false;
  const undo: { task: ShippedTask; element: Element; restore: () => void }[] = [];

  /** Changes an element in place; what was there is put back in place too, unless the page has changed it since. */
  const change = (task: ShippedTask, element: Element, index: number) => {
    const steps: (() => void)[] = [];
    const set = (name: string, value: string | null | undefined, of = element) => {
      if (value === undefined) return;
      const before = of.getAttribute(name);
      const write = (text: string | null) => (text === null ? of.removeAttribute(name) : of.setAttribute(name, text));
      write(value);
      steps.push(() => of.getAttribute(name) === value && write(before));
    };
    const src = task.image && new URL(task.image, script?.src || document.baseURI).href;
    // What shows its picture in another way gets one of its own in place of what is inside.
    const inner = src && !('src' in element);
    const content = inner ? '<img>' : (task.html ?? task.text);
    const kept = content !== undefined && [...element.childNodes];
    if (kept) element[task.text === undefined ? 'innerHTML' : 'textContent'] = content;
    const picture = (inner && element.firstElementChild) || element;
    if (src) {
      // A source without addresses is passed over.
      for (const each of element.closest('picture')?.children ?? [picture]) set('srcset', null, each);
      set('src', src, picture);
    }
    set('alt', task.alt, picture);
    if (task.current)
      set(
        'aria-current',
        pathOf((element as HTMLAnchorElement).pathname) === pathOf(location.pathname) ? 'page' : 'true',
      );
    const ours = element.innerHTML;
    if (kept) steps.push(() => element.innerHTML === ours && element.replaceChildren(...kept));
    const restore = () => {
      steps.reverse().forEach((step) => step());
      actedBy(index).delete(element);
    };
    undo.push({ task, element, restore });
  };
  const addSheet = (href: string) => {
    const link = document.createElement('link');
    link.rel = 'stylesheet';
    link.href = href;
    const own = [...document.querySelectorAll('link')].find((each) => each.href.includes(work.sheetName ?? '\n'));
    (own ?? script ?? root.lastChild)?.before(link);
  };
  /** Whether the parser is done with an element: before that, more text could still be added to what was swapped. */
  const isWhole = (element: Element | null): boolean =>
    element !== null && (element.nextSibling !== null || isWhole(element.parentElement));
  const perform = (task: ShippedTask, index: number) => {
    const reading = document.readyState === 'loading';
    if (done[index] === 'ended' || !document.querySelector(task.scope)) return;
    const { selector, run, sheet } = task;
    const elements = [...document.querySelectorAll(selector || 'body')].filter((each) => !actedBy(index).has(each));
    const ready = elements.filter((element) =>
      run || sheet ? selector || sheet || !reading : !reading || (!task.looksAhead && isWhole(element)),
    );
    for (const element of ready) {
      actedBy(index).add(element);
      done[index] = run || sheet ? 'ended' : 'acted';
      if (sheet) addSheet(sheet);
      else if (!run) change(task, element, index);
      else return run();
    }
    waiting ||= !done[index];
  };
  const act = () => {
    waiting = false;
    tasks.forEach((task, index) => {
      try {
        perform(task, index);
      } catch (error) {
        done[index] = 'ended';
        console.error(`Rule "${task.rule}" failed:`, error);
      }
    });
  };

  // One look a frame, before it is drawn, however much changes; a page that is not shown has no frames.
  let isDue = false;
  const observer = new MutationObserver(() => {
    if (document.hidden) return act();
    if (isDue) return;
    isDue = true;
    requestAnimationFrame(() => {
      isDue = false;
      act();
    });
  });
  const stop = () => observer.disconnect();
  let timer: ReturnType<typeof setTimeout>;
  const watch = () => {
    const { body } = document;
    observer.observe(root, { childList: true, subtree: true });
    if (body) observer.observe(body, { attributeFilter: ['class', 'id'] });
    act();
    if (document.readyState !== 'complete') return;
    clearTimeout(timer);
    timer = setTimeout(() => {
      if (waiting) timer = setTimeout(stop, latestMs - settledMs);
      else stop();
    }, settledMs);
  };
  const moved = () => {
    if (address === here()) return;
    markPage();
    // The page changes its content after it changes its address.
    setTimeout(() => {
      for (const each of undo.splice(0)) {
        if (each.element.matches(each.task.selector)) undo.push(each);
        else each.restore();
      }
      done = [];
      tasks.forEach(({ run, selector }, index) => run && !selector && actedBy(index).delete(document.body));
      watch();
    });
  };
  markPage();
  watch();
  document.addEventListener('DOMContentLoaded', watch);
  for (const name of ['load', 'pageshow']) addEventListener(name, watch);
  addEventListener('popstate', moved);
  window.navigation?.addEventListener('currententrychange', moved);
}

declare global {
  interface Window {
    URLPattern?: new (input: { pathname: string }) => { test(input: { pathname: string }): boolean };
  }
}
declare const URLPattern: NonNullable<Window['URLPattern']>;
