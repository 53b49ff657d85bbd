import { wholeNumber } from '../base/numbers';
import type { TypeOf } from '$core/types/field';
import { numberSql } from './number';
import { numberCell, numberWhere } from './numbers';
import type { StoredKind } from './kind';

const within = (value: string, { most }: TypeOf<'rating'>): string =>
  numberWhere(value, `v.n = trunc(v.n) and v.n between 1 and ${Number(most)}`);

declare module './kind' {
  interface TypeJson {
    readonly most?: number;
  }
}

export const rating: StoredKind<'rating'> = {
  textSql: (value) => `trim_scale(${value})::text`,
  cellSql: (column) => `trim_scale(${column})::text`,
  cell: numberCell,
  readSql: (text, type, reading, raw) => {
    const number = numberSql(text, 0, reading, raw);
    return within(`case when ${text} ~ '^★+$' then char_length(${text})::numeric else ${number} end`, type);
  },
  within,
  members: { most: wholeNumber.description('the steps of a rating') },
  fromJson: ({ most }) => ({ most: most ?? 5 }),
};
