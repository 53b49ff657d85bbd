import { counted } from '$core/base/counted';
import { findTable, fieldOf, tableOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { AddRule, RemoveRule } from '$core/types/change';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableName } from '../../access/workspaceState';
import { setBrokenAside } from '../../records/fixBeforeRule';
import { titleSql } from '../../query/selection';
import { brokenBy, ruleStatement, withoutRule } from '../../records/rules';
import { attempt, countOf, type Counted, type Counting } from './counting';
import { fixed, type StoredChange } from './descriptor';
import { none, placesOf } from './places';
import { raw, sql } from '../../base/sql';

export const addRule: StoredChange<AddRule> = {
  statements({ rule, table: owner }, context) {
    const { named } = placesOf(context);
    return {
      shape: [],
      rules: (model) => {
        const table = findTable(model, owner);
        return table?.rules?.some(({ id }) => id === rule.id) ? ruleStatement(model, table, rule, named) : [];
      },
    };
  },
  worksLong: ({ breaking }) => breaking === 'setAside',
  work: async (change, { client, access }) =>
    fixed(change.breaking === 'setAside' ? await setBrokenAside(client, access, change) : []),
  counts: addedRule,
};

export const removeRule: StoredChange<RemoveRule> = {
  statements(change, context) {
    const { named } = placesOf(context);
    const table = tableOf(context.before, change.table);
    const rule = table.rules?.find(({ id }) => id === change.rule);
    return { shape: rule ? withoutRule(context.before, table, rule, named) : [], rules: none };
  },
};

async function addedRule(change: AddRule, counting: Counting): Promise<Counted> {
  const { client, access, after, table } = counting;
  const { rule } = change;
  const now: WorkspaceAccess = { ...access, workspace: { ...access.workspace, model: after } };
  const name = tableName(access.workspace, table);
  if (rule.fromNow) return {};
  if (rule.kind === 'unique') {
    const columns = rule.fields.map((id) => quoteIdentifier(fieldOf(after, id).field.key));
    const repeated = `
      (
        select ${columns.join(', ')}, count(*) as n, min(_id) as first
        from ${name}
        where ${columns.map((one) => `${one} is not null`).join(' and ')}
        group by ${columns.join(', ')}
        having count(*) > 1
      )
    `;
    const count = await countOf(client, `select coalesce(sum(n - 1), 0)::bigint as n from ${repeated} d`);
    if (count === 0) return {};
    const { rows } = await client.query<{ id: number; title: string }>(
      sql`
        select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
        from ${raw(name)} r
        join ${raw(repeated)} d on ${raw(columns.map((one) => `d.${one} = r.${one}`).join(' and '))}
        where r._id <> d.first
        order by 1 limit 100
      `,
    );
    return {
      breaks: [
        {
          message: `${counted(count, 'record repeats', 'records repeat')} what another has in these fields.`,
          fix: 'Fix them first.',
        },
      ],
      broken: { count, records: rows },
    };
  }
  const { where, joins } = brokenBy(now, table, rule);
  const count = await attempt(
    client,
    () => countOf(client, `select count(*) as n from ${name} r ${joins} where ${where}`),
    0,
  );
  if (count === 0) return {};
  if (change.breaking === 'setAside' && change.clear !== undefined)
    return { counts: [{ what: `values of “${fieldOf(after, change.clear).field.label}” set aside`, count }] };
  const { rows } = await client.query<{ id: number; title: string }>(
    sql`
      select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
      from ${raw(name)} r ${raw(joins)}
      where ${raw(where)}
      order by 1 limit 100
    `,
  );
  return {
    breaks: [
      {
        message: `${counted(count, 'record breaks', 'records break')} the rule “${rule.message}”.`,
        fix: 'Fix them first, set their values aside, or let them be until they are changed.',
      },
    ],
    broken: { count, records: rows },
    ways: ['setAside', 'fromNow'],
  };
}
