/** A key for a text. */
export const textSignature = (text: string) => checksum(text.length, (at) => text.charCodeAt(at));

/** A key for texts and files (FNV-1a, twice); it is not cryptographic. */
export function checksum(length: number, at: (index: number) => number): string {
  let [one, two] = [0x811c9dc5, 0x01000193];
  for (let index = 0; index < length; index++) {
    one = Math.imul(one ^ at(index), 0x01000193) >>> 0;
    two = Math.imul(two ^ at(index), 0x85ebca6b) >>> 0;
  }
  return `${length}-${one.toString(36)}${two.toString(36)}`;
}
