import type { IntakeSheet, RowCondition } from './intake';

/** The rows of a sheet that are not brought in. */
export const rowsOut = ({ leftOut = [] }: Pick<IntakeSheet, 'leftOut'>) => leftOut.filter(({ takenIn }) => !takenIn);

/** The number of its last row: rows that are left out keep theirs. */
export const lastRow = (sheet: Pick<IntakeSheet, 'rows' | 'leftOut'>): number => sheet.rows + rowsOut(sheet).length;

/** The numbers of the rows that come in, as runs from one to another. */
export function runsOfRows(sheet: Pick<IntakeSheet, 'rows' | 'leftOut'>): (readonly [first: number, last: number])[] {
  const runs: (readonly [number, number])[] = [];
  let first = 1;
  for (const row of [...rowsOut(sheet).map((one) => one.row), lastRow(sheet) + 1].sort((a, b) => a - b)) {
    if (row > first) runs.push([first, row - 1]);
    first = row + 1;
  }
  return runs;
}

/** The tests of cells, as words between a column and a text. */
export const testWords: Readonly<Record<RowCondition['test'], string>> = {
  blank: 'is blank',
  filled: 'is filled',
  is: 'is',
  isNot: 'is not',
  contains: 'contains',
  begins: 'begins with',
  again: 'an earlier row says the same',
};

export const needsText = (test: RowCondition['test']): boolean => !['blank', 'filled', 'again'].includes(test);

export const conditionWords = (
  { columns }: Pick<IntakeSheet, 'columns'>,
  { column, test, text = '' }: RowCondition,
): string =>
  test === 'again'
    ? testWords.again
    : `${columns[column]?.name ?? ''} ${testWords[test]}${needsText(test) ? ` “${text}”` : ''}`;
