import type { Problem } from '../base/problem';

/**
 * How long a change holds others up: `instant` rewrites nothing, `seconds` rewrites a column, `long` a great many
 * records.
 */
export type Duration = 'instant' | 'seconds' | 'long';

/**
 * A way to go on where records break a new rule: set their values aside, let them be until they are changed, put a
 * value into the blanks.
 */
export type BreakingWay = 'setAside' | 'fromNow' | 'fill';

/** What one change of a plan would do to what is stored. */
export interface Effect {
  /** The change in words. */
  readonly change: string;
  /** Counted things, each with its unit, such as `240 records calculated`. */
  readonly counts: readonly { readonly what: string; readonly count: number }[];
  /** A few values before and after. */
  readonly samples: readonly { readonly record: string; readonly before: string; readonly after: string }[];
  /** What uses what is changed, and follows it: formulas, rules, defaults, candidate limits. */
  readonly dependents: readonly string[];
  /** Fields whose values will be seen through what is made, by people who may not see the fields. */
  readonly carries: readonly string[];
  /** Why the plan cannot be applied as it is. */
  readonly breaks: readonly Problem[];
  /** Ways to apply it nevertheless; the person chooses one, and the plan is made again. */
  readonly ways: readonly BreakingWay[];
  /** Records that break a new rule: how many, and the first of them. */
  readonly broken: {
    readonly count: number;
    readonly records: readonly { readonly id: number; readonly title: string }[];
  } | null;
  /** Texts that are no record's title, with the records that may be meant, for a person to confirm. */
  readonly nearMisses: readonly {
    readonly text: string;
    readonly count: number;
    readonly candidates: readonly { readonly id: number; readonly title: string }[];
  }[];
  readonly duration: Duration;
}
