import { pathTo } from '$core/filled/path';
import type { Expression } from '$core/types/expression';
import { fieldOf, linkedTable, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { isSamePath } from '$core/query/query';
import type { SortPart, TotalKind } from '$core/types/view';
import type { Measure } from '$core/types/summary';
import type { Lying } from '$core/summaries/periods';
import { measureKinds, measureType } from '$core/summaries/asked';
import { valueJson } from '$core/fieldTypes/registry';
import { quoteText } from '$core/base/sql';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import { statementEpoch, prepared, type Row } from '../sql/statement';
import { fromColumn } from '../sql/column';
import { orderSql, Selection } from './selection';
import { raw, sql } from '../base/sql';

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
  /** The same of the stretch that the period is held against. */
  readonly against?: Totals;
}

export interface GroupedTotals extends Totals {
  readonly against?: Totals;
  /** In the order of the records, each group before those inside it. */
  readonly groups: readonly Group[];
  /** There are more groups than are given. */
  readonly cut: boolean;
}

/** More groups than anybody looks through; who needs more narrows the filter or takes a coarser step. */
const mostGroupRows = 5000;

/** The total of a field, as grids ask for it. */
export const totalOf = (field: Field, kind: TotalKind): Measure => ({
  label: '',
  total: kind,
  of: pathTo(field),
  where: null,
});

export interface AskedTotals {
  readonly filter: Expression | null;
  readonly groups: readonly SortPart[];
  readonly totals: readonly Measure[];
  /** Only records whose day lies in a stretch, or in the one it is held against. */
  readonly period?: { readonly field: SortPart; readonly lying: Lying } | null;
  /** By the groups themselves, or by the first total. */
  readonly order?: 'group' | 'most' | 'least';
}

/**
 * How one total is worked out: in one step over records, or in two, first of each smallest group and then of these.
 * What is worked out in two steps costs one pass over the records, however many levels are asked for.
 */
interface TotalSql {
  /** Over records, by column. */
  readonly partial: readonly string[];
  /** Over smallest groups, whose partials are called as given; `all` gathers those of several, or takes that of one. */
  readonly final: (
    partials: readonly string[],
    all: (partial: string, how?: 'sum' | 'min' | 'max') => string,
  ) => string;
  /** Over records at once. */
  readonly direct: string;
  readonly inSteps: boolean;
}

function totalSql({ total, of }: Measure, value: string, condition: string): TotalSql {
  const only = condition === '' ? '' : ` filter (where ${condition})`;
  const steps = (direct: string, how: 'sum' | 'min' | 'max'): TotalSql => ({
    partial: [direct],
    final: ([one = 'null'], all) => all(one, how),
    direct,
    inSteps: true,
  });
  const whole = (direct: string): TotalSql => ({ partial: [], final: () => 'null', direct, inSteps: false });
  switch (total) {
    case 'count':
      return steps(`count(*)${only}`, 'sum');
    case 'filled':
      return steps(`count(${value})${only}`, 'sum');
    case 'blank':
      return steps(`count(*) filter (where ${condition === '' ? '' : `(${condition}) and `}${value} is null)`, 'sum');
    case 'sum':
      return steps(`sum(${value})${only}`, 'sum');
    case 'min':
    case 'max':
      return steps(`${total}(${value})${only}`, total);
    case 'avg':
      return of?.type.is === 'number'
        ? {
            partial: [`sum(${value})${only}`, `count(${value})${only}`],
            final: ([sum = 'null', count = 'null'], all) => `${all(sum)} / nullif(${all(count)}, 0)`,
            direct: `avg(${value})${only}`,
            inSteps: true,
          }
        : whole(`avg(${value})${only}`);
    case 'share':
      return {
        partial: [`count(*)${only}`],
        final: ([one = 'null'], all) => `${all(one)}::numeric / nullif(${all('n')}, 0)`,
        direct: `count(*)${only}::numeric / nullif(count(*), 0)`,
        inSteps: true,
      };
    case 'distinct':
      return whole(`count(distinct ${value})${only}`);
  }
}

