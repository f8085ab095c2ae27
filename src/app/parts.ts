import { check } from '../core/check/check.js';
import type { Kept, PageResult } from '../core/check/result-cache.js';
import { planCheck } from '../core/check/plan.js';
import { ProblemError } from '../core/place.js';
import packageJson from '../../package.json' with { type: 'json' };
import { digest } from '../project/cache.js';
import type { OpenedCheck } from './check-input.js';

/** One of several parts of the pages, counted from 1. */
export interface Shard {
  number: number;
  of: number;
}

/** How the pages of a part were looked at. */
export interface PartLook {
  site: string;
  viewport: string;
  state: string | null;
  visitor: string | null;
}

/** What one machine judged, to be put together with what others did. */
export interface Part {
  kind: 'local-needle.part';
  version: 1;
  program: string;
  shard: Shard;
  look: PartLook;
  results: [key: string, result: PageResult][];
}

/** Maximum number of parts. */
const mostParts = 1000;

/** Reads `2/8`. Throws ProblemError. */
export function shardOf(words: string): Shard {
  const [, number = 0, of = 0] = (/^(\d{1,4})\/(\d{1,4})$/.exec(words) ?? []).map(Number);
  if (number >= 1 && number <= of && of <= mostParts) return { number, of };
  throw new ProblemError([
    {
      message: `--shard cannot be ${JSON.stringify(words)}`,
      hint: `Write the part and how many there are, up to ${mostParts}: --shard 2/8.`,
    },
  ]);
}

/** Judges the pages of a part; `judged` of the `pages` that rules target. The text is that of a file. */
export function partOf({ input, source }: OpenedCheck, shard: Shard): { part: string; judged: number; pages: number } {
  const found = new Map<string, PageResult>();
  const results: Kept<PageResult> = {
    get: (key) => {
      const known = input.results.get(key);
      if (known !== undefined) found.set(digest(key), known);
      return known;
    },
    set: (key, result) => {
      found.set(digest(key), result);
      input.results.set(key, result);
    },
  };
  check({ ...input, results, hints: null, claim: (index) => index % shard.of === shard.number - 1 });
  const part: Part = {
    ...{ kind: 'local-needle.part', version: 1, program: packageJson.version, shard },
    look: { site: source.name, viewport: input.viewport, state: input.state, visitor: input.visitor },
    results: [...found],
  };
  return { part: `${JSON.stringify(part)}\n`, judged: found.size, pages: planCheck(input).tasks.length };
}

/** Reads the text of a part's file. Throws ProblemError if it is none. */
export function readPart(text: string, file: string): Part {
  let part: Partial<Part> | null = null;
  try {
    part = JSON.parse(text) as Partial<Part> | null;
  } catch {
    // Said below.
  }
  if (part?.kind !== 'local-needle.part' || !Array.isArray(part.results) || !part.shard || !part.look)
    throw new ProblemError([
      {
        message: `${file} is no part of a check`,
        hint: 'Make one with local-needle check --shard 1/8 --out part-1.json.',
      },
    ]);
  if (part.version !== 1 || part.program !== packageJson.version)
    throw new ProblemError([
      {
        message: `${file} was made by Local Needle ${part.program}; this is ${packageJson.version}`,
        hint: 'Use the same version on all machines.',
      },
    ]);
  return part as Part;
}

/** The parts of one check, all of them there. Throws ProblemError. */
export function wholeOf(parts: [file: string, part: Part][]): { look: PartLook; results: Map<string, PageResult> } {
  const [[firstFile, first] = []] = parts;
  if (!first) throw new ProblemError([{ message: 'No part was named', hint: 'local-needle report part-*.json' }]);
  const same = ({ look, shard }: Part) => JSON.stringify([look, shard.of]);
  const other = parts.find(([, part]) => same(part) !== same(first));
  if (other)
    throw new ProblemError([
      { message: `${other[0]} and ${firstFile} are parts of different checks`, hint: 'Name the parts of one check.' },
    ]);
  const there = new Set(parts.map(([, { shard }]) => shard.number));
  const missing = [...Array(first.shard.of).keys()].map((each) => each + 1).filter((each) => !there.has(each));
  if (missing.length > 0)
    throw new ProblemError([
      {
        message: `${missing.length === 1 ? 'Part' : 'Parts'} ${missing.slice(0, 5).join(', ')} of ${first.shard.of} ${missing.length === 1 ? 'is' : 'are'} missing`,
        hint: `Make it with local-needle check --shard ${missing[0]}/${first.shard.of} --out FILE.`,
      },
    ]);
  return { look: first.look, results: new Map(parts.flatMap(([, { results }]) => results)) };
}

/** Results that other machines found; `judged` counts pages that are not as they were there, and are judged here. */
export function resultsOf(known: ReadonlyMap<string, PageResult>): { results: Kept<PageResult>; judged: () => number } {
  const own = new Map<string, PageResult>();
  return {
    results: {
      get: (key) => known.get(digest(key)) ?? own.get(key),
      set: (key, result) => void own.set(key, result),
    },
    judged: () => own.size,
  };
}
