import type { FieldId } from '$core/types/identity';
import { findField, isNumbered, isStored, tableOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { ruleStatement } from '../../records/rules';
import { columnDefault } from '../../fieldTypes/registry';
import { columnType, sequenceName } from '../../sql/column';
import { placesOf, type DdlContext, type Places } from './places';

export const uniqueName = (field: Field) => quoteIdentifier(`${field.id}_unique`);
const linkName = (field: Field) => quoteIdentifier(`${field.id}_link`);
const linkIndexName = (field: Field) => quoteIdentifier(`${field.id}_index`);

/** The key of a table. It is named by identity, as tables that change their names keep those of their indexes. */
export const primaryKey = (table: Table, context: Pick<DdlContext, 'schemaOf'>): string =>
  `
    alter table ${quoteIdentifier(context.schemaOf(table))}.${quoteIdentifier(table.key)} add constraint ${quoteIdentifier(`${table.id}_pkey`)} primary key (_id)
  `;

/** All other indexes and constraints of a table. */
export function rulesOfTable(table: Table, context: Pick<DdlContext, 'homeOf' | 'schemaOf'>, model: Model): string[] {
  const places = placesOf(context);
  return [
    ...table.fields.flatMap(({ id }) => rulesOf(id, places, model)),
    ...(table.rules ?? []).flatMap((rule) => ruleStatement(model, table, rule, places.named)),
  ];
}

export function defaultClause(field: Field, table: Table, { homeSchemaOf, zoneOf }: Places): string {
  const value = columnDefault(field, homeSchemaOf(table), zoneOf(table));
  return value === null ? '' : ` default ${value}`;
}

export const sequenceOf = (field: Field, table: Table, { inSchema }: Places): string[] =>
  isNumbered(field) ? [`create sequence if not exists ${inSchema(table, sequenceName(field))}`] : [];

/** Records that stand already get running numbers in their order, but nobody made them today. */
export function newColumn(field: Field, table: Table, places: Places): string[] {
  const add = `alter table ${places.named(table)} add column ${quoteIdentifier(field.key)} ${columnType(field)}`;
  const value = columnDefault(field, places.homeSchemaOf(table), places.zoneOf(table));
  if (value === null) return [add];
  if (isNumbered(field)) return [`${add} default ${value}`];
  return [
    add,
    `
    alter table ${places.named(table)} alter column ${quoteIdentifier(field.key)} set default ${value}
  `,
  ];
}

/** Numbers go on behind the greatest that stands. */
export function followOn(field: Field, table: Table, { named, inSchema }: Pick<Places, 'named' | 'inSchema'>): string {
  const sequence = quoteText(inSchema(table, sequenceName(field)));
  const last = `regexp_replace(${quoteIdentifier(field.key)}, '^.*?([0-9]+)[^0-9]*$', '\\1')`;
  const number = `nullif(regexp_replace(${last}, '[^0-9]', '', 'g'), '')::numeric`;
  return `select setval(${sequence}, greatest(1, coalesce(max(${number}), 0))::bigint) from ${named(table)}`;
}

/** The index by which records are found that link to one. */
export const linkIndex = (field: Field, table: string): string =>
  `create index if not exists ${linkIndexName(field)} on ${table} (${quoteIdentifier(field.key)})`;

/** Indexes and constraints of a new column. */
export function rulesOf(id: FieldId, { named }: Places, model: Model): string[] {
  const found = findField(model, id);
  if (!found || !isStored(found.field)) return [];
  const { field, table } = found;
  const column = quoteIdentifier(field.key);
  const alter = `alter table ${named(table)}`;
  const rules: string[] = [];
  if (field.unique) rules.push(`${alter} add constraint ${uniqueName(field)} unique (${column})`);
  if (field.required === true) rules.push(`${alter} alter column ${column} set not null`);
  if (field.type.kind === 'link') {
    const target = tableOf(model, field.type.to);
    rules.push(
      // What is unique has an index by that.
      ...(field.unique ? [] : [linkIndex(field, named(table))]),
      `${alter} add constraint ${linkName(field)} foreign key (${column}) references ${named(target)} (_id) deferrable initially immediate`,
    );
  }
  if (field.type.kind === 'member')
    rules.push(`${alter} add constraint ${linkName(field)} foreign key (${column}) references loom.people (id)`);
  return rules;
}

/** What a column is held to from now on that it was not held to before. */
export function addedRules(old: Field, id: FieldId, { named }: Places, model: Model): string[] {
  const found = findField(model, id);
  if (!found) return [];
  const { field, table } = found;
  const alter = `alter table ${named(table)}`;
  const column = quoteIdentifier(field.key);
  return [
    ...(old.required !== true && field.required === true ? [`${alter} alter column ${column} set not null`] : []),
    ...(!old.unique && field.unique ? [`${alter} add constraint ${uniqueName(field)} unique (${column})`] : []),
  ];
}

export function withoutRules(field: Field, table: Table, { named, inTableSchema }: Places): string[] {
  const alter = `alter table ${named(table)}`;
  const column = quoteIdentifier(field.key);
  return [
    ...(field.required === true ? [`${alter} alter column ${column} drop not null`] : []),
    ...(field.unique ? [`${alter} drop constraint if exists ${uniqueName(field)}`] : []),
    ...(field.type.kind === 'link' || field.type.kind === 'member'
      ? [`${alter} drop constraint if exists ${linkName(field)}`]
      : []),
    ...(field.type.kind === 'link' ? [`drop index if exists ${inTableSchema(table, `${field.id}_index`)}`] : []),
  ];
}