/** Counts and totals of the records a filter leaves: of all, and of each group of them at every level. */
export async function readTotals(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  asked: AskedTotals,
): Promise<GroupedTotals> {
  const { groups, totals } = asked;
  const read = (row: Row | undefined): Totals => ({
    count: Number(row?.n ?? 0),
    totals: totals.map((measure, index) => totalOut(access, measure, row?.[`a${index}`])),
  });
  const spread = groups.findIndex(({ by }) => by === 'each');
  // A record under each of its values is in several groups, but once in all, and above that field.
  if (spread < 0) {
    const all = await readLevels(groups);
    return { ...all.whole, groups: all.groups.slice(0, mostGroupRows), cut: all.groups.length > mostGroupRows };
  }
  const [all, found] = [await readLevels(groups.slice(0, spread)), await readLevels(groups)];
  const once = new Map(all.groups.map((group) => [JSON.stringify(group.values), group]));
  return {
    ...all.whole,
    groups: found.groups.slice(0, mostGroupRows).map((group) => once.get(JSON.stringify(group.values)) ?? group),
    cut: found.groups.length > mostGroupRows,
  };

  async function readLevels(
    parts: readonly SortPart[],
  ): Promise<{ whole: Omit<GroupedTotals, 'groups' | 'cut'>; groups: Group[] }> {
    const { rows } = await prepared(
      connection,
      sql`${raw(statementOf(access, table, asked, parts))}`,
      statementEpoch(access.workspace),
    );
    let whole: Omit<GroupedTotals, 'groups' | 'cut'> = read(undefined);
    const byKey = new Map<string, Group>();
    for (const row of rows) {
      const level = parts.filter((_, index) => Number(row[`l${index}`]) === 0).length;
      const mine = read(row);
      const isAgainst = Number(row.p ?? 0) === 1;
      if (level === 0) {
        whole = isAgainst ? { ...whole, against: mine } : { ...whole, ...mine };
        continue;
      }
      const values = parts
        .slice(0, level)
        .map((part, index) => groupValue(access, part, row[`k${index}`], row[`t${index}`]));
      const key = JSON.stringify(values);
      const known = byKey.get(key);
      const group = known ?? { level, values, ...read(undefined) };
      byKey.set(key, isAgainst ? { ...group, against: mine } : { ...group, ...mine });
    }
    return { whole, groups: [...byKey.values()] };
  }
}

