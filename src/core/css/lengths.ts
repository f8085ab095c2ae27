/** Absolute lengths in CSS pixels (CSS Values and Units 4, 6.2). */
export const absoluteLengths: Record<string, number> = {
  px: 1,
  in: 96,
  cm: 96 / 2.54,
  mm: 9.6 / 2.54,
  q: 2.4 / 2.54,
  pt: 4 / 3,
  pc: 16,
};
