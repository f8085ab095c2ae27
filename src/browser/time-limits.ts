import pTimeout from 'p-timeout';

/** Waits until a page is loaded; rejects with the reason where it takes longer. */
export const loadedWithin = <T>(ms: number, loading: Promise<T>): Promise<T> =>
  pTimeout(loading, { milliseconds: ms, message: `it did not load within ${ms / 1000} s` });

/** Waits for what a page was asked; rejects with the reason where its scripts keep it from answering for longer. */
export const answeredWithin = <T>(ms: number, asked: Promise<T>): Promise<T> =>
  pTimeout(asked, { milliseconds: ms, message: `it did not answer within ${ms / 1000} s` });
