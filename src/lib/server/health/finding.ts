import type { Suspicion } from '$core/formula/findings/findings';

/** What can be wrong with what stands in a table, beside what is calculated. */
type DataFindingKind =
  | 'required blank'
  | 'unused field'
  | 'broken rule'
  | 'same title'
  | 'set aside'
  | 'unused option'
  | 'link by text'
  | 'paused routine'
  | 'held routine';

/** Something that is wrong with records of a table, with how many and the first of them. */
export interface Finding {
  /** Names it by identities alone, so that it is the same after a rename. */
  readonly id: string;
  /** Whether it can be accepted for some of its records and stay for the others. */
  readonly byRecord: boolean;
  readonly kind: Suspicion['kind'] | 'cycle' | DataFindingKind;
  readonly table: string;
  readonly field: string;
  readonly label: string;
  readonly words: string;
  /** The part of the formula that the words are about. */
  readonly part: string | null;
  readonly count: number;
  /** The formula that says which records they are; null for cycles among records, which no formula says. */
  readonly filter: string | null;
  readonly records: readonly { readonly id: number; readonly title: string }[];
  /** Records that were accepted one by one and meet `filter` all the same. */
  readonly acceptedRecords?: number;
}
