/** A block that is open at an offset, with what is written before its brace. */
export interface OpenBlock {
  prelude: string;
  /** Where its prelude begins, and where its brace is. */
  start: number;
  open: number;
}

/** What is around an offset of a rule file; the text may be broken anywhere. */
export interface Context {
  /** Outermost first. */
  blocks: OpenBlock[];
  /** The statement that the offset is in: where it begins and ends, and its text up to the offset. */
  start: number;
  end: number;
  before: string;
  /** The innermost function that is open, with its argument up to the offset, quotes left out. */
  call: { name: string; argument: string; start: number } | null;
  isComment: boolean;
}

/** Reads a text up to an offset, and on to the end of the statement there. Strings and comments are passed over whole. */
export function contextAt(text: string, offset: number): Context {
  const blocks: OpenBlock[] = [];
  let start = 0;
  const calls: { name: string; at: number }[] = [];
  let at = 0;
  const statementStart = () => start + (/^(?:\s|\/\*[\s\S]*?\*\/)*/.exec(text.slice(start, offset))?.[0].length ?? 0);
  while (at < offset) {
    const next = passed(text, at);
    if (next > at) {
      if (next > offset && text.startsWith('/*', at))
        return { blocks, start: offset, end: offset, before: '', call: null, isComment: true };
      at = Math.min(next, offset);
      continue;
    }
    const character = text[at];
    if (character === '(') calls.push({ name: /[\w-]*$/.exec(text.slice(Math.max(0, at - 40), at))?.[0] ?? '', at });
    else if (character === ')') calls.pop();
    else if (character === '{') {
      const from = statementStart();
      blocks.push({ prelude: text.slice(from, at).trim(), start: from, open: at });
    } else if (character === '}') blocks.pop();
    at++;
    if (character === '{' || character === '}' || (character === ';' && calls.length === 0)) {
      start = at;
      calls.length = 0;
    }
  }
  const from = Math.min(statementStart(), offset);
  const call = calls.at(-1);
  return {
    ...{ blocks, start: from, end: statementEnd(text, from), before: text.slice(from, offset) },
    call: call ? { name: call.name, ...argumentFrom(text, call.at + 1, offset) } : null,
    isComment: false,
  };
}

function argumentFrom(text: string, from: number, offset: number): { argument: string; start: number } {
  const quote = /^\s*["']/.exec(text.slice(from, offset))?.[0].length ?? 0;
  return { argument: text.slice(from + quote, offset), start: from + quote };
}

/** Where a comment or a closed string that begins at an offset ends; the offset itself where none begins. */
export function passed(text: string, at: number): number {
  if (text.startsWith('/*', at)) {
    const end = text.indexOf('*/', at + 2);
    return end < 0 ? text.length : end + 2;
  }
  if (text[at] === '\\') return at + 2;
  const quote = text[at];
  if (quote !== '"' && quote !== "'") return at;
  for (let end = at + 1; end < text.length && text[end] !== '\n'; end++) {
    if (text[end] === '\\') end++;
    else if (text[end] === quote) return end + 1;
  }
  return at;
}

/** Where a statement ends: before its brace or semicolon, or the brace that ends its block. */
export function statementEnd(text: string, from: number): number {
  return endBefore(text, from, ';{}');
}

/** Where what begins at an offset ends: a condition, a selector of a list or a declaration. */
export function rangeAt(text: string, from: number): [start: number, end: number] {
  const end = endBefore(text, from, text[from] === '@' || isDeclaration(text, from) ? ';{}' : ',;{}');
  const trimmed = text.slice(from, end).replace(/\s+$/, '');
  return [from, from + Math.max(1, trimmed.length)];
}

const isDeclaration = (text: string, from: number) => /^[\w-]+\s*:\s/.test(text.slice(from, from + 80));

function endBefore(text: string, from: number, stops: string): number {
  let depth = 0;
  for (let at = from; at < text.length; at++) {
    const next = passed(text, at);
    if (next > at) {
      at = next - 1;
      continue;
    }
    const character = text[at] as string;
    if (character === '(' || character === '[') depth++;
    else if (character === ')' || character === ']') depth--;
    else if (stops.includes(character) && (depth <= 0 || character === '{' || character === '}')) return at;
  }
  return text.length;
}

/** The part of a list around an offset. */
export function alternativeAt(text: string, from: number, offset: number): [number, number] {
  for (let at = from; ;) {
    const [, end] = rangeAt(text, at);
    const next = /^\s*,\s*/.exec(text.slice(end))?.[0].length ?? 0;
    if (offset <= end || next === 0) return [at, end];
    at = end + next;
  }
}

/** The alternative of a `pages`, `except` or `@on` condition around an offset; null elsewhere. */
export function conditionTerms(text: string, offset: number): { text: string; start: number; end: number } | null {
  const { start, end, blocks, isComment } = contextAt(text, offset);
  const before = /^(?:(?:pages|except):|@on\s)\s*/.exec(text.slice(start, end))?.[0].length ?? 0;
  if (isComment || blocks.length === 0 || before === 0 || offset < start + before) return null;
  const [from, to] = alternativeAt(text, start + before, offset);
  return { text: text.slice(from, to).trim(), start: from, end: to };
}
