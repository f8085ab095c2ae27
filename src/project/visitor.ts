import { suggestion } from '../core/nearest.js';
import { ProblemError, type Problem } from '../core/place.js';
import type { Settings, SiteSource } from './read-configuration.js';

type Environment = Record<string, string | undefined>;

/** Headers and cookies as local-needle.yaml has them. */
interface Credentials {
  headers?: Record<string, string>;
  cookies?: Record<string, string>;
}

/**
 * The request headers for a site and, if one is named, its visitor, with `${NAME}` filled from the environment. Throws
 * ProblemError if the visitor is not known or a variable is not set. The values are secrets: they are used in requests
 * to the site's own origin only, and are neither stored nor printed.
 */
export function requestHeaders(
  settings: Settings,
  source: SiteSource,
  visitor: string | null,
  environment: Environment,
): Record<string, string> {
  const site = filledHeaders(source, `The site "${source.name}"`, `capture ${source.name}`, environment);
  if (visitor === null) return site;
  const entry = Object.hasOwn(settings.visitors, visitor) ? settings.visitors[visitor] : undefined;
  if (!entry) throw unknownVisitor(settings, visitor);
  const own = filledHeaders(entry, `The visitor "${visitor}"`, `capture --visitor ${visitor}`, environment);
  const cookies = [site['cookie'], own['cookie']].filter((each) => each !== undefined);
  return { ...site, ...own, ...(cookies.length > 0 ? { cookie: cookies.join('; ') } : {}) };
}

function filledHeaders(
  { headers: given, cookies: pairs }: Credentials,
  who: string,
  call: string,
  environment: Environment,
): Record<string, string> {
  const problems: Problem[] = [];
  const filled = (value: string) =>
    String(value).replace(/\$\{(\w+)\}/g, (_whole, variable: string) => {
      const found = environment[variable];
      if (found === undefined)
        problems.push({
          message: `${who} needs the environment variable ${variable}, which is not set`,
          hint: `Set it first: ${variable}=… local-needle ${call}`,
        });
      return found ?? '';
    });
  const headers = Object.fromEntries(
    Object.entries(given ?? {}).map(([key, value]) => [key.toLowerCase(), filled(value)]),
  );
  const cookies = Object.entries(pairs ?? {}).map(([key, value]) => `${key}=${filled(value)}`);
  if (cookies.length > 0) headers['cookie'] = cookies.join('; ');
  for (const [key, value] of Object.entries(headers)) {
    if (/[\r\n\0]/.test(value))
      problems.push({
        message: `The value of ${key} for ${who.replace('The', 'the')} contains a line break`,
        hint: 'Check the environment variable that it comes from.',
      });
  }
  if (problems.length > 0) throw new ProblemError(problems);
  return headers;
}

/** The error for a visitor that local-needle.yaml does not name. */
export function unknownVisitor(settings: Settings, name: string): ProblemError {
  const known = Object.keys(settings.visitors);
  return new ProblemError([
    {
      message: `There is no visitor "${name}" in local-needle.yaml`,
      hint: known.length > 0 ? suggestion(name, known) : `Add one: visitors: { ${name}: { cookies: { … } } }`,
    },
  ]);
}
