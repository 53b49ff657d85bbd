import { bad, good, type Result } from '../../base/problem';
import { applyChanges } from '../../changes/change';
import { changesToAddLink } from '../../changes/linkPlans';
import { fieldOf, isWritten, tableOf, typeAs, valueTypeOf } from '../../model/model';
import type { Change } from '../../types/change';
import type { Aggregate, Expression } from '../../types/expression';
import type { Field } from '../../types/field';
import { newId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { ToRows } from '../../types/transfer';
import { follow, written } from '../follow';
import { filledFrom } from '../lineUp';
import { pathTo } from '../../filled/path';
import { readAll, readField, readFormula, readTable, tableKey } from '../../filled/written';
import { addTable, fieldLike, Making, newTable } from '../newFields';
import { CannotFollow, type ReadAt, type Replacements } from '../rewrite';
import { printFormula } from '../../formula/printer';
import type { Compiled, WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

const textField = (label: string, key: string): Field => ({
  id: newId('f'),
  key,
  label,
  help: '',
  required: false,
  unique: false,
  type: { kind: 'text' },
});

/** A new table for the rows: a link to the record, what the column stood for, and its value. */
function madeFor(
  model: Model,
  table: Table,
  columns: readonly Field[],
  json: Written,
): Result<Pick<ToRows, 'make' | 'to' | 'link' | 'name' | 'value'>> {
  const [first] = columns;
  if (!first) return bad('No column becomes rows.', 'Choose two or more.', '/columns');
  const name = textField(String(json.nameLabel ?? 'Period'), 'period');
  const value = {
    ...fieldLike([name], first, String(json.valueLabel ?? 'Value')),
    required: false as const,
    unique: false,
  };
  const making = new Making(model);
  const made = newTable(model, String(json.label ?? '').trim(), [name, value], null);
  const added = making.add(addTable(model, made));
  if (!added.ok) return { ...added, problem: { ...added.problem, at: '/label' } };
  const { field: link, changes } = changesToAddLink(making.model, {
    table: made.id,
    at: 0,
    to: table.id,
    field: { key: table.key, label: table.label, help: '', required: false, unique: false },
    onDelete: 'remove',
    many: false,
  });
  const linked = making.add(...changes);
  if (!linked.ok) return linked;
  return good({ make: making.changes, to: made.id, link, name: name.id, value: value.id });
}

/** What the one row of a column has, read from the record that had the column. */
function valueOfRow(both: Model, { link, name, value }: ToRows, is: Expression) {
  const counterpart = typeAs(fieldOf(both, link).field, 'link').counterpart;
  const [label, amount] = [fieldOf(both, name).field, fieldOf(both, value).field];
  return ({ place, through }: ReadAt): Aggregate => {
    if (place > 0) throw new CannotFollow('it adds up over records of which each has rows now');
    const at = through.length + 1;
    return {
      do: 'aggregate',
      name: 'first',
      set: [...through, counterpart],
      distinct: false,
      of: { ...pathTo(amount), place: at } as Expression,
      separator: null,
      filter: {
        do: 'call',
        name: '=',
        args: [{ ...pathTo(label), place: at } as Expression, is],
        type: { is: 'boolean' },
      },
      order: [],
      type: valueTypeOf(amount),
    };
  };
}

function compile(model: Model, transfer: ToRows): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const both = made.value.model;
  const columns = transfer.columns.map((one) => ({ ...one, field: fieldOf(model, one.field).field }));
  const replacements: Replacements = {
    steps: new Map(),
    values: new Map(columns.map(({ field, is }) => [field.id, valueOfRow(both, transfer, is)] as const)),
    marks: new Map(),
  };
  const following = transfer.remove
    ? follow(model, both, replacements, new Set([transfer.to]))
    : { changes: [], lines: [], comparing: [], problems: [] };
  const changes: Change[] = [...following.comparing, ...transfer.make];
  const value = fieldOf(both, transfer.value).field;
  for (const [at, { field, is }] of columns.entries()) {
    const filled = filledFrom(both, value, field);
    if (!filled) return bad(`“${field.label}” does not fit “${value.label}”.`, 'Leave it out.', `/columns/${at}`);
    const filledIn: Expression = {
      do: 'call',
      name: 'is not null',
      args: [pathTo(field)],
      type: { is: 'boolean' },
    };
    changes.push({
      do: 'copyRecords',
      table: transfer.to,
      from: transfer.table,
      chosen: { where: filledIn },
      values: [
        { field: transfer.link, from: { is: 'record' } },
        { field: transfer.name, from: { is: 'formula', formula: is } },
        filled,
      ],
      copies: `rows${at}`,
    });
  }
  changes.push(...following.changes);
  if (transfer.remove)
    for (const { field } of columns)
      changes.push(
        ...(tableOf(model, transfer.table).title === field.id
          ? [{ do: 'changeTable', table: transfer.table, set: { title: null } } as const]
          : []),
        { do: 'removeField', table: transfer.table, field: field.id },
      );
  return good({ changes, links: [], formulas: written(both, following.lines), problems: following.problems });
}

export const toRows: WorkDescriptor<'toRows'> = {
  label: 'Columns to rows',
  help: 'Columns of one kind, such as months, become records of a table under each record.',
  title: (model, { table, columns }) => `${columns.length} columns of ${tableOf(model, table).label} turned into rows`,
  compile,
  print(model, transfer) {
    const after = applyChanges(model, transfer.make);
    const known = after.ok ? after.value.model : model;
    const label = (id: string) => fieldOf(known, id).field.label;
    const to = tableOf(known, transfer.to);
    const key = (id: string) => fieldOf(known, id).field.key;
    return {
      work: 'toRows',
      table: tableKey(tableOf(known, transfer.table)),
      ...(transfer.make.length > 0
        ? { label: to.label, nameLabel: label(transfer.name), valueLabel: label(transfer.value) }
        : { to: tableKey(to), link: key(transfer.link), name: key(transfer.name), value: key(transfer.value) }),
      columns: transfer.columns.map(({ field, is }) => ({ field: key(field), is: printFormula(known, is) })),
      remove: transfer.remove,
      ...(transfer.accept ? { accept: true } : {}),
    };
  },
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const fields = readAll(json.columns, '/columns', (one, at) => {
      const field = readField(table.value, one.field, `${at}/field`);
      if (!field.ok) return field;
      return isWritten(field.value) || field.value.type.kind === 'formula'
        ? good({ field: field.value, is: one.is })
        : bad(`“${field.value.label}” has no values of its own.`, 'Choose another.', `${at}/field`);
    });
    if (!fields.ok) return fields;
    const chosen = fields.value.map(({ field }) => field);
    let made: Pick<ToRows, 'make' | 'to' | 'link' | 'name' | 'value'>;
    if (json.to === undefined) {
      const fresh = madeFor(model, table.value, chosen, json);
      if (!fresh.ok) return fresh;
      made = fresh.value;
    } else {
      const to = readTable(model, json.to, '/to');
      if (!to.ok) return to;
      const [link, name, value] = (['link', 'name', 'value'] as const).map((part) =>
        readField(to.value, json[part], `/${part}`),
      );
      if (!link?.ok) return link ?? bad('There is no link.');
      if (!name?.ok) return name ?? bad('There is no field.');
      if (!value?.ok) return value ?? bad('There is no field.');
      if (link.value.type.kind !== 'link' || link.value.type.to !== table.value.id)
        return bad(`“${link.value.label}” does not lead to ${table.value.label}.`, 'Choose a link that does.', '/link');
      made = { make: [], to: to.value.id, link: link.value.id, name: name.value.id, value: value.value.id };
    }
    const after = applyChanges(model, made.make);
    if (!after.ok) return after;
    const known = after.value.model;
    const columns = readAll(
      fields.value.map(({ is, field }) => ({ is: is ?? `'${field.label.replaceAll("'", "''")}'` })),
      '/columns',
      (one, at) => readFormula(known, tableOf(known, made.to), one.is, `${at}/is`),
    );
    if (!columns.ok) return columns;
    return good({
      work: 'toRows',
      table: table.value.id,
      ...made,
      columns: chosen.map(({ id }, at) => ({ field: id, is: columns.value[at] as Expression })),
      remove: json.remove === true,
      ...(json.accept === true ? { accept: true } : {}),
    });
  },
};
