import type { StoredKind } from './kind';

/** Files are no text that could be read. */
const stored: StoredKind<'files'> & StoredKind<'pictures'> = {
  textSql: (value) => `loom.files_text(${value})`,
  readSql: () => 'null::jsonb',
};

export const files: StoredKind<'files'> = stored;
export const pictures: StoredKind<'pictures'> = stored;
