import type { StoredKind } from './kind';

export const personText = (value: string): string => `loom.person_name(${value})`;

export const member: StoredKind<'member'> = {
  unfitSql: () => null,
  textSql: personText,
  cellSql: (_column, _type, title) => title,
  readSql: (text) => `loom.find_person(${text})`,
};
