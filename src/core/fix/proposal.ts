import type { Place } from '../place.js';

/** A change to a rule file: other text at a place or soon after it, or one more descriptor of a rule. */
export type Change =
  | { kind: 'text'; at: Place; from: string; to: string }
  /** `at`: where the rule's `@needle` begins. */
  | { kind: 'descriptor'; at: Place; text: string };

/** What may mend a finding; not tried on the whole project yet. */
export interface Proposal {
  /** In the imperative: `Replace .promo-feild by .promo-field`. */
  title: string;
  changes: Change[];
  /** The lower, the likelier; proposals with the same rank are a choice. */
  rank: number;
}

/** Other text in the place of a text. */
export const replacing = (at: Place, from: string, to: string, rank = 0): Proposal => ({
  title: `Replace ${from} by ${to}`,
  changes: [{ kind: 'text', at, from, to }],
  rank,
});

/** A descriptor that a rule lacks: `important: yes`. */
export const adding = (at: Place, text: string, rank = 0): Proposal => ({
  title: `Add ${text};`,
  changes: [{ kind: 'descriptor', at, text }],
  rank,
});

/** The same proposals after their rule has moved down in its file by some lines. */
export const movedBy = (lines: number, file: string, proposals: Proposal[]): Proposal[] =>
  proposals.map((proposal) => ({
    ...proposal,
    changes: proposal.changes.map((change) => ({ ...change, at: placeMovedBy(lines, file, change.at) })),
  }));

/** A place after a file's lines have moved down; a place in another file stays. */
export const placeMovedBy = (lines: number, file: string, at: Place): Place =>
  at.file === file ? { ...at, line: at.line + lines } : at;

/** A change to the text of a file, in UTF-16 units of the file as it was read. */
export interface Edit {
  file: string;
  start: number;
  end: number;
  newText: string;
}

/** How far after its place a text may begin: at-rules and lists come before selectors. */
const mostBefore = 2000;

/** The edits of a proposal; null where a text that it is about is not there. */
export function editsOf({ changes }: Proposal, textOf: (file: string) => string | null): Edit[] | null {
  const edits = changes.map((change): Edit | null => {
    const text = textOf(change.at.file);
    if (text === null) return null;
    const from = offsetAt(text, change.at);
    return change.kind === 'text' ? replacement(change, text, from) : newDescriptor(change, text, from);
  });
  return edits.includes(null) ? null : edits.filter((edit) => edit !== null);
}

/** The offset of a place in a text. */
export function offsetAt(text: string, { line, column }: Place): number {
  let start = 0;
  for (let count = 1; count < line; count++) {
    const end = text.indexOf('\n', start);
    if (end < 0) return text.length;
    start = end + 1;
  }
  return start + column - 1;
}

const isNamePart = (character: string | undefined) => character !== undefined && /[\w-]|[^\0-\x7f]/.test(character);

function replacement({ at, from, to }: Change & { kind: 'text' }, text: string, offset: number): Edit | null {
  for (let start = text.indexOf(from, offset); start >= 0; start = text.indexOf(from, start + 1)) {
    if (start - offset > mostBefore) return null;
    const end = start + from.length;
    // `.pay` is not the beginning of `.pay-now`, nor the end of `.to.pay`.
    const isWhole =
      !(isNamePart(from.at(-1)) && isNamePart(text[end])) && !(isNamePart(from[0]) && isNamePart(text[start - 1]));
    if (isWhole) return { file: at.file, start, end, newText: quotedAs(text, to) };
  }
  return null;
}

const value = /(?:[^;"'{}]|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')*;/.source;
const upToPages = new RegExp(`^(?:\\s*(?!pages:)[\\w-]+:${value})*\\s*pages:${value}`);

/** After `pages`, else at the beginning of the block; on a line of its own where the block has lines. */
function newDescriptor(
  { at, text: added }: Change & { kind: 'descriptor' },
  text: string,
  offset: number,
): Edit | null {
  const open = text.indexOf('{', offset);
  if (open < 0) return null;
  const block = text.slice(open + 1);
  const start = open + 1 + (upToPages.exec(block)?.[0].length ?? 0);
  const line = /^[ \t]*(\r?\n[ \t]*)/.exec(block);
  return { file: at.file, start, end: start, newText: `${line?.[1] ?? ' '}${added};` };
}

/** A text with the quotes that a file has; a title says it with double ones. */
function quotedAs(file: string, text: string): string {
  if (text.startsWith('/*')) return text;
  const singles = file.split("('").length > file.split('("').length;
  return singles && !text.includes("'") ? text.replace(/"/g, "'") : text;
}

/** The texts of files after edits; those of one file must not overlap. */
export function applyEdits(edits: Edit[], textOf: (file: string) => string | null): Map<string, string> {
  const changed = new Map<string, string>();
  for (const { file, start, end, newText } of [...edits].sort((a, b) => b.start - a.start)) {
    const text = changed.get(file) ?? textOf(file) ?? '';
    changed.set(file, text.slice(0, start) + newText + text.slice(end));
  }
  return changed;
}

/** Whether two edits touch the same text; two insertions at one place do not. */
export const overlap = (a: Edit, b: Edit) => a.file === b.file && a.start < b.end && b.start < a.end;
