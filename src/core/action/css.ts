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
