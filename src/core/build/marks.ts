/** Marks around what the build adds to a page; minifiers keep comments of this form. */
export const beginMark = (site: string) => `! local-needle begin: ${site} `;
export const endMark = '! local-needle end ';
