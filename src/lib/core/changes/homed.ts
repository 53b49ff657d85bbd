import type { Change } from '../types/change';

/** A change with the key of the workspace that makes it. */
export interface HomedChange {
  readonly home: string;
  readonly change: Change;
}
