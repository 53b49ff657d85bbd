import { readsAny } from '../flow/dependencies';
import { linkedTable } from '../model/model';
import { freeLabel } from '../model/names/naming';
import { freeKey } from '../base/key';
import { allParts, partKinds, partOf, printPart } from '../parts/parts';
import { goneWith, keeping } from '../parts/visible';
import type { Expression } from '../types/expression';
import type { Field } from '../types/field';
import type { FieldId, TableId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { partsOf, type AnyPart, type PartKind, type Parts } from '../types/part';

/** A link of a table that is taken to one that is not. */
export interface Outside {
  readonly table: Table;
  readonly field: Field;
  readonly to: Table;
}

/** The tables of a template as a model of their own, and what does not go along, in words. */
export interface Taken {
  readonly model: Model;
  /** Tables that only stand for others, which are chosen when the template is applied. */
  readonly placeholders: ReadonlySet<TableId>;
  readonly left: readonly string[];
}

/** Parts that do the wrong thing when half of them is gone: they go along whole, or not at all. */
const whole: ReadonlySet<PartKind> = new Set<PartKind>(['routine', 'feed', 'document']);

/** The tables between those that are taken: they hold the pairs of links to many. */
const pairsAmong = (model: Model, ids: ReadonlySet<TableId>): Table[] =>
  model.tables.filter(
    ({ pairs, fields }) => pairs && fields.every(({ type }) => type.kind !== 'link' || ids.has(type.to)),
  );

/** The links that lead out of a set of tables. */
export function linksOutside(model: Model, ids: ReadonlySet<TableId>): Outside[] {
  return model.tables
    .filter(({ id, pairs }) => ids.has(id) && !pairs)
    .flatMap((table) =>
      table.fields.flatMap((field) => {
        const to = linkedTable(model, field)?.table;
        // The other side of a link belongs to the table that has the link.
        const isOwn =
          field.type.kind === 'link' || (field.type.kind === 'counterpart' && field.type.over !== undefined);
        return to && isOwn && !to.pairs && !ids.has(to.id) ? [{ table, field, to }] : [];
      }),
    );
}

/**
 * Tables with all that belongs to them, as a model of their own. `placeholders`: tables that are not taken and stand for
 * others, with what the taken ones read of them. Nothing goes without being said.
 */
export function takeTables(
  model: Model,
  wanted: ReadonlySet<TableId>,
  placeholders: ReadonlySet<TableId> = new Set(),
): Taken {
  const ids = new Set([...wanted, ...placeholders]);
  for (const { id } of pairsAmong(model, ids)) ids.add(id);
  const left: string[] = [];
  const cut = withoutReading(model, ids, left);
  // Parts say themselves what they lose.
  const partsOfTable = new Map(model.tables.map(({ id, parts }) => [id, parts]));
  const taken = cut.tables
    .filter(({ id }) => ids.has(id))
    .map((table) => ({ ...table, ...(table.parts ? { parts: partsOfTable.get(table.id) } : {}) }));
  for (const [home, parts] of Object.entries(model.peerParts ?? {}))
    if (taken.some((table) => table.home === home) && Object.values(parts).some((all) => all.length > 0))
      left.push(`the summaries and roles of the workspace “${home}”`);
  const bare = ownKeys(taken.map((table) => (placeholders.has(table.id) ? asPlaceholder(table) : table)));
  const { peerParts: _, ...rest } = { ...cut, ...(model.parts ? { parts: model.parts } : {}) };
  return { ...partsThatHold({ ...rest, tables: bare }, left), placeholders };
}

/** Without other tables, the links between, and all that is calculated from them, over any number of steps. */
function withoutReading(model: Model, ids: ReadonlySet<TableId>, left: string[]): Model {
  const owner = new Map(model.tables.flatMap(({ id, fields }) => fields.map((field) => [field.id, id] as const)));
  let gone = goneWith(model, (_, { id }) => ids.has(id));
  const calculated = (field: Field): boolean =>
    field.type.kind === 'formula' &&
    (readsAny(model, field.type.formula, gone) || ('field' in field.type.result && gone.has(field.type.result.field)));
  for (let before = -1; before !== gone.size;) {
    before = gone.size;
    const now: ReadonlySet<FieldId> = gone;
    gone = goneWith(model, (field) => ids.has(owner.get(field.id) ?? '') && !now.has(field.id) && !calculated(field));
  }
  const reads = (expression: Expression) => readsAny(model, expression, gone);
  for (const table of model.tables) {
    if (!ids.has(table.id) || table.pairs) continue;
    for (const field of table.fields)
      if (gone.has(field.id)) left.push(`${table.label}.${field.label}: ${whyLeft(model, field)}`);
    for (const rule of table.rules ?? [])
      if (rule.kind === 'holds' ? reads(rule.condition) : rule.fields.some((id) => gone.has(id)))
        left.push(`${table.label}: the rule “${rule.message}”`);
    for (const field of table.fields)
      if (field.type.kind === 'link' && field.type.candidates && reads(field.type.candidates))
        left.push(`${table.label}.${field.label}: the limit of its choices`);
  }
  return keeping(model, ({ id }) => !gone.has(id));
}

function whyLeft(model: Model, field: Field): string {
  const to = linkedTable(model, field)?.table.label;
  return to === undefined
    ? 'it is calculated from what is not taken'
    : field.type.kind === 'link'
      ? `it links to ${to}, which is not taken`
      : `it shows the links of ${to}, which is not taken`;
}

const asPlaceholder = ({ parts: _, rules: __, ...table }: Table): Table => table;

/** Tables that stood in several workspaces have keys and labels of their own in one. */
function ownKeys(tables: readonly Table[]): Table[] {
  const keys = new Set<string>();
  const labels: string[] = [];
  return tables.map(({ home: _, privateTo: __, ...table }) => {
    const key = freeKey(table.key, keys);
    const label = table.pairs ? table.label : freeLabel(table.label, labels);
    keys.add(key);
    labels.push(label);
    return { ...table, key, label };
  });
}

/** A model with the parts that still hold; of the others is said what they lose, or that they do not go along. */
function partsThatHold(model: Model, left: string[]): Pick<Taken, 'model' | 'left'> {
  const filtered = (owner: Model | Table, table: Table | null): Parts => {
    const kept: Record<string, AnyPart[]> = {};
    for (const kind of partKinds)
      for (const part of partsOf(owner, kind)) {
        const name = `${table ? `${table.label}: ` : ''}the ${partOf(kind).word} “${part.label}”`;
        const { lost, json } = printPart(model, table, kind, part);
        const blocks = Array.isArray(json.blocks) ? (json.blocks as { readonly lost?: unknown }[]) : null;
        const isEmpty = blocks !== null && blocks.length > 0 && blocks.every((block) => block.lost !== undefined);
        if (isEmpty || (lost.length > 0 && whole.has(kind))) left.push(name);
        else {
          // What is not taken is gone for the part as what was deleted is.
          if (lost.length > 0) left.push(`${name}: ${lost.join('; ').replaceAll('was deleted', 'is not taken')}`);
          (kept[kind] ??= []).push(part);
        }
      }
    return kept as Parts;
  };
  const tables = model.tables.map((table) => (table.parts ? { ...table, parts: filtered(table, table) } : table));
  return { model: { ...model, tables, ...(model.parts ? { parts: filtered(model, null) } : {}) }, left };
}

/** How much belongs to a model, by kind: for a look at what goes along. */
export function contentsOf(model: Model): { readonly word: string; readonly words: string; readonly count: number }[] {
  const tables = model.tables.filter(({ pairs }) => !pairs);
  const fields = tables.flatMap((table) => table.fields);
  const count = (is: (field: Field) => boolean) => fields.filter(is).length;
  const parts = [model, ...tables].flatMap((owner) => allParts(owner));
  return [
    { word: 'table', words: 'tables', count: tables.length },
    { word: 'link', words: 'links', count: count(({ type }) => type.kind === 'link') },
    { word: 'formula', words: 'formulas', count: count(({ type }) => type.kind === 'formula') },
    { word: 'rule', words: 'rules', count: tables.reduce((sum, { rules }) => sum + (rules?.length ?? 0), 0) },
    ...partKinds.map((kind) => ({
      word: partOf(kind).word,
      words: partOf(kind).words,
      count: parts.filter((one) => one.kind === kind).length,
    })),
  ].filter((one) => one.count > 0);
}
