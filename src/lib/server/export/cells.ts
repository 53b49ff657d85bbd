import type { Expression } from '$core/types/expression';
import type { Table } from '$core/types/model';
import type { Field, FieldType } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { SortPart } from '$core/types/view';
import type { LinkedWith, RecordQuery } from '$core/query/query';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import { asOfNow } from '../database/transaction';
import type { Cell } from '../fieldTypes/kind';
import { numberCell } from '../fieldTypes/numbers';
import { storedKind } from '../fieldTypes/registry';
import { readThrough } from '../query/read';
import type { RecordOut } from '../query/recordJson';

const atOnce = 2000;

/** Whom a file is for: a person's spreadsheet, or a program. */
export type Audience = 'spreadsheet' | 'program';

/** What of a table is to be written out, in which order. */
export interface Selected {
  readonly table: Table;
  readonly fields: readonly Field[];
  readonly filter: Expression | null;
  readonly sort: readonly SortPart[];
  readonly of?: LinkedWith | null;
}

/** Links by title, several values with semicolons, the other side of a link as how many, shares with their sign. */
export const cellOf = (type: FieldType, value: unknown): Cell =>
  value === null || value === undefined ? { text: '' } : (storedKind(type).cell ?? numberCell)(value);

/** The records of a selection, some at a time, so that any size streams; all as of one moment. */
export function recordPages(
  connection: Pool | Client,
  access: WorkspaceAccess,
  { table, fields, filter, sort, of }: Selected,
): AsyncGenerator<RecordOut[], void> {
  const query: RecordQuery = { fields: fields.map(({ id }) => id), filter, sort, of, limit: 0, after: null };
  return asOfNow(connection, (client) => readThrough(client, access, table, query, atOnce));
}

export interface CellRow {
  readonly id: number;
  readonly cells: readonly Cell[];
  /** The values as programs get them, by key. */
  readonly values: Readonly<Record<string, unknown>>;
}

/** The records of a selection as rows of cells, some at a time, so that any size streams; all as of one moment. */
export async function* cellPages(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
): AsyncGenerator<CellRow[], void> {
  const { fields } = selected;
  const types = fields.map((field) => shownType(access.workspace.model, field));
  for await (const records of recordPages(connection, access, selected))
    yield records.map(({ id, values }) => ({
      id,
      values,
      cells: fields.map((field, index) => cellOf(types[index] as FieldType, values[field.key])),
    }));
}
