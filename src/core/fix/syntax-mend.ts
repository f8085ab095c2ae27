import tables from '../css/browser-tables.json' with { type: 'json' };
import type { Place, Problem } from '../place.js';
import { offsetAt, replacing, type Proposal } from './proposal.js';

/** The parts of a rule file as far as its blocks, ends and comments go; a comment in the form of scripts is one part. */
const part =
  /\/\*[^]*?(?:\*\/|$)|"(?:\\[^]|[^"\\\n\r\f])*"?|'(?:\\[^]|[^'\\\n\r\f])*'?|url\(\s{0,20}[^"'()\s]+\s{0,20}\)|\/\/[^\n\r\f]*|@[\w-]+|[()[\]{};]|\s+|(?:\\[^\n\r\f]|[^\s"'()[\]{};@/\\])+|[^]/g;

interface Part {
  text: string;
  offset: number;
}

/** Maximum number of problems of one kind, and of comments that one change writes anew: no file of people holds more. */
const [mostProblems, mostComments] = [50, 500];

/** Two parts on different lines between which a semicolon may be missing. */
interface Break {
  after: Part;
  before: string;
}

/** How a statement begins that never has a block: with a descriptor or a property, or an action of ours. */
const takesNoBlock = /^\s*(?:(?!--)[\w-]+\s*:\s|@(?:hide|only-here|style-file|stylesheet)\s)/;
const longestBegin = 80;

/** Whether a part begins a declaration; in a selector no space follows a colon. */
const isName = ({ text: part, offset }: Part, text: string) =>
  /^(?!--)[\w-]+:$/.test(part) && /\s/.test(text.charAt(offset + part.length));

/**
 * What a parser of CSS reads as something else: `//` comments, and at-rules and style rules after a line without
 * its semicolon.
 */
export function syntaxProblems(text: string, file: string): Problem[] {
  const comments: Part[] = [];
  const unclosed: Part[] = [];
  const unended: Break[][] = [];
  let depth = 0;
  let last: Part | null = null;
  let isFirstOnLine = true;
  /** What a statement has begun with, and its ends of lines that may lack a semicolon. */
  let [begin, ends]: [string, Break[]] = ['', []];
  for (const match of text.matchAll(part)) {
    const one: Part = { text: match[0], offset: match.index };
    const [sign = ''] = one.text;
    if (one.text.startsWith('/*')) continue;
    if (/^\s/.test(one.text)) {
      isFirstOnLine ||= /[\n\r\f]/.test(one.text);
      continue;
    }
    const isOpen = last !== null && !/[;{}]$/.test(last.text);
    // In a value it may be what it says: --cdn: //cdn.saltmere.example.
    if (one.text.startsWith('//') && depth === 0 && !isOpen) {
      comments.push(one);
      continue;
    }
    if (/^(?:"(?:\\[^]|[^"\\])*|'(?:\\[^]|[^'\\])*)$/.test(one.text)) unclosed.push(one);
    if ('(['.includes(sign)) depth++;
    if (')]'.includes(sign)) depth = Math.max(0, depth - 1);
    const isBreak = last && isOpen && depth === 0 && isFirstOnLine && !/,$/.test(last.text);
    if (last && isBreak && (/^@[\w-]/.test(one.text) || (takesNoBlock.test(begin) && isName(one, text)))) {
      unended.push([{ after: last, before: one.text }]);
      [begin, ends] = ['', []];
    } else if (last && isBreak && !/[{;}]/.test(sign)) ends.push({ after: last, before: one.text });
    if (sign === '{' && depth === 0 && ends.length > 0 && takesNoBlock.test(begin)) unended.push(ends.reverse());
    if (depth === 0 && /[{};]/.test(sign)) [begin, ends] = ['', []];
    else if (begin.length < longestBegin)
      begin += text.slice(last ? last.offset + last.text.length : 0, one.offset) + one.text;
    last = one;
    isFirstOnLine = false;
  }
  // Whatever follows a string without its end is read as something else.
  const [string] = unclosed;
  return [
    ...commentProblem(comments, text, file),
    ...(string
      ? [unclosedProblem(string, text, file)]
      : unended.slice(0, mostProblems).flatMap((each) => unendedProblem(each.slice(0, mostEnds), text, file))),
  ];
}

