import { quoteIdentifier } from '$core/base/sql';

/**
 * The staged file's table: `_row` counts from 1, `_unreadable` says why a row cannot come in whatever is decided, `_refused`
 * why it did not in the latest load, `_target` the standing record it is for, `c0`, `c1`, … hold trimmed texts.
 */
export const stagedName = (staged: string): string => `loom_staging.${quoteIdentifier(staged)}`;
