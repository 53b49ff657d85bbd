import type { Expression } from '$core/types/expression';
import { fieldOf, linkedTable, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { SortPart, TotalKind } from '$core/types/view';
import { valueJson } from '$core/fieldTypes/registry';
import { quoteIdentifier } from '$core/base/sql';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import { statementEpoch, prepared, type Row } from '../sql/statement';
import { fromColumn } from '../sql/column';
import { orderSql, Selection, type OrderColumn } from './selection';
import { raw, sql } from '../base/sql';

export interface AskedTotal {
  readonly field: Field;
  readonly kind: TotalKind;
}

/** How many records there are, and their totals in the order they were asked for. */
interface Totals {
  readonly count: number;
  readonly totals: readonly unknown[];
}

/** Records with the same values in the first `level` fields that they are grouped by. */
interface Group extends Totals {
  readonly level: number;
  /** The values of those fields, as JSON. */
  readonly values: readonly unknown[];
}

export interface GroupedTotals extends Totals {
  /** In the order of the records, each group before those inside it. */
  readonly groups: readonly Group[];
  /** There are more groups than are given. */
  readonly cut: boolean;
}

/** More groups than anybody looks through; who needs more narrows the filter or takes a coarser step. */
const mostGroupRows = 5000;

const totalSql = ({ field, kind }: AskedTotal): string => {
  const column = `r.${quoteIdentifier(field.key)}`;
  switch (kind) {
    case 'filled':
      return `count(${column})`;
    case 'blank':
      return `count(*) - count(${column})`;
    case 'distinct':
      return `count(distinct ${column})`;
    default:
      return `${kind}(${column})`;
  }
};

/** Counts and totals of the records a filter leaves: of all, and of each group of them at every level. */
export async function readTotals(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  asked: {
    readonly filter: Expression | null;
    readonly groups: readonly SortPart[];
    readonly totals: readonly AskedTotal[];
  },
): Promise<GroupedTotals> {
  const { filter, groups, totals } = asked;
  const read = (row: Row | undefined): Totals => ({
    count: Number(row?.n ?? 0),
    totals: totals.map(({ field, kind }, index) => totalOut(access, field, kind, row?.[`a${index}`])),
  });
  const sums = totals.map((total, index) => `, ${totalSql(total)} as a${index}`).join('');
  const statement = (parts: readonly SortPart[]) => {
    const selection = new Selection(access, table);
    const orders = parts.map((part) => selection.order(part));
    const shared = parts.map((part) => selection.group(part));
    const where = filter ? ` where ${selection.conditions([filter]).join()}` : '';
    return { selection, orders, shared, where };
  };
  // A record under each of its values is in several groups, but once in all.
  const all = statement([]);
  const whole = await prepared(
    connection,
    sql`select count(*) as n${raw(sums)} from ${raw(all.selection.from)}${raw(all.where)}`,
    statementEpoch(access.workspace),
  );
  const found = groups.length === 0 ? [] : await readGroups(groups);
  // Above the field by whose several values records are grouped, each of them counts once.
  const spread = groups.findIndex(({ by }) => by === 'each');
  const once =
    spread > 0
      ? new Map((await readGroups(groups.slice(0, spread))).map((group) => [JSON.stringify(group.values), group]))
      : null;
  return {
    ...read(whole.rows[0]),
    groups: found.slice(0, mostGroupRows).map((group) => once?.get(JSON.stringify(group.values)) ?? group),
    cut: found.length > mostGroupRows,
  };

  async function readGroups(parts: readonly SortPart[]): Promise<Group[]> {
    const { selection, orders, shared, where } = statement(parts);
    const level = (index: number) => [
      ...new Set([
        ...(orders[index] ?? []).map(({ sql }) => sql),
        shared[index]?.value ?? '',
        ...(shared[index]?.title ? [shared[index].title] : []),
      ]),
    ];
    const sets = parts.map(
      (_, index) =>
        `(${parts
          .slice(0, index + 1)
          .flatMap((__, inner) => level(inner))
          .join(', ')})`,
    );
    const columns = shared.flatMap(({ value, title }, index) => [
      `${value} as k${index}`,
      ...(title ? [`${title} as t${index}`] : []),
      `grouping(${value}) as l${index}`,
    ]);
    // A group comes before those inside it, which have a value where it has none.
    const order = orders.flatMap((columns: OrderColumn[], index) => [
      ...(index > 0 ? [`grouping(${shared[index]?.value ?? ''}) desc`] : []),
      ...columns.map(orderSql),
    ]);
    const { rows } = await prepared(
      connection,
      sql`
        select ${raw(columns.join(', '))}, count(*) as n${raw(sums)}
        from ${raw(selection.from)}${raw(where)}
        group by grouping sets (${raw(sets.join(', '))})
        order by ${raw(order.join(', '))} limit ${mostGroupRows + 1}
      `,
      statementEpoch(access.workspace),
    );
    return rows.map((row) => {
      const depth = parts.filter((_, index) => Number(row[`l${index}`]) === 0).length;
      return {
        level: depth,
        values: parts
          .slice(0, depth)
          .map((part, index) => groupValue(access, part, row[`k${index}`], row[`t${index}`])),
        ...read(row),
      };
    });
  }
}

/**
 * What the records of a group have in common, as JSON: of several values the one they stand under, of days the first of
 * the stretch.
 */
function groupValue(access: WorkspaceAccess, { field: id, by }: SortPart, raw: unknown, title: unknown): unknown {
  const { model } = access.workspace;
  const { field } = fieldOf(model, id);
  if (raw === null || raw === undefined) return null;
  if (by === 'each') {
    if (linkedTable(model, field)) return { id: raw, title };
    const type = shownType(model, field);
    return type.kind === 'options' ? (type.options.find((option) => option.id === raw)?.label ?? raw) : raw;
  }
  if (by !== undefined) return raw;
  return valueJson(shownType(model, field), fromColumn(valueTypeOf(field), raw), title);
}

function totalOut(access: WorkspaceAccess, field: Field, kind: TotalKind, raw: unknown): unknown {
  if (kind === 'filled' || kind === 'blank' || kind === 'distinct') return Number(raw ?? 0);
  const { is } = valueTypeOf(field);
  return valueJson(
    shownType(access.workspace.model, field),
    fromColumn({ is } as ReturnType<typeof valueTypeOf>, raw),
    null,
  );
}
