import { seesWhole } from '$core/access/rights';
import { findField } from '$core/model/model';
import { privateToOthers, seesEverything } from '$core/parts/visible';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import { sql } from '../base/sql';

const unseen = 'a change of something that you may not see';

/** Whether all records of a table are seen, so that what a step says of any of them may be told. */
export const seesRecordsOf = ({ sight, cuts }: WorkspaceAccess, table: string): boolean =>
  sight.tables.some(({ id }) => id === table) && !cuts?.of.has(table);

/**
 * Steps with their titles as far as the person may read them: their own, and those of others that name no field or table
 * hidden from them and touched no records but such as they see.
 */
export async function seenTitles<
  T extends { readonly title: string } & ({ readonly id: number } | { readonly batch: number }),
>(connection: Pool | Client, access: WorkspaceAccess, steps: readonly T[]): Promise<T[]> {
  if (steps.length === 0) return [];
  const isWhole = seesEverything(access.sights.own) && !access.cuts;
  const viewer = typeof access.sights.viewer === 'number' ? access.sights.viewer : null;
  const numberOf = (step: T): number => ('batch' in step ? step.batch : step.id);
  const [hidden, { rows }] = [
    isWhole ? [] : await hiddenNames(connection, access),
    await connection.query<{ batch: number; own: boolean; private: boolean; tables: string[] }>(
      sql`
        select b.id as batch, b.person is not distinct from ${access.person.id}::int as own,
          b.private_to is not null and b.private_to is distinct from ${viewer}::int as private,
          case when ${isWhole} then '{}'::text[]
            else array(select distinct h.table_id from loom.history h where h.batch = b.id) end as tables
        from loom.batches b
        where b.id = any(${steps.map(numberOf)})
      `,
    ),
  ];
  const told = new Set(
    rows
      .filter(
        (one) => !one.private && (one.own || isWhole || one.tables.every((table) => seesRecordsOf(access, table))),
      )
      .map(({ batch }) => batch),
  );
  return steps.map((step) =>
    told.has(numberOf(step)) && !hidden.some((name) => step.title.includes(name)) ? step : { ...step, title: unseen },
  );
}

/** The labels of tables and fields that are hidden from the person, those in the bin included. */
async function hiddenNames(connection: Pool | Client, { whole, sight, sights }: WorkspaceAccess): Promise<string[]> {
  // Steps with private tables are known by what they concern.
  const isPrivate = privateToOthers(whole.model, sights);
  const own = whole.model.tables.filter(({ id, home }) => home === undefined && !isPrivate.has(id));
  const standing = [
    ...own.filter(({ id, pairs }) => !pairs && !sight.tables.some((table) => table.id === id)),
    ...own.flatMap(({ fields }) => fields).filter(({ id }) => !findField(sight, id)),
  ].map(({ label }) => label);
  // What is gone was seen by nobody who may not see all: nothing says any more whether they could.
  const gone = sights.own !== 'ends' && seesWhole(sights.own) ? '@.internal == true' : 'exists (@.label)';
  const { rows } = await connection.query<{ label: string }>(
    sql`
      select distinct l #>> '{}' as label
      from loom.batches b,
        jsonb_path_query(
          coalesce(b.changes, '[]') || coalesce(b.inverse, '[]'),
            ${`strict $.** ? (${gone}).label`}::jsonpath, silent => true
        ) l
      where b.workspace = ${whole.id} and b.changes is not null
    `,
  );
  const seen = new Set(sight.tables.flatMap((table) => [table.label, ...table.fields.map(({ label }) => label)]));
  return [...new Set([...standing, ...rows.map(({ label }) => label).filter((label) => !seen.has(label))])].filter(
    (label) => label.trim() !== '',
  );
}
