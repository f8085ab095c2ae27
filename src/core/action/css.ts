import { Declaration } from 'postcss';
import type { Probe } from './kind.js';

/** Declarations that hide an element, whatever the site's CSS says. */
export const hiddenDeclaration = () => new Declaration({ prop: 'display', value: 'none', important: true });

/** Whether declarations may hide an element. */
export const mayHideBy = (declarations: Declaration[]) =>
  declarations.some(({ prop }) => /^(display|visibility|content-visibility|all)$/i.test(prop));

/** A measurement of the action's own elements. */
export const probeOf = (by: Probe['by'], about: Partial<Probe> = {}): Probe => ({
  ...{ by, selector: null, image: null, text: null, html: null },
  ...about,
});

/** Whether a selector depends on what follows an element: it can match only once the page is parsed. */
export const looksAhead = (selectors: string[]) =>
  selectors.some((text) => /:(last|only|nth-last|has|empty)\b/i.test(text));

/** See ActionKind.flashes, for an element that these selectors hide. */
export const flashOfHidden = (selectors: { text: string }[]) =>
  looksAhead(selectors.map(({ text }) => text))
    ? 'its selector matches only once the browser has read what the selector asks for'
    : null;
