import { bad, good, type Result } from '../../base/problem';
import { applyChanges, changesToRemoveTable } from '../../changes/change';
import { checkCondition, checkFormula } from '../../formula/checker';
import { printFormula } from '../../formula/printer';
import { shownType } from '../../formula/shownType';
import { isEnteredType } from '../../fieldTypes/registry';
import { freeLabel, newFieldKey } from '../../model/names/naming';
import { newFieldPlace } from '../../model/systemFields';
import { fieldOf, isStored, tableOf, typeAs, valueTypeOf } from '../../model/model';
import type { Change } from '../../types/change';
import type { Aggregate, Expression } from '../../types/expression';
import { newId } from '../../types/identity';
import type { Model } from '../../types/model';
import type { ClashRule, ToColumns } from '../../types/transfer';
import { pathTo } from '../../filled/path';
import { readAll, readField, readFormula, readTable, tableKey } from '../../filled/written';
import { Making } from '../newFields';
import type { Compiled, WorkDescriptor } from '../work';

export const clashRules: readonly ClashRule[] = ['first', 'last', 'sum', 'min', 'max', 'avg'];

/** What a record's rows of one name give, by the rule for several; blank where it has none. */
function gathered(model: Model, { link, name, value, clash }: ToColumns, is: Expression): Expression {
  const counterpart = typeAs(fieldOf(model, link).field, 'link').counterpart;
  const [label, amount] = [fieldOf(model, name).field, fieldOf(model, value).field];
  const all: Omit<Aggregate, 'name' | 'of' | 'type'> = {
    do: 'aggregate',
    set: [counterpart],
    distinct: false,
    separator: null,
    filter: {
      do: 'call',
      name: '=',
      args: [{ ...pathTo(label), place: 1 } as Expression, is],
      type: { is: 'boolean' },
    },
    order: [],
  };
  const one: Aggregate = {
    ...all,
    name: clash,
    of: { ...pathTo(amount), place: 1 } as Expression,
    type: valueTypeOf(amount),
  };
  if (clash !== 'sum') return one;
  // A sum of nothing is 0, where the column is to be blank.
  const any: Aggregate = { ...all, name: 'exists', of: null, type: { is: 'boolean' } };
  return { do: 'case', whens: [{ when: any, then: one }], otherwise: null, type: one.type };
}

/** Rows with a value that comes into no column: of no record, of no name, or of one that is no column. */
function lost(model: Model, { table, link, name, value, columns }: ToColumns): Compiled['left'] {
  const [to, label, amount] = [link, name, value].map((id) => fieldOf(model, id).field.key);
  const named = columns.map(({ is }) => `${label} = ${printFormula(model, is)}`).join(' or ');
  const where = `${amount} is not null and (${to} is null or ${label} is null or not (${named}))`;
  const { expression } = checkCondition(model, table, where);
  const words = `of ${tableOf(model, table).label} come into no column and go to the bin with their table`;
  return expression ? [{ table, where: expression, words }] : [];
}

function compile(model: Model, transfer: ToColumns): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const both = made.value.model;
  const owner = typeAs(fieldOf(model, transfer.link).field, 'link').to;
  const changes: Change[] = [
    ...transfer.make,
    {
      do: 'setValues',
      table: owner,
      chosen: { where: null },
      set: transfer.columns.map(({ is, to }) => ({
        field: to,
        from: { is: 'formula', formula: gathered(both, transfer, is) },
      })),
    },
  ];
  for (const { is } of transfer.columns) {
    const text = printFormula(both, gathered(both, transfer, is));
    const [problem] = checkFormula(both, owner, text).problems;
    if (problem) return bad(problem.message, 'Choose another rule for several values.', '/clash');
  }
  if (!transfer.remove) return good({ changes, links: [], formulas: [], problems: [] });
  changes.push(...changesToRemoveTable(both, transfer.table));
  return good({ changes, links: [], formulas: [], left: lost(model, transfer), problems: [] });
}

export const toColumns: WorkDescriptor<'toColumns'> = {
  label: 'Rows to columns',
  help: 'Records under a record become columns of it, with a rule for several values.',
  title: (model, { table, columns }) => `Rows of ${tableOf(model, table).label} turned into ${columns.length} columns`,
  compile,
  print(model, transfer) {
    const after = applyChanges(model, transfer.make);
    const known = after.ok ? after.value.model : model;
    const key = (id: string) => fieldOf(known, id).field.key;
    return {
      work: 'toColumns',
      table: tableKey(tableOf(known, transfer.table)),
      link: key(transfer.link),
      name: key(transfer.name),
      value: key(transfer.value),
      clash: transfer.clash,
      columns: transfer.columns.map(({ is, to }) => ({
        is: printFormula(known, is),
        label: fieldOf(known, to).field.label,
      })),
      remove: transfer.remove,
    };
  },
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const [link, name, value] = (['link', 'name', 'value'] as const).map((part) =>
      readField(table.value, json[part], `/${part}`),
    );
    if (!link?.ok) return link ?? bad('There is no link.');
    if (!name?.ok) return name ?? bad('There is no field.');
    if (!value?.ok) return value ?? bad('There is no field.');
    if (link.value.type.kind !== 'link')
      return bad(`“${link.value.label}” does not lead to one record.`, 'Choose a link to one.', '/link');
    const type = shownType(model, value.value);
    if (!isEnteredType(type) || !isStored(value.value))
      return bad(`“${value.value.label}” cannot be a column.`, 'Choose another field.', '/value');
    const making = new Making(model);
    const owner = link.value.type.to;
    const columns = readAll(json.columns, '/columns', (one, at) => {
      const is = readFormula(model, table.value, one.is, `${at}/is`);
      if (!is.ok) return is;
      const { fields } = tableOf(making.model, owner);
      const label = freeLabel(
        String(one.label ?? one.is).trim(),
        fields.map((field) => field.label),
      );
      const id = newId('f');
      const added = making.add({
        do: 'addField',
        table: owner,
        at: newFieldPlace(fields),
        field: { id, key: newFieldKey(fields, label), label, help: '', required: false, unique: false, type },
      });
      return added.ok ? good({ is: is.value, to: id }) : added;
    });
    if (!columns.ok) return columns;
    if (columns.value.length === 0) return bad('No column is made.', 'Choose values that become columns.', '/columns');
    const clash = clashRules.find((rule) => rule === json.clash) ?? 'first';
    return good({
      work: 'toColumns',
      table: table.value.id,
      link: link.value.id,
      name: name.value.id,
      value: value.value.id,
      clash,
      make: making.changes,
      columns: columns.value,
      remove: json.remove === true,
    });
  },
};
