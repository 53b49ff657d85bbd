import { bad, good, type Result } from '../../base/problem';
import { applyChanges } from '../../changes/change';
import { changesToAddLink } from '../../changes/linkPlans';
import { fieldOf, isWritten, tableOf, valueTypeOf } from '../../model/model';
import { freeLabel, newFieldKey } from '../../model/names/naming';
import { newId } from '../../types/identity';
import type { Change } from '../../types/change';
import type { Field } from '../../types/field';
import type { Model, Table } from '../../types/model';
import type { SplitOff } from '../../types/transfer';
import { follow, written } from '../follow';
import { pathTo } from '../../filled/path';
import { printFilled, readAll, readField, readFilled, readTable, tableKey } from '../../filled/written';
import { printTaken, readTaken } from '../names';
import { addTable, fieldLike, linkLike, Making, newTable } from '../newFields';
import type { Replacements } from '../rewrite';
import type { Compiled, WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

/** The new table, its fields and the link to it, as changes. */
function madeFor(
  model: Model,
  table: Table,
  by: readonly Field[],
  others: readonly Field[],
  label: string,
  linkLabel: string,
): Result<Pick<SplitOff, 'make' | 'to' | 'link' | 'fields'>> {
  const making = new Making(model);
  const plain: { from: Field; field: Field }[] = [];
  const known = () => plain.map(({ field }) => field);
  for (const from of [...by, ...others]) {
    if (from.type.kind === 'link') continue;
    const isKey = by.includes(from);
    const field = fieldLike(known(), from);
    plain.push({ from, field: { ...field, unique: isKey && by.length === 1, required: isKey && by.length === 1 } });
  }
  const title = plain.find(({ from }) => !by.includes(from) && from.type.kind === 'text') ?? plain[0];
  const made = newTable(model, label, known(), title?.field.id ?? null);
  const added = making.add(addTable(model, made));
  if (!added.ok) return { ...added, problem: { ...added.problem, at: '/label' } };
  const fields = plain.map(({ from, field }) => ({ from: from.id, to: field.id }));
  for (const from of [...by, ...others]) {
    if (from.type.kind !== 'link') continue;
    const link = linkLike(making.model, made.id, from, from.type.to, { label: from.label });
    const linked = making.add(...link.changes);
    if (!linked.ok) return linked;
    fields.push({ from: from.id, to: link.field });
  }
  if (by.length > 1) {
    const keys = fields.filter(({ from }) => by.some(({ id }) => id === from)).map(({ to }) => to);
    const message = `${by.map((one) => one.label).join(' and ')} stand once together.`;
    const rule: Change = {
      do: 'addRule',
      table: made.id,
      at: 0,
      rule: { id: newId('r'), kind: 'unique', fields: keys, message },
    };
    const ruled = making.add(rule);
    if (!ruled.ok) return ruled;
  }
  const taken = freeLabel(
    linkLabel,
    table.fields.map((one) => one.label),
  );
  const at = Math.min(...[...by, ...others].map((one) => table.fields.indexOf(one)));
  const { field: link, changes } = changesToAddLink(making.model, {
    table: table.id,
    at,
    to: made.id,
    field: { key: newFieldKey(table.fields, taken), label: taken, help: '', required: false, unique: false },
    onDelete: 'prevent',
    many: false,
  });
  const linked = making.add(...changes);
  if (!linked.ok) return linked;
  return good({ make: making.changes, to: made.id, link, fields });
}

function compile(model: Model, transfer: SplitOff): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const both = made.value.model;
  const table = tableOf(model, transfer.table);
  const moved = transfer.fields.map(({ from, to }) => ({
    old: fieldOf(model, from).field,
    now: fieldOf(both, to).field,
  }));
  const replacements: Replacements = {
    // A link that moves is reached over the new one.
    steps: new Map(
      moved.flatMap(({ old, now }) => (old.type.kind === 'link' ? [[old.id, [transfer.link, now.id]] as const] : [])),
    ),
    values: new Map(
      moved.flatMap(({ old, now }) =>
        old.type.kind === 'link'
          ? []
          : [[old.id, ({ place, through }) => ({ ...pathTo(now, [...through, transfer.link]), place })] as const],
      ),
    ),
    marks: new Map(),
  };
  const gone = new Set([transfer.to]);
  const following = follow(model, both, replacements, gone, {
    via: [transfer.link],
    fields: new Map(moved.map(({ old, now }) => [old.id, now.id])),
  });
  const { decisions } = transfer;
  return good({
    changes: [
      ...decisions.map((one): Change => ({
        do: 'setValues',
        table: one.table,
        chosen: { where: one.where, ...(one.records ? { only: one.records } : {}) },
        set: one.set,
      })),
      ...following.comparing,
      ...transfer.make,
      {
        do: 'copyRecords',
        table: transfer.to,
        from: table.id,
        chosen: { where: null },
        values: moved.map(({ old, now }) => ({
          field: now.id,
          from: { is: 'formula', formula: pathTo(old) },
          ...sameOptions(old),
        })),
        copies: 'split',
        by: transfer.by.map((id) => pathTo(fieldOf(model, id).field)),
      },
      {
        do: 'setValues',
        table: table.id,
        chosen: { where: null },
        set: [{ field: transfer.link, from: { is: 'copy', copies: 'split', of: null } }],
      },
      ...following.changes,
      ...(table.title !== null && moved.some(({ old }) => old.id === table.title)
        ? [{ do: 'changeTable', table: table.id, set: { title: transfer.link } } as const]
        : []),
      ...moved.map(({ old }): Change => ({ do: 'removeField', table: table.id, field: old.id })),
    ],
    links: [],
    formulas: written(both, following.lines),
    problems: following.problems,
  });
}

