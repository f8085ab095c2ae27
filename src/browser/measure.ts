/** What to measure on a page for one action. */
export interface Probe {
  by: 'styles' | 'displayed' | 'content' | 'nothing';
  selector: string;
  /** Paths of the elements, where a selector is not enough (`@scope`). */
  paths: string[] | null;
  pseudos: string[];
  longhands: string[];
  /** Our declarations, each important. */
  text: string;
  image: string | null;
  words: string | null;
  html: string | null;
}

/** The measurements of one action. */
export interface Measured {
  elements: number;
  pairs: number;
  won: number;
  changes: boolean;
  lost: { element: string; property: string }[];
}

/**
 * Runs in the page: whether our declarations win, by setting them so that nothing can win over them and
 * comparing. Must not use anything from outside itself.
 */
export function measure(probes: Probe[]): Measured[] {
  const link = document.getElementById('local-needle-build') as HTMLLinkElement | null;
  const first = document.getElementById('local-needle-first') as HTMLStyleElement | null;
  const finish = () => document.getAnimations().forEach((each) => each instanceof CSSTransition && each.finish());
  const read = (element: Element, pseudo: string, name: string): string => {
    const style = getComputedStyle(element, pseudo || null);
    if (pseudo || name.startsWith('--') || /color|display/.test(name)) return style.getPropertyValue(name);
    return element.computedStyleMap().getAll(name).map(String).join(', ') || style.getPropertyValue(name);
  };
  const pathOf = (element: Element): string => {
    const parent = element.parentElement;
    if (!parent) return element.localName;
    const twins = [...parent.children].filter(({ localName }) => localName === element.localName);
    const own = element.localName + (twins.length > 1 ? `:nth-of-type(${twins.indexOf(element) + 1})` : '');
    return parent.parentElement ? `${pathOf(parent)} > ${own}` : own;
  };
  const elementsOf = ({ selector, paths }: Probe): Element[] => {
    const found = paths
      ? paths.flatMap((path) => document.querySelector(path) ?? [])
      : [...document.querySelectorAll(selector)];
    return found.filter((each) => each === document.documentElement || document.body.contains(each));
  };
  const isSwapped = ({ image, words, html }: Probe, element: Element) => {
    if (image !== null) {
      const stem = image
        .replace(/^.*\//, '')
        .replace(/\.\w+$/, '')
        .replace(/[^\w.-]+/g, '-');
      return (element.getAttribute('src') ?? '').includes(stem);
    }
    if (words !== null) return element.textContent === words;
    return html === null || element.innerHTML.trim().slice(0, 20) === html.slice(0, 20);
  };
  return probes.map((probe): Measured => {
    const elements = elementsOf(probe);
    const result: Measured = { elements: elements.length, pairs: 0, won: 0, changes: false, lost: [] };
    if (probe.by === 'content')
      return { ...result, changes: elements.length > 0 && elements.every((each) => isSwapped(probe, each)) };
    if (probe.by === 'displayed') {
      const shown = elements.filter((each) => each.checkVisibility());
      return { ...result, pairs: elements.length, won: shown.length, changes: shown.length > 0 };
    }
    if (probe.by === 'nothing') return result;
    finish();
    const pairs = elements.flatMap((element) =>
      probe.pseudos
        .filter((pseudo) => probe.paths !== null || element.matches(probe.selector) || pseudo === '')
        .flatMap((pseudo) =>
          probe.longhands.map((longhand) => ({
            element,
            pseudo,
            longhand,
            built: read(element, pseudo, longhand),
            forced: '',
            bare: '',
            isRefused: false,
          })),
        ),
    );
    for (const element of elements) {
      for (const pseudo of probe.pseudos) {
        const mine = pairs.filter((pair) => pair.element === element && pair.pseudo === pseudo);
        const before = element.getAttribute('style');
        if (pseudo === '') element.setAttribute('style', `${before ?? ''}; ${probe.text}`);
        else {
          element.setAttribute('data-local-needle-probe', '');
          if (first)
            first.textContent = `@layer local-needle-probe { [data-local-needle-probe]${pseudo} { ${probe.text} } }`;
        }
        finish();
        for (const pair of mine) {
          pair.forced = read(element, pseudo, pair.longhand);
          // The browser's own !important wins over ours too: <input type="hidden"> is never displayed.
          const said = pseudo === '' && 'style' in element ? (element as HTMLElement).style : null;
          const word = said?.getPropertyValue(pair.longhand) ?? '';
          pair.isRefused =
            (pair.longhand === 'display' &&
              pair.forced === 'none' &&
              /^(block|inline|flex|grid|contents)/.test(word)) ||
            (/^overflow-/.test(pair.longhand) && pair.forced === 'clip' && /^(auto|hidden|scroll)$/.test(word));
        }
        if (pseudo === '' && before === null) element.removeAttribute('style');
        else if (before !== null) element.setAttribute('style', before);
        element.removeAttribute('data-local-needle-probe');
        if (first) first.textContent = '@layer local-needle-probe { }';
        finish();
      }
    }
    if (link?.sheet) {
      link.sheet.disabled = true;
      finish();
      for (const pair of pairs) pair.bare = read(pair.element, pair.pseudo, pair.longhand);
      link.sheet.disabled = false;
      finish();
    }
    const lost = pairs.filter(({ built, forced, isRefused }) => built !== forced || isRefused);
    return {
      elements: elements.length,
      pairs: pairs.length,
      won: pairs.length - lost.length,
      changes: pairs.some(({ built, forced, bare, isRefused }) => built === forced && built !== bare && !isRefused),
      lost: lost
        .slice(0, 20)
        .map(({ element, pseudo, longhand }) => ({ element: pathOf(element) + pseudo, property: longhand })),
    };
  });
}
