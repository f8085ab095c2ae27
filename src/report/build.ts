import type { Bundle } from '../core/ship/bundle.js';
import type { Proof } from '../core/ship/proof.js';
import { count, firstFew } from './text.js';

/** The result of a build. */
export interface BuildReport {
  site: string;
  rules: number;
  pages: number;
  left: { rule: string; reason: string }[];
  files: { name: string; size: number }[];
  folder: string;
  zipped: { name: string; size: number } | null;
  summary: string | null;
  bundle: Bundle | null;
  /** The address of the folder that the site serves it from; empty if that is not known. */
  base: string;
  /** Whether a captured page loads the bundle already, under any address. */
  isLoaded: boolean;
  proof: Proof;
  place: 'head-end' | 'body-end';
}

const kilobytes = (bytes: number) => `${(bytes / 1024).toFixed(1)} KB`;
/** Files that are listed by name. */
const mostListed = 8;

/** The files that were built, where they are, what was verified, and how to load them. */
export function buildText(report: BuildReport): string {
  const { site, rules, pages, files, zipped, summary, bundle, folder, left, proof } = report;
  const lines = [`${site}: ${count(rules, 'rule')} for ${count(pages, 'page')}`];
  if (summary) lines.push(`  ${folder}: ${summary}`);
  const shown = files.slice(0, mostListed);
  const width = Math.max(...shown.map(({ name }) => name.length), 0);
  for (const { name, size } of shown) {
    const gzipped = zipped?.name === name ? `, ${kilobytes(zipped.size)} gzipped` : '';
    lines.push(`  ${name.padEnd(width)}  ${kilobytes(size)}${gzipped}`);
  }
  if (files.length > shown.length) lines.push(`  and ${files.length - shown.length} more`);
  if (bundle && bundle.atRunTime.length > 0)
    lines.push(`  Matched by local-needle.js at run time: ${firstFew(bundle.atRunTime, 5)}`);
  for (const { rule, reason } of left) lines.push(`  Left out: ${rule} (${reason})`);
  if (proof.findings.length === 0)
    lines.push(
      `  Read back on ${count(proof.pages, 'page')}: ${count(proof.cells, 'verdict')} as checked, and no page is affected that no rule targets.`,
    );
  return [...lines, ...(bundle ? loading(bundle, report) : [])].join('\n');
}

function loading({ css, js }: Bundle, { base, place, isLoaded }: BuildReport): string[] {
  return [
    ...(isLoaded ? [] : ['No captured page loads it yet.']),
    `Load ${js ? 'them' : 'it'} last in ${place === 'head-end' ? '<head>' : '<body>'}${base === '' ? ', with the address that your site serves the folder from' : ''}:`,
    `  <link rel="stylesheet" href="${base}${css.name}">`,
    ...(js ? [`  <script src="${base}${js.name}"></script>`] : []),
  ];
}
