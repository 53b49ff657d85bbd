import { bad, good } from '../problem';
import type { ValueKind } from './kind';

/** A link is held as the target's `_id`. Finding a target by its title needs the records, so it is the server's. */
export const link: ValueKind<'link'> = {
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
