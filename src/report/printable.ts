/** Text from a page made safe to print: control characters, which could steer a terminal, are shown as their code. */
export function printable(text: string): string {
  return text.replace(
    /[\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** Control characters but for line breaks and tabs, and bidirectional marks; colour codes as a whole. */
const unsafe =
  /\u001b\[[0-9;]*m|[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

/** A whole output made safe for a terminal, whatever its parts brought in; `coloured`: colour codes are our own. */
export const safeForTerminal = (text: string, coloured: boolean): string =>
  text.replace(unsafe, (found) => (coloured && found.length > 1 ? found : printable(found)));
