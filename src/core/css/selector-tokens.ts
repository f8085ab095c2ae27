import { parse, type Selector as Token } from 'css-what';

/** A selector list in css-what's tokens. css-what reads no empty list, which matches nothing (Selectors 4, 4.2). Throws Error. */
export const selectorTokens = (selector: string): Token[][] =>
  parse(/["']/.test(selector) ? selector : selector.replace(/:(is|where|-webkit-any)\(\s*\)/gi, ':not(*)'));
