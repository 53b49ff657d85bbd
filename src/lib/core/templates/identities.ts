import { fieldOf, findTable, isEntered, isSystem, linkedTable, typeAs, valueTypeOf } from '../model/model';
import type { Field } from '../types/field';
import type { FieldId, TableId } from '../types/identity';
import type { Model, Table } from '../types/model';

/** Identities of one model with those of another in their place. */
export type Identities = ReadonlyMap<string, string>;

const identity = /\b[a-z]_[0-9a-z]{10}\b/g;

/** A value with other identities in the place of its own, wherever they stand in it. */
export const withIdentities = <T>(value: T, identities: Identities): T =>
  identities.size === 0
    ? value
    : (JSON.parse(JSON.stringify(value).replace(identity, (id) => identities.get(id) ?? id)) as T);

/** Fields that go by the same name; `by`: of certain ones it was said which they are. */
function sameNamed(field: Field, among: readonly Field[], by?: Readonly<Record<string, string>>): Field | undefined {
  const said = by?.[field.key];
  if (said !== undefined) return among.find(({ key }) => key === said);
  return (
    among.find(({ key }) => key === field.key) ??
    among.find(({ label }) => label.toLowerCase() === field.label.toLowerCase())
  );
}

/** Whether what is read and written of one field can be read and written of the other. */
const standsFor = (field: Field, other: Field): boolean =>
  isSystem(field) || isSystem(other)
    ? field.type.kind === other.type.kind
    : field.type.kind !== 'counterpart' &&
      other.type.kind !== 'counterpart' &&
      (field.type.kind === 'link') === (other.type.kind === 'link') &&
      valueTypeOf(field).is === valueTypeOf(other).is &&
      (!isEntered(field) || isEntered(other));

/**
 * What of a model is the same as what stands in another, by the tables that are said to be: their fields, the links
 * between them with both sides, and the pairs of links to many. `by`: fields that are called otherwise, by their keys.
 */
export function sameAs(
  model: Model,
  standing: Model,
  tables: ReadonlyMap<TableId, TableId>,
  by: Readonly<Record<TableId, Readonly<Record<string, string>>>> = {},
): Identities {
  const same = new Map<string, string>(tables);
  const pairsOf = (one: Table, other: Table): void => {
    same.set(one.id, other.id);
    const links = (table: Table) => table.fields.filter(({ type }) => type.kind === 'link');
    for (const [at, link] of links(one).entries()) both(link, links(other)[at]);
  };
  const both = (link: Field, other: Field | undefined): void => {
    if (!other) return;
    same.set(link.id, other.id);
    same.set(typeAs(link, 'link').counterpart, typeAs(other, 'link').counterpart);
  };
  for (const [id, to] of tables) {
    const [table, other] = [findTable(model, id), findTable(standing, to)];
    if (!table || !other) continue;
    for (const field of table.fields) {
      const found = sameNamed(field, other.fields, by[id]);
      if (!found || same.has(field.id)) continue;
      if (standsFor(field, found)) {
        if (field.type.kind !== 'link') same.set(field.id, found.id);
        else if (same.get(field.type.to) === typeAs(found, 'link').to) both(field, found);
      } else if (isMany(field) && isMany(found)) {
        const [far, end] = [linkedTable(model, field)?.table, linkedTable(standing, found)?.table];
        if (!far || !end || same.get(far.id) !== end.id) continue;
        const [pairs, otherPairs] = [field, found].map((one, at) =>
          findTable(at === 0 ? model : standing, (one.type as { from: TableId }).from),
        );
        if (pairs && otherPairs && directionOf(model, field) === directionOf(standing, found))
          pairsOf(pairs, otherPairs);
      }
    }
  }
  return same;
}

const isMany = ({ type }: Field): boolean => type.kind === 'counterpart' && type.over !== undefined;

/** Whether a link to many begins at the first link of its pairs. */
function directionOf(model: Model, { type }: Field): boolean {
  if (type.kind !== 'counterpart') return false;
  const near: { readonly field: Field; readonly table: Table } = fieldOf(model, type.link);
  return near.table.fields.find((one) => one.type.kind === 'link')?.id === near.field.id;
}

/** How well a table of a template and one that stands agree: the share of its entered fields that are there. */
export function likeness(model: Model, table: Table, standing: Model, other: Table): number {
  const entered = table.fields.filter((field) => !isSystem(field) && field.type.kind !== 'counterpart');
  if (entered.length === 0) return 0;
  const found = entered.filter((field) => {
    const one = sameNamed(field, other.fields);
    return one !== undefined && standsFor(field, one);
  });
  const named = table.key === other.key || table.label.toLowerCase() === other.label.toLowerCase();
  return found.length / entered.length + (named ? 0.5 : 0);
}

/** The identities of everything in a model by its name, so that two versions of it can be held beside each other. */
export function namesIn(model: Model): ReadonlyMap<string, FieldId> {
  const names = new Map<string, string>();
  for (const table of model.tables) {
    const own = table.pairs ? `pairs ${table.key}` : table.key;
    names.set(`table ${own}`, table.id);
    for (const { key, id } of table.fields) names.set(`field ${own}.${key}`, id);
    for (const { message, id } of table.rules ?? []) names.set(`rule ${own}.${message}`, id);
    for (const [kind, parts] of Object.entries(table.parts ?? {}))
      for (const { label, id } of parts) names.set(`${kind} ${own}.${label}`, id);
  }
  for (const [kind, parts] of Object.entries(model.parts ?? {}))
    for (const { label, id } of parts) names.set(`${kind} ${label}`, id);
  return names;
}

/** A model whose things have the identities that the same things have in another: those of the same name. */
export function alignedTo(model: Model, other: ReadonlyMap<string, string>): Identities {
  const identities = new Map<string, string>();
  for (const [name, id] of namesIn(model)) {
    const known = other.get(name);
    if (known !== undefined && known !== id) identities.set(id, known);
  }
  return identities;
}
