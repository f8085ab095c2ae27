import levenshtein from 'damerau-levenshtein';

/** Typing errors between two names, in any letter case: characters more, fewer or other, and two neighbours swapped. */
export const errorsBetween = (a: string, b: string): number => levenshtein(a.toLowerCase(), b.toLowerCase()).steps;

/** How many typing errors a name of this length may have. */
export const mostErrors = ({ length }: string) => (length <= 4 ? 1 : length <= 8 ? 2 : 3);

/** The name among `known` that `name` was probably meant to be: as few typing errors away as its length allows, else null. */
export function nearest(name: string, known: readonly string[]): string | null {
  const most = mostErrors(name);
  let best: { name: string; errors: number } | null = null;
  for (const each of known) {
    if (Math.abs(each.length - name.length) > most) continue;
    const errors = errorsBetween(name, each);
    if (errors <= most && (!best || errors < best.errors)) best = { name: each, errors };
  }
  return best?.name ?? null;
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
