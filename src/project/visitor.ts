import { suggestion } from '../core/nearest.js';
import { ProblemError, type Problem } from '../core/place.js';
import type { Settings } from './read-configuration.js';

/**
 * The request headers of a visitor, with `${NAME}` filled from the environment. Throws ProblemError if the visitor is
 * not known or a variable is not set. The values are secrets: they are used in requests only.
 */
export function visitorHeaders(
  settings: Settings,
  name: string,
  environment: Record<string, string | undefined>,
): Record<string, string> {
  const visitor = Object.hasOwn(settings.visitors, name) ? settings.visitors[name] : undefined;
  if (!visitor) throw unknownVisitor(settings, name);
  const problems: Problem[] = [];
  const filled = (value: string) =>
    String(value).replace(/\$\{(\w+)\}/g, (_whole, variable: string) => {
      const found = environment[variable];
      if (found === undefined)
        problems.push({
          message: `The visitor "${name}" needs the environment variable ${variable}, which is not set`,
          hint: `Set it first: ${variable}=… local-needle capture --visitor ${name}`,
        });
      return found ?? '';
    });
  const headers = Object.fromEntries(
    Object.entries(visitor.headers ?? {}).map(([key, value]) => [key.toLowerCase(), filled(value)]),
  );
  const cookies = Object.entries(visitor.cookies ?? {}).map(([key, value]) => `${key}=${filled(value)}`);
  if (cookies.length > 0) headers['cookie'] = cookies.join('; ');
  for (const [key, value] of Object.entries(headers)) {
    if (/[\r\n\0]/.test(value))
      problems.push({
        message: `The value of ${key} for the visitor "${name}" contains a line break`,
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
