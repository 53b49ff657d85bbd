import { enteredKinds, fieldKinds } from '$core/fieldTypes/registry';
import type { ValueKind } from '$core/fieldTypes/kind';
import { bad, good } from '$core/base/problem';
import { storedKinds } from '$server/fieldTypes/registry';
import type { StoredKind } from '$server/fieldTypes/kind';
import type { FieldUi } from '$ui/fieldTypes/kind';
import { fieldUis } from '$ui/fieldTypes/registry';

/**
 * A kind of field that the product does not have: a letter from A to F. Its three descriptors are all that there is of
 * it, written for a kind of the same shape, as the types of the product know nothing of it.
 */
const letter = (written: unknown) =>
  typeof written === 'string' && /^[a-f]$/i.test(written.trim())
    ? good(written.trim().toUpperCase())
    : bad('This is no grade.', 'Write a letter from A to F.');

const grade: ValueKind<'email'> = {
  word: 'grade',
  valueType: () => ({ is: 'text' }),
  looksLike: 'own',
  family: 'textual',
  parse: letter,
  take: letter,
  print: (value) => String(value),
  text: (value) => `grade ${String(value)}`,
  compare: (a, b) => String(a).localeCompare(String(b)),
  sample: () => 'A',
};

const stored: StoredKind<'email'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  readSql: (text) => `case when ${text} ~* '^[a-f]$' then upper(${text}) end`,
};

const shown: FieldUi<'email'> = {
  group: 'Choices',
  input: { written: (written) => written.toUpperCase() },
  pasted: { grade: () => ({}), mark: () => ({ required: true }) },
};

Object.assign(fieldKinds, { grade });
(enteredKinds as unknown as string[]).push('grade');
Object.assign(storedKinds, { grade: stored });
Object.assign(fieldUis, { grade: shown });
