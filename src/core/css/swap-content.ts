import cssesc from 'cssesc';

/**
 * The values of `content` by which a swapped picture shows before any script runs; browsers that do not know the words
 * after the slash (CSS Content 3, 2.1) take the first.
 */
export function swapContent(url: string, alt: string | null): string[] {
  const quoted = (text: string) => cssesc(text, { quotes: 'double', wrap: true });
  const image = `url(${quoted(url)})`;
  return [image, ...(alt === null ? [] : [`${image} / ${quoted(alt)}`])];
}
