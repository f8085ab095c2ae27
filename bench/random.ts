/** Draws from lists, the same with the same seed. */
export function drawsOf(seed: number): { random: () => number; pick: <T>(list: readonly T[]) => T | undefined } {
  let state = seed;
  const random = () => (state = (state * 1103515245 + 12345) & 0x7fffffff) / 0x7fffffff;
  return { random, pick: (list) => list[Math.floor(random() * list.length)] };
}
