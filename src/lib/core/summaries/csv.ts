import { defused } from '../base/defused';
import type { AskedData } from './data';
import { groupText, type Reading } from './chart/series';

/** What a block shows as a table: a head, and the rows of its smallest groups, as they are read. */
export interface ShownTable {
  readonly head: readonly string[];
  readonly rows: readonly { readonly cells: readonly string[]; readonly level: number; readonly at: number }[];
  readonly foot: readonly string[];
}

/** The rows of all levels or of the smallest groups alone, with what each is held against beside it. */
export function tableOf(data: AskedData, reading: Reading, levels: 'all' | 'smallest' = 'all'): ShownTable {
  const isHeld = data.period?.against != null;
  const measured = (row: { totals: readonly unknown[]; against?: { totals: readonly unknown[] } }) =>
    data.measures.flatMap(({ type }, index) => {
      const text = (value: unknown) => (value === null || value === undefined ? '' : reading.value(value, type));
      return [text(row.totals[index]), ...(isHeld ? [text(row.against?.totals[index])] : [])];
    });
  const deepest = data.groups.length;
  return {
    head: [
      ...data.groups.map(({ label }) => label),
      ...data.measures.flatMap(({ label }) =>
        isHeld ? [`${label}, ${data.periodWords}`, `${label}, ${data.againstWords}`] : [label],
      ),
    ],
    rows: data.rows
      .map((row, at) => ({ row, at }))
      .filter(({ row }) => levels === 'all' || row.level === deepest || row.others !== undefined)
      .map(({ row, at }) => ({
        level: row.level,
        at,
        cells: [
          ...data.groups.map((group, index) =>
            index >= row.level
              ? ''
              : row.others !== undefined && index === 0
                ? `${row.others} others`
                : groupText(row.values[index], group, reading),
          ),
          ...measured(row),
        ],
      })),
    foot: [...data.groups.map((_, index) => (index === 0 ? 'All' : '')), ...measured(data.whole)],
  };
}

/** A table as CSV (RFC 4180), of which no spreadsheet runs a cell. */
export const csvOf = ({ head, rows }: ShownTable): string =>
  [head, ...rows.map(({ cells }) => cells)]
    .map((line) => line.map((text) => quoted(defused(text))).join(','))
    .join('\r\n');

const quoted = (text: string): string => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
