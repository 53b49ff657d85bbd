import type { StoredKind } from './kind';

export const url: StoredKind<'url'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  workbookWidth: 32,
  readSql: (text) =>
    `case when char_length(${text}) > 2000 then null` +
    ` when ${text} ~* '^https?://[^ \\t\\n\\r\\f\\v/?#@]+\\.?[^ \\t\\n\\r\\f\\v@/?#]*(?:[/?#][^ \\t\\n\\r\\f\\v]*)?$' then ${text}` +
    ` when ${text} ~ '^[A-Za-z0-9-]+(?:\\.[A-Za-z0-9-]+)+(?::[0-9]{1,5})?(?:[/?#][^ \\t\\n\\r\\f\\v]*)?$' then 'https://' || ${text} end`,
};