/** Options keep their identities in a field like another. */
export const sameOptions = ({ type }: Field) =>
  type.kind === 'option' || type.kind === 'options'
    ? { options: Object.fromEntries(type.options.map(({ id }) => [id, id])) }
    : {};

const keysOf = (model: Model, ids: readonly string[]) => ids.map((id) => fieldOf(model, id).field.key);

export const splitOff: WorkDescriptor<'splitOff'> = {
  label: 'Split off a table',
  help: 'Columns that are decided by a key become a table of their own, with a link to it.',
  title(model, { table, make, to }) {
    const after = applyChanges(model, make);
    return `${after.ok ? tableOf(after.value.model, to).label : 'A table'} split off ${tableOf(model, table).label}`;
  },
  compile,
  print(model, { table, by, make, to, link, fields, decisions, accept }) {
    const after = applyChanges(model, make);
    const known = after.ok ? after.value.model : model;
    return {
      work: 'splitOff',
      table: tableKey(tableOf(known, table)),
      by: keysOf(known, by),
      fields: keysOf(
        known,
        fields.map(({ from }) => from).filter((id) => !by.includes(id)),
      ),
      label: tableOf(known, to).label,
      linkLabel: fieldOf(known, link).field.label,
      decisions: decisions.map((one) => ({
        ...printTaken(known, one),
        set: one.set.flatMap((set) => printFilled(known, set) ?? []),
      })),
      ...(accept ? { accept } : {}),
    };
  },
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const read = (name: unknown, at: string): Result<Field> => {
      const field = readField(table.value, name, at);
      if (!field.ok) return field;
      return isWritten(field.value) && valueTypeOf(field.value).is !== 'files'
        ? field
        : bad(`“${field.value.label}” is not filled in by people.`, 'Choose another field.', at);
    };
    const named = (list: unknown, at: string) =>
      readAll(
        (Array.isArray(list) ? (list as unknown[]) : []).map((name) => ({ name })),
        at,
        (one: Written, place) => read(one.name, place),
      );
    const by = named(json.by, '/by');
    if (!by.ok) return by;
    if (by.value.length === 0) return bad('Nothing decides the other columns.', 'Choose a key.', '/by');
    const all = named(json.fields, '/fields');
    if (!all.ok) return all;
    const others = all.value.filter((field) => !by.value.includes(field));
    const label = String(json.label ?? '').trim();
    const made = madeFor(model, table.value, by.value, others, label, String(json.linkLabel ?? label));
    if (!made.ok) return made;
    const decisions = readAll(json.decisions, '/decisions', (one, at) => {
      const taken = readTaken(model, table.value, one);
      if (!taken.ok) return taken;
      const set = readAll(one.set, `${at}/set`, (filled, place) =>
        readFilled(model, table.value, table.value, filled, place),
      );
      return set.ok ? good({ ...taken.value, set: set.value }) : set;
    });
    if (!decisions.ok) return decisions;
    return good({
      work: 'splitOff',
      table: table.value.id,
      by: by.value.map(({ id }) => id),
      ...made.value,
      decisions: decisions.value,
      ...(json.accept === true ? { accept: true } : {}),
    });
  },
};
