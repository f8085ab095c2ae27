import { closest, distance } from 'fastest-levenshtein';

/** The name among `known` that `name` was probably meant to be: at most two typing errors away (one for short names, three for long ones), else null. */
export function nearest(name: string, known: readonly string[]): string | null {
  if (known.length === 0) return null;
  const best = closest(
    name.toLowerCase(),
    known.map((each) => each.toLowerCase()),
  );
  const found = known.find((each) => each.toLowerCase() === best);
  return found !== undefined && distance(name.toLowerCase(), best) <= (name.length < 5 ? 1 : name.length < 12 ? 2 : 3)
    ? found
    : null;
}

/** Maximum number of names listed where none is near; the rest is counted. */
const mostListed = 12;

/** `Did you mean "x"?`, or the list of what there is when nothing is near. */
export function suggestion(name: string, known: readonly string[]): string {
  const near = nearest(name, known);
  if (near !== null) return `Did you mean ${near}?`;
  const more = known.length > mostListed ? ` and ${known.length - mostListed} more` : '';
  return `Known here: ${known.slice(0, mostListed).join(', ')}${more}.`;
}
