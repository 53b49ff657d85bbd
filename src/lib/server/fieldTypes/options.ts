import { labelsSql } from '$core/formula/compiler';
import { quoteText } from '$core/base/sql';
import { listFromJson, listMembers, optionIdsSql } from './option';
import type { StoredKind } from './kind';

const textArray = (words: readonly string[]) => `array[${words.map(quoteText).join(', ')}]::text[]`;

export const options: StoredKind<'options'> = {
  unfitSql: (column, type) => `not ${column} <@ ${optionIdsSql(type)}`,
  textSql: (value, { options: list }) => (list.length === 0 ? 'null::text' : labelsSql(value, list)),
  readSql: (text, { options: list }) =>
    `loom.read_options(${text}, ${textArray(list.map(({ id }) => id))}, ${textArray(list.map(({ label }) => label))})`,
  members: listMembers,
  fromJson: listFromJson,
};
