import { numberWhere } from './numbers';
import { percent, shareCell, shareText } from './percent';
import type { StoredKind } from './kind';

const within = (value: string): string => numberWhere(value, 'v.n between 0 and 1');

export const progress: StoredKind<'progress'> = {
  textSql: shareText,
  cellSql: shareText,
  cell: shareCell,
  workbookFormat: () => '0%',
  readSql: (text, _, reading, raw) => within(percent.readSql(text, { kind: 'percent', digits: null }, reading, raw)),
  within,
};
