import type { StoredKind } from './kind';

export const email: StoredKind<'email'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  workbookWidth: 28,
  readSql(text) {
    const bare = `regexp_replace(${text}, '^mailto:', '', 'i')`;
    const name = '[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?';
    const shape = `'^[A-Za-z0-9.!#$%&''*+/=?^_\`{|}~-]+@${name}(?:\\.${name})+$'`;
    return `case when char_length(${bare}) <= 254 and ${bare} ~ ${shape} then ${bare} end`;
  },
};
