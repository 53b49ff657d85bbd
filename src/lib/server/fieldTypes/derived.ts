import type { SystemKind } from '$core/types/field';
import { instantFormat, instantText } from './dateTime';
import type { StoredFieldKind } from './kind';
import { personText } from './member';

const asText = (value: string): string => `${value}::text`;

/** Counted on the other side of a link; of a link to many its records are words that only the core writes. */
export const counterpart: StoredFieldKind<'counterpart'> = { textSql: asText };

export const formula: StoredFieldKind<'formula'> = { textSql: asText };

const instant: StoredFieldKind<SystemKind> = {
  textSql: instantText,
  columnDefault: () => `date_trunc('second', now())`,
  workbookFormat: () => instantFormat,
  exportedColumns: (name) => [`${name()} timestamptz default now()`],
};

const person: StoredFieldKind<SystemKind> = { textSql: personText, columnDefault: () => 'loom.person()' };

export const createdAt = instant;
export const changedAt = instant;
export const createdBy = person;
export const changedBy = person;
