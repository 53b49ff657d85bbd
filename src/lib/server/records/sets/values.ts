import { quoteIdentifier } from '$core/base/sql';
import { shownType } from '$core/formula/shownType';
import type { EnteredType } from '$core/fieldTypes/registry';
import { fieldOf, isSystem, tableOf } from '$core/model/model';
import type { Expression } from '$core/types/expression';
import type { Field, FieldType } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { FilledField } from '$core/types/recordChange';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf, tableSql } from '../../access/workspaceState';
import { join, raw, sql, type Sql } from '../../base/sql';
import { conversionSql } from '../../fieldTypes/conversion';
import { readSql, textSql } from '../../fieldTypes/registry';
import { columnType, toColumn, valueFromJsonSql, wireOf } from '../../sql/column';
import { columnOf, compiledOver, copiesTable, seenName, type SetWork } from './chosen';

/** The SQL of one field's value over the source record `r`. */
export interface FilledValue {
  readonly field: Field;
  readonly value: Sql;
  /** What stood there in words, where it may not fit; blank where it was blank. */
  readonly text: Sql | null;
  readonly reason: string;
}

export interface FilledValues {
  readonly values: readonly FilledValue[];
  /** Behind `from … r`; they never multiply or drop its rows. */
  readonly joins: Sql;
}

/** The type of what a formula gives, as a field would have it. */
const typeOfFormula = (access: WorkspaceAccess, formula: Expression): FieldType =>
  shownType(access.workspace.model, {
    type: { kind: 'formula', formula, result: formula.type },
  } as Field);

/** The formula of a source, where it has one. */
const formulaOf = ({ from }: FilledField): Expression | null =>
  from.is === 'formula' ? from.formula : from.is === 'copy' ? from.of : null;

/**
 * Where the values of fields come from, as SQL. `owner` has the fields, `source` the records that stand as `r`; they are
 * one where records are filled from themselves.
 */
export function filledValues(
  { access, batch }: SetWork,
  owner: Table,
  source: Table,
  filled: readonly FilledField[],
  many: boolean,
): FilledValues {
  const formulas = filled.flatMap((one) => formulaOf(one) ?? []);
  const compiled = compiledOver(access, source, formulas, many);
  const joins: Sql[] = [raw(compiled.joins)];
  const values = filled.map((one, at): FilledValue => {
    const formula = formulaOf(one);
    const given = formula ? (compiled.values[formulas.indexOf(formula)] ?? 'null') : 'null';
    return valueSql(access, batch, owner, source, one, given, joins, `_m${at}`);
  });
  return { values, joins: join(joins, ' ') };
}

function valueSql(
  access: WorkspaceAccess,
  batch: number,
  owner: Table,
  source: Table,
  filled: FilledField,
  given: string,
  joins: Sql[],
  alias: string,
): FilledValue {
  const { field } = fieldOf(access.workspace.model, filled.field);
  const exact = (value: Sql): FilledValue => ({ field, value, text: null, reason: '' });
  const { from } = filled;
  const own = raw(columnOf('r', field.key));
  switch (from.is) {
    case 'record':
      return exact(raw('r._id'));
    case 'copy': {
      const of = raw(from.of ? given : 'r._id');
      joins.push(
        sql`left join ${copiesTable(from.copies)} ${raw(alias)} on ${raw(alias)}._source = ${of} and ${raw(alias)}._refused is null`,
      );
      return exact(raw(`${alias}._target`));
    }
    case 'taken': {
      joins.push(
        sql`left join (
          select p.record, o.value
          from unnest(${from.from.map(([record]) => record)}::bigint[], ${from.from.map(([, other]) => other)}::bigint[])
            p(record, other)
          join ${standingOrGone(access, owner, field, batch)} o on o._id = p.other
        ) ${raw(alias)} on ${raw(alias)}.record = r._id`,
      );
      return exact(sql`case when ${raw(alias)}.record is not null then ${raw(alias)}.value else ${own} end`);
    }
    case 'joined': {
      joins.push(
        sql`left join (
          select p.record, array_agg(distinct v.option collate "C" order by v.option collate "C") as options
          from unnest(${from.with.map(([record]) => record)}::bigint[], ${from.with.map(([, other]) => other)}::bigint[])
            p(record, other)
          join ${standingOrGone(access, owner, field, batch)} o on o._id = p.other or o._id = p.record
          cross join lateral unnest(o.value) v(option)
          group by p.record
        ) ${raw(alias)} on ${raw(alias)}.record = r._id`,
      );
      return exact(sql`coalesce(${raw(alias)}.options, ${own})`);
    }
    case 'given': {
      const { type, cast } = wireOf(field);
      joins.push(
        sql`left join (
          select u.record, u.value${raw(cast)} as value
          from unnest(
            ${from.values.map(([record]) => record)}::bigint[],
            ${from.values.map(([, value]) => toColumn(field, value))}::${raw(type)}[]
          ) u(record, value)
        ) ${raw(alias)} on ${raw(alias)}.record = r._id`,
      );
      return exact(sql`case when ${raw(alias)}.record is not null then ${raw(alias)}.value else ${own} end`);
    }
    case 'replaced': {
      const pairs = Object.entries(from.texts);
      const text = `loom.trimmed(${textSql(own.sql, shownType(access.workspace.model, field), homeOf(access.workspace, owner).zone)})`;
      joins.push(
        sql`left join (
          select * from unnest(${pairs.map(([old]) => old)}::text[], ${pairs.map(([, now]) => now)}::text[]) u(old, now)
        ) ${raw(alias)} on ${raw(alias)}.old = ${raw(text)}`,
      );
      const read = readSql(`${alias}.now`, field.type as EnteredType);
      return {
        field,
        value: sql`case when ${raw(alias)}.old is not null then ${raw(read)} else ${own} end`,
        text: raw(`${alias}.now`),
        reason: `does not fit “${field.label}”`,
      };
    }
    case 'formula':
      return field.type.kind === 'link'
        ? linkSql(access, source, filled, field, from.formula, given, joins, alias)
        : convertedSql(access, source, filled, field, from.formula, given);
  }
}

