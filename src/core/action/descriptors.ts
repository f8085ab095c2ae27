import { Matches } from 'class-validator';

/** A descriptor that is text in quotes. */
export const quotedText = (remedy: string) =>
  Matches(/^("[^]*"|'[^]*')$/, { message: `must be text in quotes; ${remedy}` });

/** A descriptor that names a file. */
export const fileName = Matches(/^url\([^]+\)$/i, {
  message: 'must name a file, such as url("../assets/logo-winter.svg")',
});
