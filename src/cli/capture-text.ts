import type { Capture } from '../capture/capture-store.js';
import type { CrawlResult } from '../capture/crawl.js';
import type { SessionEnded } from '../capture/session-watch.js';
import { ProblemError } from '../core/place.js';
import type { SiteSource } from '../project/read-configuration.js';
import { count, printable } from '../report/text.js';

/** The error for a visitor's session that has ended. */
export function sessionProblem(visitor: string, site: string, { message }: SessionEnded): ProblemError {
  return new ProblemError(
    [
      {
        message: `The session of ${visitor} has ended or is not valid: ${message}`,
        hint: `Nothing was kept of this run. Sign in again, set the cookies anew, and run local-needle capture ${site} --visitor ${visitor}. If the page is right, name what only ${visitor} sees: visitors: { ${visitor}: { marker: ".account-menu" } }.`,
      },
    ],
    'access',
  );
}

/** The error for a run without a single page: what the site answered, and what to write. */
export function nothingCaptured(source: SiteSource, visitor: string | null, { refused }: CrawlResult): ProblemError {
  const where = source.from.where;
  const hint = refused
    ? `If the site asks for a password: export SITE_LOGIN="Basic $(printf %s 'NAME:PASSWORD' | base64)", and write headers: { authorization: "\${SITE_LOGIN}" } in sites.${source.name}. If it asks for a cookie, write cookies: { NAME: "\${VALUE}" }.`
    : `Open ${where} in a browser${visitor === null ? '' : ` as ${visitor}`}, and compare its address with sites.${source.name} in local-needle.yaml.`;
  const message = refused
    ? `${where} answered ${refused}, so no page was captured`
    : `No page of ${where} could be captured`;
  return new ProblemError([{ message, hint }], 'access');
}

/** What else a run found: addresses that it left out, and why. */
export function leftOutText(
  result: CrawlResult,
  capture: Capture,
  { name, pathOptions }: SiteSource,
  limit: number,
): string[] {
  const lines: string[] = [];
  const out = (line: string) => lines.push(line);
  for (const { url, reason } of capture.notCaptured.slice(0, 10))
    out(`  not captured: ${printable(url)}: ${printable(reason)}`);
  if (capture.notCaptured.length > 10) out(`  and ${capture.notCaptured.length - 10} more, in the index`);
  const left = [...result.notFollowed];
  for (const [path, reason] of left.slice(0, 5)) out(`  not followed: ${printable(path)}: ${printable(reason)}`);
  if (left.length > 5) out(`  and ${count(left.length - 5, 'more link')} that look as if they did something`);
  const first = left.find(([, reason]) => !reason.includes('sign out'));
  if (first)
    out(
      `  To capture such a page, list its path in local-needle.yaml: sites.${name}.follow: [${JSON.stringify(first[0])}]`,
    );
  const keys = result.queryKeys.filter(({ tellsPagesApart }) => tellsPagesApart);
  for (const { key, addresses, example } of keys)
    out(
      `  ${addresses === 1 ? '1 address,' : `${addresses} addresses`} such as ${printable(example)} ${addresses === 1 ? 'was' : 'were'} left out: without ?${printable(key)}= ${addresses === 1 ? 'it has' : 'they have'} the path of another page, but other content.`,
    );
  if (keys.length > 0) {
    const all = [...(pathOptions.queryKeys ?? []), ...keys.map(({ key }) => key)];
    out(
      `  If they are pages of their own, write in local-needle.yaml: sites.${name}.query-keys: [${all.map((each) => JSON.stringify(each)).join(', ')}]`,
    );
  }
  if (result.cutOff) out(`  Stopped at the limit of ${limit} pages. Use a larger --limit for the rest.`);
  return lines;
}