/** A field's values on records that stand, and on those that the same batch deleted. */
const standingOrGone = (access: WorkspaceAccess, owner: Table, field: Field, batch: number): Sql => sql`(
  select t._id, ${raw(columnOf('t', field.key))} as value from ${tableSql(access.workspace, owner)} t
  union all
  select h.first_id, ${raw(valueFromJsonSql(field, `h.before -> '${field.id}'`))}
  from loom.history h
  where h.batch = ${batch} and h.table_id = ${owner.id} and h.kind = 'deleted'
)`;

/** A value of any type as one of the field's. */
function convertedSql(
  access: WorkspaceAccess,
  source: Table,
  { options }: FilledField,
  field: Field,
  formula: Expression,
  given: string,
): FilledValue {
  const type = columnType(field);
  if (formula.type.is === 'blank') return { field, value: raw(`null::${type}`), text: null, reason: '' };
  // What the system keeps goes along as it is.
  if (isSystem(field)) return { field, value: raw(`(${given})::${type}`), text: null, reason: '' };
  const { zone } = homeOf(access.workspace, source);
  const from = typeOfFormula(access, formula);
  const value = conversionSql(
    `(${given})`,
    from as EnteredType,
    field.type as EnteredType,
    { decimal: '.', dateOrder: 'ymd', zone },
    options ?? {},
  );
  return {
    field,
    value: raw(`(${value})::${type}`),
    text: raw(textSql(`(${given})`, from, zone)),
    reason: `does not fit “${field.label}”`,
  };
}

/** The record that a link is to name: the very one, or that whose field says the same as a text. */
function linkSql(
  access: WorkspaceAccess,
  source: Table,
  { match: id }: FilledField,
  field: Field,
  formula: Expression,
  given: string,
  joins: Sql[],
  alias: string,
): FilledValue {
  const { model } = access.workspace;
  if (formula.type.is === 'blank') return { field, value: raw('null::bigint'), text: null, reason: '' };
  if (formula.type.is === 'record') return { field, value: raw(`(${given})::bigint`), text: null, reason: '' };
  const target = tableOf(model, field.type.kind === 'link' ? field.type.to : '');
  const match = fieldOf(model, id ?? '').field;
  const text = `loom.trimmed(${textSql(`(${given})`, typeOfFormula(access, formula), homeOf(access.workspace, source).zone)})`;
  const said = `loom.trimmed(${textSql(columnOf('x', match.key), shownType(model, match), homeOf(access.workspace, target).zone)})`;
  // As written, else in any letter case; what two records say is nobody's.
  for (const [word, name] of [
    [said, `${alias}e`],
    [`lower(${said})`, `${alias}l`],
  ] as const)
    joins.push(
      raw(`
        left join (
          select ${word} as word, min(x._id) as id
          from ${seenName(access, target)} x
          where ${columnOf('x', match.key)} is not null
          group by 1
          having count(*) = 1
        ) ${name} on ${name}.word = ${name.endsWith('l') ? `lower(${text})` : text}
      `),
    );
  return {
    field,
    value: raw(`coalesce(${alias}e.id, ${alias}l.id)`),
    text: raw(text),
    reason: `no record of ${target.label} says this`,
  };
}

/** The texts of a source that no record of a link's target says, each once, in their order. */
export const missingTargets = (source: string, joins: Sql, where: Sql, { value, text }: FilledValue): Sql => sql`
  select distinct ${text ?? raw('null::text')} as word
  from ${raw(source)} r ${joins}
  where ${where} and ${text ?? raw('null')} is not null and ${value} is null
  order by 1
`;

/** The column of a field, quoted. */
export const quoted = (field: Pick<Field, 'key'>): string => quoteIdentifier(field.key);
