import { findField, tableOf } from '$core/model/model';
import { tableSql } from '../../../access/workspaceState';
import { identifier, sql } from '../../../base/sql';
import { prepared, statementEpoch } from '../../../sql/statement';
import { mostNoted, noEdits, sampleOf, type StepRunner } from '../working';

export const names: StepRunner<'names'> = async ({ client, access, frame, values, settled, write, note }, step) => {
  const { model } = access.workspace;
  const table = tableOf(model, step.table);
  const [field, link] = [findField(model, step.field)?.field, findField(model, step.link)?.field];
  if (!field || !link) return frame;
  const texts = await values([step.text]);
  await settled();
  const ids = [...texts.keys()];
  // The records are held, so that two who tick the same at once make one record for each word.
  await prepared(
    client,
    sql`
      select 1 from ${tableSql(access.workspace, frame.scope.table)} where _id = any(${ids}::bigint[])
      order by _id for no key update
    `,
    statementEpoch(access.workspace),
  );
  const { rows } = await prepared(
    client,
    sql`
      select t.${identifier(link.key)} as owner, lower(btrim(t.${identifier(field.key)})) as word
      from ${tableSql(access.workspace, table)} t where t.${identifier(link.key)} = any(${ids}::bigint[])
    `,
    statementEpoch(access.workspace),
  );
  const known = new Set(rows.map(({ owner, word }) => `${String(owner)} ${String(word)}`));
  const insert = [...texts].flatMap(([id, [text]]) =>
    String(text ?? '')
      .split(step.separator)
      .map((word) => word.trim())
      .filter((word) => {
        const key = `${id} ${word.toLowerCase()}`;
        if (word === '' || known.has(key)) return false;
        known.add(key);
        return true;
      })
      .map((word) => ({
        values: new Map<string, string | number>([
          [field.id, word],
          [link.id, id],
        ]),
      })),
  );
  const [made = []] = insert.length > 0 ? await write([{ ...noEdits, table, insert }]) : [];
  note(insert.slice(0, mostNoted).map(({ values }, at) => sampleOf(access, table, made[at] ?? null, values)));
  return frame;
};
