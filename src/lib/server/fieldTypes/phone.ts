import type { StoredKind } from './kind';

export const phone: StoredKind<'phone'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  readSql(text) {
    const bare = `regexp_replace(regexp_replace(${text}, '^tel:', '', 'i'), ' +', ' ', 'g')`;
    const digits = `char_length(regexp_replace(${bare}, '[^0-9]', '', 'g'))`;
    return `case when ${bare} ~ '^\\+?[0-9 ()/.-]+$' and ${digits} between 3 and 15 then ${bare} end`;
  },
};
