import type { NoSettings } from '../types/field';
import type { Scalar } from '../types/expression';
import { bad, good } from '../base/problem';
import type { Reading, ValueKind } from './kind';
import { shorten } from './text';

/** The person a text names: by number, email or full name; null for nobody, and for a name that several have. */
function personNamed(written: string, people: Reading['people'] = []): number | null {
  const word = written.toLowerCase();
  const byEmail = people.filter(({ email }) => email.toLowerCase() === word);
  const found = byEmail.length > 0 ? byEmail : people.filter(({ name }) => name.toLowerCase() === word);
  return found.length === 1 ? (found[0]?.id ?? null) : null;
}

/** A person as programs get them. */
export const personJson = (value: Scalar, _: unknown, title: unknown): unknown => ({
  id: value,
  name: title ?? `#${String(value)}`,
});

declare module '../types/field' {
  interface FieldTypes {
    /** A person of the Directory. */
    readonly member: NoSettings;
  }
}

/**
 * A person is held as the Directory's number. Names and emails are found where the reading brings the Directory along.
 */
export const member: ValueKind<'member'> = {
  word: 'person',
  valueType: () => ({ is: 'member' }),
  canBeUnique: true,
  looksLike: 'words',
  json: personJson,
  parse(written, _, { people }) {
    const id = /^[1-9]\d{0,8}$/.test(written) ? Number(written) : personNamed(written, people);
    const known = id !== null && (people === undefined || people.some((person) => person.id === id));
    return known
      ? good(id)
      : bad(
          `“${shorten(written)}” is nobody of the Directory, or several people.`,
          'Choose the person, or write the email address.',
        );
  },
  take(value, type, reading) {
    const id = typeof value === 'object' && value !== null && 'id' in value ? value.id : value;
    if (typeof id === 'string') return member.parse(id.trim(), type, reading);
    return typeof id === 'number' && Number.isSafeInteger(id) && id > 0 && id < 2 ** 31
      ? member.parse(String(id), type, reading)
      : bad('This names no person.', 'Give an id, {"id": 7}, an email address or a full name.');
  },
  print: (value, _, { people }) => people?.find(({ id }) => id === value)?.name ?? String(value),
  compare: (a, b) => Number(a) - Number(b),
  sample: () => null,
};
