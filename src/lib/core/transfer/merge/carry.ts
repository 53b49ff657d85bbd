import { allParts, followingIn, partOf, type KindedPart } from '../../parts/parts';
import { freeLabel, newFieldKey } from '../../model/names/naming';
import { newFieldPlace } from '../../model/systemFields';
import { fieldOf, findField, tableOf } from '../../model/model';
import { tableRead } from '../../flow/dependencies';
import { printFormula } from '../../formula/printer';
import { recordRights, type Reach, type Role, type TableRights } from '../../types/role';
import { partsOf, type AnyPart } from '../../types/part';
import type { Change } from '../../types/change';
import type { Expression } from '../../types/expression';
import type { Form } from '../../types/form';
import type { Routine } from '../../types/routine';
import { newId, type FieldId, type TableId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { View } from '../../types/view';
import type { Merge, MergedSource } from '../../types/transfer';
import { lineOf, type FollowLine } from '../follow';
import { fieldLike } from '../newFields';
import { followed as follows, type Replacements } from '../rewrite';
import { allOf, anyOf, marked } from './marks';
import { plainFields } from './replaced';

/** What goes over from merged tables to the one that they become. */
export interface Carried {
  readonly changes: readonly Change[];
  readonly lines: readonly FollowLine[];
}

export interface Carrying {
  readonly model: Model;
  readonly both: Model;
  readonly transfer: Merge;
  readonly replacements: Replacements;
}

/** The sources that go: all but the table that the others go into. */
const going = ({ transfer }: Carrying): MergedSource[] => transfer.sources.filter(({ table }) => table !== transfer.to);

/** A calculated field of one name in one or several sources, and what it is in each. */
interface Calculated {
  readonly label: string;
  readonly of: { readonly source: MergedSource; readonly field: FieldId; readonly formula: Expression }[];
}

/**
 * Calculated fields of merged tables, those of one name as one that asks where a record comes from. Gives the fields
 * that take their places, too.
 */
export function carriedFormulas(carrying: Carrying): Carried & { readonly fields: ReadonlyMap<FieldId, FieldId> } {
  const { model, both, transfer } = carrying;
  const all = new Map<string, Calculated>();
  for (const source of transfer.sources)
    for (const { id, label, type } of tableOf(model, source.table).fields) {
      if (type.kind !== 'formula') continue;
      const known = all.get(label.toLowerCase()) ?? { label, of: [] };
      known.of.push({ source, field: id, formula: type.formula });
      all.set(label.toLowerCase(), known);
    }
  const changes: Change[] = [];
  const lines: FollowLine[] = [];
  const fields = new Map<FieldId, FieldId>();
  const values = new Map(carrying.replacements.values);
  let taken = tableOf(both, transfer.to).fields;
  // Those that others read come first; what cannot be read yet waits for the next round.
  let waiting = [...all.values()].filter(({ of }) => of.some(({ source }) => source.table !== transfer.to));
  for (let before = Infinity; waiting.length > 0 && waiting.length < before;) {
    before = waiting.length;
    const left: Calculated[] = [];
    for (const one of waiting) {
      const made = merged(carrying, { ...carrying.replacements, values }, one);
      if ('why' in made) {
        left.push(one);
        continue;
      }
      const standing = one.of.find(({ source }) => source.table === transfer.to);
      const like = fieldOf(model, one.of[0]?.field ?? '').field;
      const field =
        standing === undefined
          ? {
              ...fieldLike(taken, like),
              type: { kind: 'formula' as const, formula: made.formula, result: made.formula.type },
            }
          : fieldOf(both, standing.field).field;
      changes.push(
        standing
          ? {
              do: 'changeField',
              table: transfer.to,
              field: standing.field,
              set: { type: { kind: 'formula', formula: made.formula, result: made.formula.type } },
            }
          : { do: 'addField', table: transfer.to, field, at: newFieldPlace(taken) + changes.length },
      );
      if (!standing) taken = [...taken, field];
      for (const { source, field: old } of one.of)
        if (source.table !== transfer.to) {
          fields.set(old, field.id);
          values.set(old, ({ place, through }) => ({
            do: 'field',
            place,
            through,
            field: field.id,
            type: made.formula.type,
          }));
        }
    }
    waiting = left;
  }
  for (const one of waiting)
    for (const { source, field, formula } of one.of) {
      if (source.table === transfer.to) continue;
      const made = merged(carrying, { ...carrying.replacements, values }, one);
      const words = `${tableOf(model, source.table).label}.${fieldOf(model, field).field.label}`;
      lines.push(lineOf(model, words, formula, { ok: false, why: 'why' in made ? made.why : 'it waits for another' }));
    }
  return { changes, lines, fields };
}

/** One formula of several: the same where all say the same, else by where a record comes from. */
function merged(
  { model, both, transfer }: Carrying,
  replacements: Replacements,
  { of }: Calculated,
): { readonly formula: Expression } | { readonly why: string } {
  const parts: { mark: string; formula: Expression; text: string }[] = [];
  for (const { source, formula } of of) {
    const now = follows(model, both, transfer.to, formula, replacements);
    if (!now.ok) return { why: now.why };
    parts.push({ mark: source.mark, formula: now.expression, text: now.text });
  }
  const [first] = parts;
  if (!first) return { why: 'it has no formula' };
  if (parts.length === transfer.sources.length && parts.every(({ text }) => text === first.text))
    return { formula: first.formula };
  return {
    formula: {
      do: 'case',
      whens: parts.map(({ mark, formula }) => ({ when: marked(both, transfer.mark, mark), then: formula })),
      otherwise: null,
      type: first.formula.type,
    },
  };
}

/**
 * What may stand once in each of the tables that have it may stand once among the records of each: in the merged table
 * it is told apart by where they come from.
 */
function carriedKeys({ both, model, transfer, replacements }: Carrying): Change[] {
  const found = new Map<string, { fields: readonly FieldId[]; message: string; in: Set<TableId> }>();
  const filled = new Map<TableId, ReadonlySet<FieldId>>();
  for (const source of transfer.sources) {
    const table = tableOf(model, source.table);
    const now = plainFields(replacements, source);
    const place = (id: FieldId) => (table.id === transfer.to ? id : now.get(id));
    filled.set(table.id, new Set(table.fields.flatMap(({ id }) => place(id) ?? [])));
    const once = [
      ...table.fields.flatMap(({ id, label, unique }) =>
        unique ? [{ fields: [id], message: `Another record has this ${label}.` }] : [],
      ),
      ...(table.rules ?? []).flatMap((rule) => (rule.kind === 'unique' ? [rule] : [])),
    ];
    for (const { fields, message } of once) {
      const places = fields.flatMap((id) => place(id) ?? []);
      if (places.length < fields.length) continue;
      const name = places.toSorted().join();
      const known = found.get(name) ?? { fields: places, message, in: new Set() };
      known.in.add(table.id);
      found.set(name, known);
    }
  }
  const target = tableOf(both, transfer.to);
  const stands = (fields: readonly FieldId[]) =>
    fields.some((id) => target.fields.find((field) => field.id === id)?.unique) ||
    (target.rules ?? []).some((rule) => rule.kind === 'unique' && rule.fields.every((id) => fields.includes(id)));
  return [...found.values()]
    .filter((one) => !stands(one.fields))
    .filter((one) =>
      [...filled].every(([table, has]) => one.in.has(table) || one.fields.every((field) => !has.has(field))),
    )
    .map(({ fields, message }) => ({
      do: 'addRule',
      table: transfer.to,
      at: 0,
      rule: { id: newId('r'), kind: 'unique', message, fields: [...fields, transfer.mark] },
    }));
}

/** Rules of merged tables hold for the records that come from them. */
export function carriedRules(carrying: Carrying): Carried {
  const { model, both, transfer, replacements } = carrying;
  const changes: Change[] = carriedKeys(carrying);
  const lines: FollowLine[] = [];
  for (const source of going(carrying))
    for (const rule of tableOf(model, source.table).rules ?? []) {
      const words = `the rule “${rule.message}” of ${tableOf(model, source.table).label}`;
      if (rule.kind === 'unique') continue;
      const now = follows(model, both, transfer.to, rule.condition, replacements, true);
      const condition = now.ok && anyOf([marked(both, transfer.mark, source.mark, 0, '<>'), now.expression]);
      lines.push(lineOf(model, words, rule.condition, condition ? { ...now, expression: condition } : now));
      if (condition)
        changes.push({ do: 'addRule', table: transfer.to, at: 0, rule: { ...rule, id: newId('r'), condition } });
    }
  return { changes, lines };
}

/** A view or form of a source as that of the merged table, for the records that come from there. */
function carriedPart(
  { model, both, transfer, replacements }: Carrying,
  calculated: ReadonlyMap<FieldId, FieldId>,
  source: MergedSource,
  one: KindedPart,
): { readonly part: AnyPart; readonly lines: readonly FollowLine[] } {
  const table = tableOf(model, source.table);
  const lines: FollowLine[] = [];
  const turned = (condition: Expression): Expression => {
    const about = tableRead(model, condition)?.id ?? source.table;
    const isMerged = transfer.sources.some(({ table: one }) => one === about);
    const isCondition = condition.type.is === 'boolean';
    const now = follows(model, both, isMerged ? transfer.to : about, condition, replacements, isCondition);
    const words = `the ${partOf(one.kind).word} “${one.part.label}” of ${table.label}`;
    if (source.table !== transfer.to || (now.ok && now.text !== printFormula(model, condition)))
      lines.push(lineOf(model, words, condition, now));
    return now.ok ? now.expression : condition;
  };
  let part: AnyPart = followingIn(one, { old: '', now: '', own: false, turned });
  if (source.table !== transfer.to)
    for (const [old, now] of [...plainFields(replacements, source), ...calculated])
      part = followingIn({ kind: one.kind, part } as typeof one, {
        old,
        now,
        own: true,
        turned: (condition) => condition,
        same: optionsOf(source, now),
      });
  if (one.kind === 'view') part = forSource(part as View, marked(both, transfer.mark, source.mark));
  if (one.kind === 'form') part = withMark(part as Form, transfer.mark, source.mark);
  if (one.kind === 'routine') part = forRecordsOf(part as Routine, marked(both, transfer.mark, source.mark));
  return { part, lines };
}

/** A view of somebody's own, of a table that goes, as one of the table that it becomes; null for any other. */
export const carriedView =
  (carrying: Carrying, calculated: ReadonlyMap<FieldId, FieldId>) =>
  (table: TableId, view: View): { readonly table: TableId; readonly view: View } | null => {
    const source = going(carrying).find((one) => one.table === table);
    if (!source) return null;
    const { part } = carriedPart(carrying, calculated, source, { kind: 'view', part: view });
    return { table: carrying.transfer.to, view: { ...(part as View), id: newId('v') } };
  };

/** Views and forms of merged tables become those of the new one, for the records that come from theirs. */
export function carriedParts(carrying: Carrying, calculated: ReadonlyMap<FieldId, FieldId>): Carried {
  const { model, both, transfer } = carrying;
  const changes: Change[] = [];
  const lines: FollowLine[] = [];
  const labels = new Map<string, string[]>();
  const target = tableOf(both, transfer.to);
  for (const source of transfer.sources) {
    const table = tableOf(model, source.table);
    for (const one of allParts(table)) {
      const { part, lines: said } = carriedPart(carrying, calculated, source, one);
      lines.push(...said);
      if (source.table === transfer.to) {
        changes.push({ do: 'changePart', kind: one.kind, table: transfer.to, part } as Change);
        continue;
      }
      const used = labels.get(one.kind) ?? partsOf(target, one.kind).map(({ label }) => label);
      const label = freeLabel(used.includes(part.label) ? `${table.label}: ${part.label}` : part.label, used);
      labels.set(one.kind, [...used, label]);
      changes.push({
        do: 'addPart',
        kind: one.kind,
        table: transfer.to,
        part: { ...part, id: newId(partOf(one.kind).idPrefix), label },
        at: used.length,
      } as Change);
    }
  }
  return { changes, lines };
}

/** What each option of the fields that one field takes the place of became. */
const optionsOf = ({ fields }: MergedSource, now: FieldId): Readonly<Record<string, string>> =>
  fields.find(({ field }) => field === now)?.options ?? {};

const forSource = (view: View, isMarked: Expression): View => ({
  ...view,
  filter: allOf([isMarked, ...(view.filter ? [view.filter] : [])]),
});

/** A routine of a merged table runs for the records that come from there. */
const forRecordsOf = (routine: Routine, isMarked: Expression): Routine => ({
  ...routine,
  where: allOf([isMarked, ...(routine.where ? [routine.where] : [])]),
});

/** Whatever is entered by a form of a merged table says where it comes from, unseen. */
function withMark(form: Form, mark: FieldId, option: string): Form {
  const [first, ...others] = form.sections;
  if (!first) return form;
  const item = { kind: 'field', field: mark, hidden: true, preset: { as: 'option', value: option } } as const;
  return { ...form, sections: [{ ...first, items: [...first.items, item] }, ...others] };
}

/**
 * What roles let people do in merged tables they may do with the records that come from them. `followed`: the roles as
 * they follow in all other tables.
 */
export function carriedRoles(carrying: Carrying, followed: ReadonlyMap<string, Role>): Carried {
  const { model, both, transfer, replacements } = carrying;
  const changes: Change[] = [];
  const lines: FollowLine[] = [];
  for (const role of partsOf(model, 'role')) {
    if (!transfer.sources.some(({ table }) => role.tables[table] !== undefined)) continue;
    const words = `the role “${role.label}”`;
    const rights = (source: MergedSource): TableRights => role.tables[source.table] ?? role.others;
    const reach = (right: (typeof recordRights)[number]): Reach => {
      const all = transfer.sources.map((source) => ({ source, reach: rights(source)[right] }));
      if (all.every((one) => one.reach === 'all')) return 'all';
      const parts = all.flatMap(({ source, reach: one }): Expression[] => {
        if (one === 'none') return [];
        const isMarked = marked(both, transfer.mark, source.mark);
        if (one === 'all') return [isMarked];
        const now = follows(model, both, transfer.to, one, replacements, true);
        lines.push(lineOf(model, words, one, now));
        return now.ok ? [allOf([isMarked, now.expression]) ?? isMarked] : [];
      });
      return anyOf(parts) ?? 'none';
    };
    const fields: Record<FieldId, 'hidden' | 'seen'> = {};
    for (const source of transfer.sources) {
      const now = source.table === transfer.to ? null : plainFields(replacements, source);
      for (const [id, limit] of Object.entries(rights(source).fields)) {
        const field = now ? now.get(id) : id;
        if (field !== undefined && findField(both, field))
          fields[field] = fields[field] === 'hidden' ? 'hidden' : limit;
      }
    }
    const gone = new Set(going(carrying).map(({ table }) => table));
    const elsewhere = followed.get(role.id) ?? role;
    const tables = Object.fromEntries(Object.entries(elsewhere.tables).filter(([id]) => !gone.has(id)));
    const merged: TableRights = {
      ...(Object.fromEntries(recordRights.map((right) => [right, reach(right)])) as Record<
        (typeof recordRights)[number],
        Reach
      >),
      design: transfer.sources.every((source) => rights(source).design),
      fields,
    };
    const part: Role = { ...elsewhere, tables: { ...tables, [transfer.to]: merged } };
    changes.push({ do: 'changePart', kind: 'role', table: null, part } as Change);
  }
  return { changes, lines };
}

/** Keys for fields that take the names of others once these are gone. */
export const namesAgain = (table: Table, field: { readonly label: string; readonly key: string }) => ({
  label: freeLabel(
    field.label,
    table.fields.map(({ label }) => label),
  ),
  key: table.fields.some(({ key }) => key === field.key) ? newFieldKey(table.fields, field.label) : field.key,
});
