import { verdictMeanings } from '../core/check/verdict.js';
import type { Style } from './text.js';

/** The docs of a code: the meaning of a verdict, the section of a finding. */
export interface Explanation {
  code: string;
  verdict: string | null;
  /** Markdown, without its heading. */
  finding: string | null;
}

/** Looks a code up. `docs`: the text of docs/findings.md, with a section for each finding. Null for an unknown code. */
export function explanationOf(code: string, docs: string): Explanation | null {
  const start = docs.indexOf(`\n### ${code}\n`);
  const rest = start < 0 ? null : docs.slice(start + code.length + 6);
  const end = rest?.search(/\n#{2,3} /) ?? -1;
  const finding = rest === null ? null : rest.slice(0, end < 0 ? undefined : end).trim();
  const verdict = Object.hasOwn(verdictMeanings, code) ? verdictMeanings[code as keyof typeof verdictMeanings] : null;
  return finding === null && verdict === null ? null : { code, verdict, finding };
}

/** An explanation for a terminal. */
export function explanationText({ code, verdict, finding }: Explanation, { colour }: Style): string {
  const parts: string[] = [];
  if (verdict !== null) parts.push(`${colour.bold(code)} (verdict)`, `  ${verdict}`);
  if (finding !== null) {
    const text = finding.replace(/```\n([^]*?)```/g, (_all, example: string) =>
      example
        .trimEnd()
        .split('\n')
        .map((line) => `    ${line}`)
        .join('\n'),
    );
    parts.push(...(verdict === null ? [] : ['']), `${colour.bold(code)} (finding)`, text);
  }
  return parts.join('\n');
}
