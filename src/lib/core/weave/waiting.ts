import type { Weave, WeaveRow, WeaveTable } from './weave';

/** A change that waits, as far as Weave can draw it: a new table, or a new field of one that stands. */
export interface WaitingChange {
  readonly do: string;
  readonly label?: unknown;
  readonly table?: unknown;
  readonly field?: unknown;
  readonly fields?: unknown;
}

/** Names what is not made yet. */
export const waitingId = (label: string): string => `waiting:${label}`;
export const isWaiting = (id: string): boolean => id.startsWith('waiting:');

const labelOf = (field: unknown): string =>
  typeof field === 'object' && field !== null && 'label' in field ? String(field.label) : '';
const rowOf = (table: string, field: unknown): WeaveRow => ({
  id: waitingId(`${table}.${labelOf(field)}`),
  label: labelOf(field),
  kind: 'plain',
  waiting: true,
});

/**
 * Weave with what waits to be made: new tables as boxes of their own, new fields as rows behind those of their table.
 */
export function withWaiting(weave: Weave, changes: readonly WaitingChange[]): Weave {
  const tables = [...weave.tables];
  for (const change of changes) {
    if (change.do === 'addTable' && typeof change.label === 'string') {
      const { label } = change;
      const fields: readonly unknown[] = Array.isArray(change.fields) ? change.fields : [];
      const made: WeaveTable = {
        id: waitingId(label),
        key: '',
        label,
        dye: 'slate',
        home: null,
        rows: fields.map((field) => rowOf(label, field)),
        more: 0,
      };
      tables.push({ ...made, waiting: true });
    } else if (change.do === 'addField') {
      const at = tables.findIndex(({ id, key, label }) => [id, key, label].includes(String(change.table)));
      const table = tables[at];
      if (table) tables[at] = { ...table, rows: [...table.rows, rowOf(table.id, change.field)] };
    }
  }
  return tables.length === weave.tables.length && tables.every((table, index) => table === weave.tables[index])
    ? weave
    : { ...weave, tables };
}
