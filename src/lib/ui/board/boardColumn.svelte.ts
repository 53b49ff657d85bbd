import type { BoardColumn } from './boardColumns';
import { RecordSet, type SetQuery } from '../records/recordSet.svelte';

/** The records of a view that stand in one column of its board. */
export function setOfColumn(
  workspace: string,
  table: string,
  query: SetQuery,
  column: BoardColumn,
  shape: string,
): RecordSet {
  const filter = [query.filter, column.condition].filter((part): part is string => Boolean(part));
  return new RecordSet(
    workspace,
    table,
    {
      ...query,
      filter: filter.length > 1 ? filter.map((part) => `(${part})`).join(' and ') : (filter[0] ?? ''),
      ...(column.of ? { of: column.of } : {}),
    },
    shape,
  );
}
