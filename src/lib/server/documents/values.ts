import type { ReadScope, Scope } from '$core/documents/scope';
import { valueJson } from '$core/fieldTypes/registry';
import { shownFormula } from '$core/formula/shownType';
import { fieldOf, overOf, typeAs } from '$core/model/model';
import { groupedBy } from '$core/base/grouped';
import { quoteIdentifier } from '$core/base/sql';
import type { Expression } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { DocumentNode } from '$core/types/document';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { tableName } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import { raw, sql } from '../base/sql';
import type { Client } from '../database/pool';
import { orderSql, Selection } from '../query/selection';
import { fromColumn } from '../sql/column';
import type { Row } from '../sql/statement';

/** More lines than anybody reads on paper, of all records that are read at once. */
const mostLines = 20_000;

/** The records that links lead to from others, `id` from `root`, each once; the ids they begin with are `$1`. */
function linkedSql({ workspace }: WorkspaceAccess, over: readonly FieldId[]): string {
  const { model } = workspace;
  const joins: string[] = [];
  let at = 's.id';
  for (const [index, id] of over.entries()) {
    const { field, table } = fieldOf(model, id);
    const alias = `a${index}`;
    const column = (key: string) => `${alias}.${quoteIdentifier(key)}`;
    if (field.type.kind === 'link') {
      joins.push(`join ${tableName(workspace, table)} ${alias} on ${alias}._id = ${at}`);
      at = column(field.key);
      continue;
    }
    const near = fieldOf(model, typeAs(field, 'counterpart').link);
    joins.push(`join ${tableName(workspace, near.table)} ${alias} on ${column(near.field.key)} = ${at}`);
    const far = overOf(field);
    at = far === undefined ? `${alias}._id` : column(fieldOf(model, far).field.key);
  }
  return `select distinct s.id as root, ${at} as id from unnest($1::bigint[]) s(id) ${joins.join(' ')}`;
}

/** Reads what a scope asks of these records: one statement for its formulas, and two for each repetition. */
export async function readScope(
  client: Client,
  access: WorkspaceAccess,
  scope: Scope,
  ids: readonly number[],
): Promise<ReadScope> {
  const values = await readValues(client, access, scope, ids);
  const within = new Map<DocumentNode, { linked: Map<number, number[]>; read: ReadScope }>();
  for (const one of scope.repeated) {
    const linked = await readLinked(client, access, one, ids);
    const far = [...new Set([...linked.values()].flat())];
    within.set(one.node, { linked, read: await readScope(client, access, one.scope, far) });
  }
  return {
    value: (formula, id) => values.get(id)?.get(formula) ?? null,
    linked: (node, id) => within.get(node)?.linked.get(id) ?? [],
    within: (node) => within.get(node)?.read ?? nothingRead,
  };
}

const nothingRead: ReadScope = { value: () => null, linked: () => [], within: () => nothingRead };

async function readValues(
  client: Client,
  access: WorkspaceAccess,
  { table, formulas }: Scope,
  ids: readonly number[],
): Promise<Map<number, Map<Expression, unknown>>> {
  if (formulas.length === 0 || ids.length === 0) return new Map();
  const { model } = access.workspace;
  const selection = new Selection(access, table);
  const columns = selection
    .conditions(formulas, 'raw')
    .flatMap((column, index) => [
      `${column} as c${index}`,
      ...(formulas[index]?.type.is === 'member' ? [`loom.person_name(${column}) as t${index}`] : []),
    ]);
  const { rows } = await client.query<Row>(sql`
    select r._id, ${raw(columns.join(', '))} from ${raw(selection.from)} where r._id = any(${ids}::bigint[])
  `);
  const jsonOf = (row: Row) => (formula: Expression, index: number) =>
    [
      formula,
      valueJson(shownFormula(model, formula), fromColumn(formula.type, row[`c${index}`]), row[`t${index}`]),
    ] as const;
  return new Map(rows.map((row) => [Number(row._id), new Map(formulas.map(jsonOf(row)))]));
}

/** The records that each of these is repeated for, in their order. */
async function readLinked(
  client: Client,
  access: WorkspaceAccess,
  { over, where, sort, scope }: Scope['repeated'][number],
  ids: readonly number[],
): Promise<Map<number, number[]>> {
  const selection = new Selection(access, scope.table);
  const orders = [...sort.flatMap((part) => selection.order(part)), { sql: 'r._id', descending: false }];
  const [condition] = selection.conditions(where ? [where] : []);
  const { rows } = await client.query<{ root: number; id: number }>(
    `
      select p.root, r._id as id
      from ${selection.from} join (${linkedSql(access, over)}) p on p.id = r._id
      ${condition ? `where ${condition}` : ''}
      order by p.root, ${orders.map(orderSql).join(', ')}
      limit ${mostLines + 1}
    `,
    [ids],
  );
  if (rows.length > mostLines)
    throw refuse(
      422,
      `These documents repeat a part for more than ${mostLines.toLocaleString('en')} records of ${scope.table.label}.`,
      'Make fewer at once, or give the repeated part a condition.',
    );
  const byRoot = groupedBy(rows, ({ root }) => root);
  return new Map([...byRoot].map(([root, all]) => [root, all.map(({ id }) => id)]));
}
