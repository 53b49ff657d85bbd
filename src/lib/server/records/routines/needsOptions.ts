import type { Person } from '../../access/models';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';

/**
 * Thrown inside a transaction where a routine is to add words to a list, which changes the structure: they are added
 * first, by the routine's keeper, and the edit is begun again.
 */
export class NeedsOptions extends Error {
  constructor(
    readonly table: Table,
    readonly field: Field,
    readonly words: readonly string[],
    readonly keeper: Person,
  ) {
    super('words are to join a list first');
  }
}