/** Which quote of the line lacks the other one, and where, only a trial tells: likeliest before the first semicolon. */
function unclosedProblem({ text: string, offset }: Part, text: string, file: string): Problem {
  const [quote = '"'] = string;
  const lineStart = Math.max(text.lastIndexOf('\n', offset) + 1, 0);
  const first = text.indexOf(quote, lineStart);
  const [line = ''] = /^[^\n\r\f]*/.exec(text.slice(first)) ?? [];
  const ends = [...line.matchAll(/;/g)].map(({ index }) => index).slice(0, mostEnds);
  const mended = [
    ...ends.map((end) => line.slice(0, end) + quote + line.slice(end)),
    ...(ends.length === 0 ? [`${line.trimEnd()}${quote};`] : []),
  ];
  return {
    message: 'A string is not closed',
    at: placeIn(text, offset, file),
    hint: 'Close it with the quote that opened it, on the same line.',
    proposals: mended.map((to, rank) => replacing(placeIn(text, first, file), line, to, rank)),
  };
}

/** Maximum number of places in a line at which a string is closed for a trial. */
const mostEnds = 8;

function commentProblem(comments: Part[], text: string, file: string): Problem[] {
  const [first] = comments;
  if (!first) return [];
  const changes = comments.slice(0, mostComments).map(({ text: from, offset }) => ({
    ...{ kind: 'text' as const, at: placeIn(text, offset, file), from },
    to: `/* ${from
      .replace(/^\/+\s*/, '')
      .replace(/\*\//g, '* /')
      .trim()} */`,
  }));
  return [
    {
      message: 'CSS has no // comments',
      at: placeIn(text, first.offset, file),
      hint: 'Write /* … */.',
      proposals: [{ title: 'Write // comments as /* … */', changes, rank: 0 }],
    },
  ];
}

/** Which line lacks its semicolon, only a trial tells: likeliest the one before the block. */
function unendedProblem(breaks: Break[], text: string, file: string): Problem[] {
  const [likeliest] = breaks;
  if (!likeliest) return [];
  const places = breaks.map(({ after }, rank) => {
    const at = placeIn(text, after.offset, file);
    return { ...replacing(at, after.text, `${after.text};`, rank), title: `Add the missing ; after ${after.text}` };
  });
  return [
    {
      message: `A ; is missing before ${likeliest.before.replace(/:$/, '')}`,
      at: placeIn(text, likeliest.after.offset, file),
      hint: `Write ${likeliest.after.text};`,
      proposals: places,
    },
  ];
}

/** What may mend a text that no parser of CSS takes, by the reason that postcss gives for it. */
export function syntaxProposals(reason: string, at: Place, text: string): Proposal[] {
  const offset = offsetAt(text, at);
  const rest = /^[^\n\r\f]*/.exec(text.slice(offset))?.[0] ?? '';
  if (/Missed semicolon/.test(reason)) {
    const [word] = /\S+$/.exec(text.slice(0, offset).trimEnd()) ?? [];
    if (word === undefined) return [];
    const place = placeIn(text, text.slice(0, offset).trimEnd().length - word.length, at.file);
    return [{ ...replacing(place, word, `${word};`), title: `Add the missing ; after ${word}` }];
  }
  if (/Unexpected }/.test(reason)) return [{ ...replacing(at, '}', ''), title: 'Remove the extra }' }];
  if (/Unclosed block/.test(reason)) {
    const whole = text.trimEnd();
    const [word = ''] = /\S+$/.exec(whole) ?? [];
    const missing = '}'.repeat(Math.max(1, openBlocks(text)));
    const place = placeIn(text, whole.length - word.length, at.file);
    return [
      {
        ...replacing(place, word, `${word}${text.includes('\r\n') ? '\r\n' : '\n'}${missing}`),
        title: `Add ${missing} at the end`,
      },
    ];
  }
  const [written = '', name = '', , value = ''] =
    /^([\w-]+)(\s*=\s*|\s+)([^;:{}=]+?)(?=\s*(?:;|\}|$))/.exec(rest) ?? [];
  return name.toLowerCase() in tables.properties ? [replacing(at, written, `${name}: ${value}`)] : [];
}

/** How many blocks are open at the end of a text. */
function openBlocks(text: string): number {
  let open = 0;
  for (const [one] of text.matchAll(part)) {
    if (one === '{') open++;
    if (one === '}') open--;
  }
  return open;
}

function placeIn(text: string, offset: number, file: string): Place {
  const before = text.slice(0, offset);
  return { file, line: before.split('\n').length, column: offset - before.lastIndexOf('\n') };
}
