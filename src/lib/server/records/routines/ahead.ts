import { dependenciesOf } from '$core/flow/dependencies';
import { findField, isEntered, tableOf, typeAs, valueTypeOf } from '$core/model/model';
import { scopeBehind, type Scope } from '$core/routines/scope';
import { stepKinds } from '$core/routines/steps/registry';
import type { Expression, Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import type { FilledField } from '$core/types/recordChange';
import type { Routine, Step, StepOf } from '$core/types/routine';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { fromColumn } from '../../sql/column';
import { prepared, statementEpoch, type Row } from '../../sql/statement';
import { compiledOver } from '../sets/chosen';
import { filledValues, type FilledValue } from '../sets/values';
import { over, rowsSql, type FilledIn, type Frame, type Misfit } from './frame';

/** What a routine can read at its beginning, as nothing that it does before changes it. */
interface Wanted {
  readonly formulas: readonly Expression[];
  readonly filled: readonly { readonly owner: Table; readonly one: FilledField }[];
  readonly finds: readonly StepOf<'find'>[];
}

/** The fields that a step fills in, and of which table. */
function fillingOf(model: Model, scope: Scope, step: Step): { owner: Table; fields: readonly FilledField[] } | null {
  switch (step.do) {
    case 'set': {
      const link = step.of === null ? undefined : findField(scope.model, step.of)?.field;
      return { owner: tableOf(model, link ? typeAs(link, 'link').to : scope.table.id), fields: step.fields };
    }
    case 'make':
      return { owner: tableOf(model, step.table), fields: step.fields };
    case 'find':
      return { owner: tableOf(model, step.table), fields: [...step.by, ...step.fields] };
    default:
      return null;
  }
}

const wanted = new WeakMap<Model, WeakMap<Routine, Wanted>>();

/**
 * What can be read ahead: formulas over entered fields of the record itself that no step before writes. Once records
 * were made, or records are left out, nothing more is.
 */
function wantedOf(model: Model, first: Scope, routine: Routine): Wanted {
  const ofModel = wanted.get(model) ?? new WeakMap<Routine, Wanted>();
  wanted.set(model, ofModel);
  const known = ofModel.get(routine);
  if (known) return known;
  const table = tableOf(model, first.table.id);
  const asked = new Set(first.given.map(({ id }) => id));
  const written = new Set<FieldId>();
  const changed = new Set<Table>();
  const isOwn = (formula: Expression): boolean => {
    const { on, missing } = dependenciesOf(first.model, formula);
    return (
      missing === undefined &&
      on.every(({ path, field: id }) => {
        const field = table.fields.find((one) => one.id === id);
        return path.length === 0 && !written.has(id) && (asked.has(id) || (field !== undefined && isEntered(field)));
      })
    );
  };
  const canFill = ({ from, match }: FilledField) => match === undefined && from.is === 'formula' && isOwn(from.formula);
  const formulas = routine.where && isOwn(routine.where) ? [routine.where] : [];
  const filled: { owner: Table; one: FilledField }[] = [];
  const finds: StepOf<'find'>[] = [];
  let scope = first;
  for (const step of routine.steps) {
    const filling = fillingOf(model, scope, step);
    if (filling) {
      const { owner } = filling;
      for (const one of filling.fields) if (canFill(one)) filled.push({ owner, one });
      if (step.do === 'find' && step.by.every(canFill) && !changed.has(owner)) finds.push(step);
      changed.add(owner);
    } else if (step.do !== 'each') formulas.push(...stepKinds(step).formulas(step).filter(isOwn));
    for (const id of stepKinds(step).writes(step)) written.add(id);
    if (['make', 'each', 'names', 'stop'].includes(step.do)) break;
    scope = scopeBehind(model, scope, step);
  }
  const found = { formulas, filled, finds };
  ofModel.set(routine, found);
  return found;
}

/** What was read of the records of a routine before its first step. */
export class Ahead {
  constructor(
    private readonly rows: ReadonlyMap<number, Row>,
    /** By their column. */
    private readonly formulas: ReadonlyMap<Expression, string> = new Map(),
    private readonly fields: ReadonlyMap<FilledField, { readonly value: FilledValue; readonly at: number }> = new Map(),
    private readonly found: ReadonlyMap<StepOf<'find'>, string> = new Map(),
  ) {}

  /** What formulas gave for the records of a frame; null where one was not read for one of them. */
  values({ rows }: Frame, formulas: readonly Expression[]): ReadonlyMap<number, readonly Scalar[]> | null {
    const all = formulas.flatMap((formula) => {
      const column = this.formulas.get(formula);
      return column === undefined ? [] : [{ column, type: formula.type }];
    });
    if (all.length < formulas.length || !this.has(rows)) return null;
    return new Map(
      rows.map(({ id }) => {
        const row = this.rows.get(id);
        return [id, all.map(({ column, type }) => fromColumn(type, row?.[column]))];
      }),
    );
  }

  /** The same of fields that are filled in. */
  filled({ rows }: Frame, filled: readonly FilledField[]): FilledIn | null {
    const all = filled.flatMap((one) => this.fields.get(one) ?? []);
    if (all.length < filled.length || !this.has(rows)) return null;
    const misfits: Misfit[] = [];
    const records = rows.map(({ id }) => {
      const row = this.rows.get(id);
      const values = new Map<FieldId, Scalar>();
      for (const { value, at } of all) {
        const { field, reason } = value;
        const read = fromColumn(valueTypeOf(field), row?.[`v${at}`]);
        const text = value.text ? row?.[`t${at}`] : null;
        if (read === null && typeof text === 'string') misfits.push({ record: id, field, text, reason });
        values.set(field.id, read);
      }
      return { id, values };
    });
    return { records, misfits };
  }

  /** The records that a step finds, for those of a frame that have one; null where they were not looked for. */
  finds(step: StepOf<'find'>): ReadonlyMap<number, number> | null {
    const column = this.found.get(step);
    if (column === undefined) return null;
    const found = new Map<number, number>();
    for (const [id, row] of this.rows) if (row[column] !== null) found.set(id, Number(row[column]));
    return found;
  }

  private has(rows: Frame['rows']): boolean {
    return rows.every(({ id }) => this.rows.has(id));
  }
}

/** Nothing was read. */
export const noneAhead = new Ahead(new Map());

/** Reads in one statement what a routine reads of its records before it changes anything. */
export async function readAhead(
  client: Client,
  access: WorkspaceAccess,
  frame: Frame,
  routine: Routine,
): Promise<Ahead> {
  const { model } = access.workspace;
  const { formulas, filled, finds } = wantedOf(model, frame.scope, routine);
  if (formulas.length + filled.length === 0) return noneAhead;
  const seen = over(access, frame.scope);
  const { table } = frame.scope;
  const compiled = compiledOver(seen, table, formulas, false);
  const values = filled.map(({ owner, one }): FilledValue => {
    const [value] = filledValues({ client, access: seen, batch: 0, step: 0 }, owner, table, [one], false).values;
    if (!value) throw new Error('a field has no value');
    return value;
  });
  const found = finds.map((step, at) => {
    const by = step.by.map((one) => filled.findIndex((other) => other.one === one));
    const same = by.map((index) => {
      const { field, value } = values[index] as FilledValue;
      return sql`t.${identifier(field.key)} = ${value}`;
    });
    return sql`left join lateral (
      select t._id from ${tableSql(access.workspace, tableOf(model, step.table))} t
      where ${join(same, ' and ')} order by t._id limit 1
    ) ${raw(`f${at}`)} on true`;
  });
  const columns: Sql[] = [
    raw('r._id as id'),
    ...compiled.values.map((value, at) => raw(`${value} as e${at}`)),
    ...values.flatMap(({ value, text }, at) => [
      sql`${value} as ${raw(`v${at}`)}`,
      ...(text ? [sql`${text} as ${raw(`t${at}`)}`] : []),
    ]),
    ...finds.map((_, at) => raw(`f${at}._id as f${at}`)),
  ];
  const { rows } = await prepared(
    client,
    sql`
      select ${join(columns)} from ${rowsSql(access, frame)} r ${raw(compiled.joins)}
      ${join([raw(''), ...found], ' ')}
    `,
    statementEpoch(access.workspace),
  );
  return new Ahead(
    new Map(rows.map((row) => [Number(row.id), row])),
    new Map(formulas.map((formula, at) => [formula, `e${at}`])),
    new Map(filled.map(({ one }, at) => [one, { value: values[at] as FilledValue, at }])),
    new Map(finds.map((step, at) => [step, `f${at}`])),
  );
}
