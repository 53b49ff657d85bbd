import type { StoredKind } from './kind';

/** Files are no text that could be read. */
const stored: StoredKind<'files'> & StoredKind<'pictures'> = {
  textSql: (value) => `loom.files_text(${value})`,
  readSql: () => 'null::jsonb',
  // Of files themselves it is asked where they are kept: what they are is known there.
  unfitSql: (column) =>
    `(jsonb_typeof(${column}) <> 'array' or exists (
      select from jsonb_array_elements(case when jsonb_typeof(${column}) = 'array' then ${column} end) f
      where jsonb_typeof(f.value -> 'name') is distinct from 'string' or char_length(f.value ->> 'name') > 255
    ))`,
};

export const files: StoredKind<'files'> = stored;
export const pictures: StoredKind<'pictures'> = stored;
