import type { Problem } from '../problem';

/** How long a change holds others up: `instant` rewrites nothing, `seconds` rewrites a column, `long` a great many records. */
export type Duration = 'instant' | 'seconds' | 'long';

/** What one change of a plan would do to what is stored. */
export interface Effect {
  /** The change in words. */
  readonly change: string;
  /** Counted things, each with its unit, such as `240 records calculated`. */
  readonly counts: readonly { readonly what: string; readonly count: number }[];
  /** A few values before and after. */
  readonly samples: readonly { readonly record: string; readonly before: string; readonly after: string }[];
  /** Why the plan cannot be applied as it is. */
  readonly breaks: readonly Problem[];
  readonly duration: Duration;
}
