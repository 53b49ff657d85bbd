import type { DeletionRule } from '../types/field';
import type { Expression } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import { bad, good } from '../base/problem';
import type { ValueKind } from './kind';

declare module '../types/field' {
  interface FieldTypes {
    /** A reference to one record of `to`; `counterpart` is the field of that table which shows the other side. */
    readonly link: {
      readonly to: TableId;
      readonly onDelete: DeletionRule;
      readonly counterpart: FieldId;
      /** Fields of the target that are shown beside its title when one chooses. */
      readonly shows?: readonly FieldId[];
      /** The candidates offered: a condition over this record; `place` 0 is the record edited, the candidate stands in the link itself. */
      readonly candidates?: Expression;
      /** The link of a feed's source: only the feed writes it (see core/flow/feeds.ts). */
      readonly fed?: true;
    };
  }
}

/** A link is held as the target's `_id`. Finding a target by its title needs the records, so it is the server's. */
export const link: ValueKind<'link'> = {
  word: 'link',
  valueType: ({ to }) => ({ is: 'record', table: to }),
  canBeUnique: true,
  looksLike: 'words',
  json: (value, _, title) => ({ id: value, title: title ?? `#${String(value)}` }),
  parse: (written) =>
    /^[1-9]\d{0,15}$/.test(written)
      ? good(Number(written))
      : bad(`“${written}” is no record's number.`, 'Choose the record from the list.'),
  take(value) {
    const id = typeof value === 'object' && value !== null && 'id' in value ? value.id : value;
    return typeof id === 'number' && Number.isSafeInteger(id) && id > 0
      ? good(id)
      : bad('This names no record.', 'Give its id, {"id": 7} or {"match": {"key": "value"}}.');
  },
  print: (value) => String(value),
  compare: (a, b) => Number(a) - Number(b),
  sample: () => null,
};
