import { scopeBehind } from '$core/routines/scope';
import { findField, tableOf } from '$core/model/model';
import type { Scalar } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { StepOf } from '$core/types/routine';
import { tableSql } from '../../../access/workspaceState';
import { identifier, join, raw, sql } from '../../../base/sql';
import { namesLock } from '../../../database/locks';
import { prepared, statementEpoch } from '../../../sql/statement';
import { toColumn, wireOf } from '../../../sql/column';
import type { StoredValues } from '../../edits';
import { giving, mostNoted, noEdits, requireFitting, sampleOf, type StepRunner, type Working } from '../working';

export const find: StepRunner<'find'> = async (working, step) => {
  const { access, frame, filled, later, write, note } = working;
  const { model } = access.workspace;
  const table = tableOf(model, step.table);
  const { records, misfits } = await filled(table, [...step.by, ...step.fields]);
  requireFitting(misfits);
  const keys = step.by.flatMap(({ field }) => findField(model, field)?.field ?? []);
  const found = await matches(working, table, keys, records, step);
  const of = new Map<number, Scalar>(found);
  if (step.make) {
    // Records that look for the same share the one that is made.
    const missing = new Map<string, (typeof records)[number]>();
    for (const one of records)
      // A blank finds nothing, and what would have one would be found by nobody: it is not made.
      if (!found.has(one.id) && keys.every(({ id }) => one.values.get(id) != null)) {
        const key = keyOf(keys, one.values);
        if (!missing.has(key)) missing.set(key, one);
      }
    const insert = [...missing.values()].map(({ values }) => ({ values }));
    const [made = []] = insert.length > 0 ? await write([{ ...noEdits, table, insert }]) : [];
    const byKey = new Map([...missing.keys()].map((key, at) => [key, made[at] ?? null] as const));
    for (const { id, values } of records) if (!of.has(id)) of.set(id, byKey.get(keyOf(keys, values)) ?? null);
    note(insert.slice(0, mostNoted).map(({ values }, at) => sampleOf(access, table, made[at] ?? null, values)));
  }
  const link = step.link === null ? undefined : findField(model, step.link);
  if (link) {
    const update = records.flatMap(({ id }) => {
      const target = of.get(id) ?? null;
      return target === null ? [] : [{ id, values: new Map([[link.field.id, target]]) }];
    });
    later(link.table, update);
    note(update.slice(0, mostNoted).map(({ id, values }) => sampleOf(access, link.table, id, values)));
  }
  return giving(frame, scopeBehind(model, frame.scope, step), step.result.id, of);
};

const keyOf = (keys: readonly Field[], values: StoredValues): string =>
  JSON.stringify(keys.map(({ id }) => values.get(id) ?? null));

/**
 * The first record that has the same values, for each that looks for one. What is not there and is about to be made is
 * locked by its name, so that two who look for the same wait for each other, and the second finds what the first made.
 */
async function matches(
  { client, access, found: ahead, settled }: Working,
  table: Table,
  keys: readonly Field[],
  records: readonly { readonly id: number; readonly values: StoredValues }[],
  step: StepOf<'find'>,
): Promise<ReadonlyMap<number, number>> {
  const look = async () => {
    const columns = keys.map((field) => {
      const { type } = wireOf(field);
      return sql`${records.map(({ values }) => toColumn(field, values.get(field.id) ?? null))}::${raw(type)}[]`;
    });
    const names = keys.map((_, at) => raw(`k${at}`));
    const same = keys.map((field, at) => sql`t.${identifier(field.key)} = ${raw(`g.k${at}${wireOf(field).cast}`)}`);
    const { rows } = await prepared(
      client,
      sql`
        select g.id, f._id as found
        from unnest(${join([sql`${records.map(({ id }) => id)}::bigint[]`, ...columns])}) g(${join([raw('id'), ...names])})
        cross join lateral (
          select t._id from ${tableSql(access.workspace, table)} t where ${join(same, ' and ')} order by t._id limit 1
        ) f
      `,
      statementEpoch(access.workspace),
    );
    return new Map(rows.map(({ id, found }) => [Number(id), Number(found)]));
  };
  const known = ahead(step);
  if (known === null) await settled();
  const found = known ?? (records.length > 0 ? await look() : new Map<number, number>());
  if (!step.make || records.every(({ id }) => found.has(id))) return found;
  await settled();
  const words = records.flatMap(({ id, values }) => (found.has(id) ? [] : [`${table.id} ${keyOf(keys, values)}`]));
  await client.query(sql`
    select pg_advisory_xact_lock(${namesLock}, h)
    from (select distinct hashtext(w) as h from unnest(${words}::text[]) w order by 1) d
  `);
  return look();
}
