import type { Person } from '../../access/models';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { StoredValues } from '../edits';

/** A new record as it was made in an edit that is begun again: the number it had, and those of its fields. */
export interface Drawn {
  readonly id: number;
  readonly values: StoredValues;
}

/**
 * Thrown inside a transaction where a routine is to add words to a list, which changes the structure: they are added
 * first, by the routine's keeper, and the edit is begun again.
 */
export class NeedsOptions extends Error {
  /**
   * The records that each part of the edit had made: begun again it gives them the same numbers, which nobody else can
   * have drawn. A word may be such a number.
   */
  drawn: readonly { readonly table: Table['id']; readonly records: readonly Drawn[] }[] = [];

  constructor(
    readonly table: Table,
    readonly field: Field,
    readonly words: readonly string[],
    readonly keeper: Person,
  ) {
    super('words are to join a list first');
  }
}
