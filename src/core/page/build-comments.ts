/** Marks around what the build adds to a page; minifiers keep comments of this form. */
export const beginMark = (site: string) => `! local-needle begin: ${site} `;
/** How the text of every build begins, whatever its site. */
export const anyBegin = '/*! local-needle begin:';
export const endMark = '! local-needle end ';
/** Says of a stylesheet's link that the build put it there. */
export const sheetMark = 'data-local-needle';
