import { fieldOf, findTable, isEntered, isSystem, linkedTable, typeAs, valueTypeOf } from '../model/model';
import type { Field } from '../types/field';
import type { TableId } from '../types/identity';
import { allParts } from '../parts/parts';
import type { Model, Table } from '../types/model';
import type { AnyPart, PartOwner } from '../types/part';

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

/** Conditions and forms name the words of a list: one that lacks some of them is another list. */
function hasWordsOf({ type }: Field, { type: other }: Field): boolean {
  if (!('options' in type)) return true;
  return 'options' in other && type.options.every(({ id }) => other.options.some((option) => option.id === id));
}

/** Whether what is read and written of one field can be read and written of the other. */
const standsFor = (field: Field, other: Field): boolean =>
  isSystem(field) || isSystem(other)
    ? field.type.kind === other.type.kind
    : field.type.kind !== 'counterpart' &&
      other.type.kind !== 'counterpart' &&
      (field.type.kind === 'link') === (other.type.kind === 'link') &&
      valueTypeOf(field).is === valueTypeOf(other).is &&
      hasWordsOf(field, other) &&
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

/**
 * The identities of everything in a model by its name, so that two versions of it can be held beside each other. What a
 * part has within it, a block of a page or a record that a step gives, goes by its place among these.
 */
export function namesIn(model: Model): ReadonlyMap<string, string> {
  const names = new Map<string, string>();
  const parts: (readonly [name: string, part: AnyPart])[] = [];
  const ofParts = (owner: PartOwner, within: string): void => {
    for (const { kind, part } of allParts(owner)) parts.push([`${kind} ${within}${part.label}`, part]);
  };
  for (const table of model.tables) {
    const own = table.pairs ? `pairs ${table.key}` : table.key;
    names.set(`table ${own}`, table.id);
    for (const { key, id } of table.fields) names.set(`field ${own}.${key}`, id);
    for (const { message, id } of table.rules ?? []) names.set(`rule ${own}.${message}`, id);
    ofParts(table, `${own}.`);
  }
  ofParts(model, '');
  for (const [name, { id }] of parts) names.set(name, id);
  const known = new Set(names.values());
  for (const [name, part] of parts) {
    const within = [...new Set(JSON.stringify(part).match(identity))].filter((id) => !known.has(id));
    for (const [at, id] of within.entries()) names.set(`${name} #${at + 1}`, id);
  }
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
