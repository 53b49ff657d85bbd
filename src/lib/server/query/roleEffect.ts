import { rightsOver } from '$core/access/rights';
import { dependenciesOf } from '$core/flow/dependencies';
import { findField, findTable, isShown, ownTables } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Reach, Role } from '$core/types/role';
import { accessAs, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableName } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import { raw, sql } from '../base/sql';

/** What a role lets somebody see and do in one table. */
export interface TableEffect {
  readonly table: string;
  readonly label: string;
  /** Counted no further than `mostCounted`. */
  readonly records: number;
  readonly seen: number;
  readonly enter: 'none' | 'some' | 'all';
  readonly change: 'none' | 'some' | 'all';
  readonly delete: 'none' | 'some' | 'all';
  /** Fields that are not seen, and those that are seen and not entered, by label. */
  readonly hidden: readonly string[];
  readonly still: readonly string[];
  /** Calculated fields that are seen and read what is not: their values tell something of it. */
  readonly carries: readonly { readonly field: string; readonly from: readonly string[] }[];
}

/** Beyond it a count says little more and takes its time. */
const mostCounted = 100_000;

/** What a role would let a person see and do, table by table, as far as whoever asks sees the tables themselves. */
export async function effectOf(
  pool: Pool,
  access: WorkspaceAccess,
  role: Role,
  person: number,
): Promise<TableEffect[]> {
  const as = accessAs(access, role, role, person, role.label);
  const found: TableEffect[] = [];
  for (const table of ownTables(access.sight)) found.push(await tableEffect(pool, access, as, role, table));
  return found;
}

async function tableEffect(
  pool: Pool,
  { whole, sight, workspace }: WorkspaceAccess,
  as: WorkspaceAccess,
  role: Role,
  table: Table,
): Promise<TableEffect> {
  const rights = rightsOver(whole.model, role, table);
  const seen = findTable(as.sight, table.id);
  const count = async (from: string): Promise<number> => {
    const { rows } = await pool.query<{ n: number }>(
      sql`select count(*)::int as n from (select from ${raw(from)} r limit ${mostCounted}) s`,
    );
    return rows[0]?.n ?? 0;
  };
  const records = await count(tableName(workspace, table));
  const fields = table.fields.filter(isShown);
  const isHidden = (id: string) => !seen?.fields.some((field) => field.id === id);
  return {
    table: table.key,
    label: table.label,
    records,
    seen: seen ? await count(tableName(as.workspace, seen)) : 0,
    enter: extent(rights.enter),
    change: extent(rights.change),
    delete: extent(rights.delete),
    hidden: fields.filter(({ id }) => isHidden(id)).map(({ label }) => label),
    still: fields.filter(({ id }) => !isHidden(id) && rights.fields[id] === 'seen').map(({ label }) => label),
    carries: fields.flatMap((field) => {
      if (field.type.kind !== 'formula' || isHidden(field.id)) return [];
      const from = dependenciesOf(whole.model, field.type.formula).on.flatMap(({ field: id }) => {
        const on = findField(sight, id);
        return on && !findField(as.sight, id) ? [`${on.table.label}.${on.field.label}`] : [];
      });
      return from.length > 0 ? [{ field: field.label, from: [...new Set(from)] }] : [];
    }),
  };
}

const extent = (reach: Reach): 'none' | 'some' | 'all' => (typeof reach === 'object' ? 'some' : reach);