/** One statement for all levels: each smallest group first, then what these come to. */
function statementOf(access: WorkspaceAccess, table: Table, asked: AskedTotals, parts: readonly SortPart[]): string {
  const { filter, totals, period = null, order = 'group' } = asked;
  const selection = new Selection(access, table);
  const against = period?.lying.against ?? null;
  const date = (day: string) => `${quoteText(day)}::date`;
  const day = period ? selection.dayOf(period.field) : '';
  const isNow = period ? `${day} >= ${date(period.lying.from)}` : '';
  const moved = (shown: string) =>
    `(${shown} + case when ${isNow} then interval '0' else interval ${quoteText(period?.lying.shift ?? '0')} end)`;
  const keys = parts.map((part) =>
    selection.key(part, against && period && isSamePath(part, period.field) ? moved : undefined),
  );
  const shown = parts.map((part, index) => selection.keyShown(part, `m.k${index}`, `w${index}`));
  const formulas = totals.flatMap(({ of, where }) => [of, where]).filter((one): one is Expression => one !== null);
  const compiled = [...selection.conditions(filter ? [...formulas, filter] : formulas, 'raw')];
  const taken = (one: Expression | null) => (one ? (compiled.shift() ?? 'null') : '');
  const over = totals.map(({ of, where }) => ({ value: taken(of), condition: taken(where) }));
  const inside = (one: { from: string; until: string }) =>
    `(${day} >= ${date(one.from)} and ${day} < ${date(one.until)})`;
  const where = [
    ...(filter ? [taken(filter)] : []),
    ...(period ? [[period.lying, ...(against ? [against] : [])].map(inside).join(' or ')] : []),
  ];
  const inSteps = totals.every((measure, index) => totalSql(measure, over[index]?.value ?? '', '').inSteps);
  const names = [...(against ? ['p'] : []), ...keys.map((_, index) => `k${index}`)];
  const columns = [
    ...(against ? [`case when ${isNow} then 0 else 1 end as p`] : []),
    ...keys.map((key, index) => `${key} as k${index}`),
  ];
  /** Of one smallest group. */
  const singly: string[] = [];
  const worked = totals.map((measure, index) => {
    const { value = '', condition = '' } = over[index] ?? {};
    if (!inSteps) {
      columns.push(
        ...(value === '' ? [] : [`${value} as v${index}`]),
        ...(condition === '' ? [] : [`${condition} as c${index}`]),
      );
      return totalSql(measure, `v${index}`, condition === '' ? '' : `c${index}`).direct;
    }
    const { partial, final } = totalSql(measure, value, condition);
    columns.push(...partial.map((one, at) => `${one} as a${index}_${at}`));
    const partials = partial.map((_, at) => `a${index}_${at}`);
    singly.push(final(partials, (one) => one));
    return final(partials, (one, how = 'sum') => `${how}(${one})`);
  });
  const sets = [[], ...keys.map((_, index) => names.slice(0, names.length - keys.length + index + 1))].map(
    (set, level) => `(${(level === 0 && against ? ['p'] : set).join(', ')})`,
  );
  // The smallest groups are there already; only what they come to is gathered from them.
  const isSplit = inSteps && keys.length > 0;
  const last = names.at(-1);
  const list = (columns: readonly string[], levels: readonly string[], n: string, all: readonly string[]): string =>
    [
      ...columns.map((column, index) => `${column} as ${names[index] ?? ''}`),
      ...levels.map((level, index) => `${level} as l${index}`),
      `${n} as n`,
      ...all.map((one, index) => `${one} as a${index}`),
    ].join(', ');
  // A group comes before those inside it, which have a value where it has none.
  const orders = shown.flatMap(({ orders: all }, index) => [
    `m.l${index} desc`,
    ...(index === 0 && order !== 'group' ? [`m.first ${order === 'most' ? 'desc' : 'asc'} nulls last`] : []),
    ...all.map(orderSql),
  ]);
  return `
    with g as (
      select ${[...columns, ...(inSteps ? ['count(*) as n'] : [])].join(', ') || '1'}
      from ${selection.from}${where.length > 0 ? ` where ${where.map((one) => `(${one})`).join(' and ')}` : ''}
      ${inSteps && names.length > 0 ? `group by ${names.map((_, index) => index + 1).join(', ')}` : ''}
    ), s as (
      ${
        isSplit
          ? `select ${list(
              names,
              keys.map(() => '0'),
              'n',
              singly,
            )} from g union all`
          : ''
      }
      select ${list(
        isSplit ? names.map((name) => (name === last ? 'null' : name)) : names,
        keys.map((_, index) => (isSplit && `k${index}` === last ? '1' : `grouping(k${index})`)),
        inSteps ? 'sum(n)' : 'count(*)',
        worked,
      )}
      from g group by grouping sets (${(isSplit ? sets.slice(0, -1) : sets).join(', ')})
    ), m as (
      select s.*${
        order !== 'group' && keys.length > 0
          ? `, max(case when ${[...(against ? ['p = 0'] : []), ...(keys.length > 1 ? ['l1 = 1'] : []), 'true'].join(' and ')} then a0 end) over (partition by l0, k0) as first`
          : ''
      } from s
    )
    select m.*${shown.map(({ title }, index) => (title === null ? '' : `, ${title} as t${index}`)).join('')}
    from m ${shown.map(({ join }) => join).join(' ')}
    ${orders.length > 0 ? `order by ${orders.join(', ')}` : ''}
    limit ${(mostGroupRows + 1) * (against ? 2 : 1) + 2}
  `;
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
  if (typeof by === 'number') return Number(raw);
  if (by !== undefined) return raw;
  return valueJson(shownType(model, field), fromColumn(valueTypeOf(field), raw), title);
}

function totalOut({ workspace }: WorkspaceAccess, measure: Measure, raw: unknown): unknown {
  if (measureKinds[measure.total].counts) return Number(raw ?? 0);
  const is = measure.total === 'share' ? 'number' : (measure.of?.type.is ?? 'number');
  return valueJson(
    measureType(workspace.model, measure),
    fromColumn({ is } as ReturnType<typeof valueTypeOf>, raw ?? null),
    null,
  );
}
