import type { StoredKind } from './kind';

export const duration: StoredKind<'duration'> = {
  textSql: (value) => `loom.duration_text(${value})`,
  readSql: (text) => `loom.read_duration(${text})`,
};
