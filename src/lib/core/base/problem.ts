/** Where a problem stands: a JSON pointer into what was sent, or a range of characters in a formula. */
export type Place = string | { readonly from: number; readonly to: number };

/** Something a person can cause and fix. Faults of the program are exceptions instead. */
export interface Problem {
  readonly message: string;
  /** What to do about it, in one sentence. */
  readonly fix?: string;
  readonly at?: Place;
  /** What could stand at the place instead, the nearest first. */
  readonly instead?: readonly string[];
  /** The fields by which a formula would come from itself, by identity, so that one can go to each. */
  readonly path?: readonly string[];
}

export type Result<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly problem: Problem };

export const good = <T>(value: T): Result<T> => ({ ok: true, value });

export const bad = (
  message: string,
  fix?: string,
  at?: Place,
  path?: readonly string[],
): { ok: false; problem: Problem } => ({
  ok: false,
  problem: {
    message,
    ...(fix === undefined ? {} : { fix }),
    ...(at === undefined ? {} : { at }),
    ...(path === undefined ? {} : { path }),
  },
});
