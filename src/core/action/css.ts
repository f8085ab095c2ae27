import { Declaration } from 'postcss';
import type { Probe } from './kind.js';

/** What hides an element, whatever the site says of it. */
export const hiddenDeclaration = () => new Declaration({ prop: 'display', value: 'none', important: true });

/** Whether declarations may take an element out of sight. */
export const mayHideBy = (declarations: Declaration[]) =>
  declarations.some(({ prop }) => /^(display|visibility|content-visibility|all)$/i.test(prop));

/** A probe that asks about the action's own elements. */
export const probeOf = (by: Probe['by'], about: Partial<Probe> = {}): Probe => ({
  ...{ by, selector: null, image: null, text: null, html: null },
  ...about,
});
