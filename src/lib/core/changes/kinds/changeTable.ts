import { bad, good, type Result } from '../../base/problem';
import { dyeWords } from '../../model/names/dyeWords';
import { findTable, tableOf } from '../../model/model';
import type { Dye } from '../../types/field';
import type { Model, Table } from '../../types/model';
import { checkTableNames } from '../../model/names/naming';
import { replaceTable } from '../../model/replace';
import type { ChangeTable } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';
import { fromTo, settingWords } from './settingsInWords';

function applyChangeTable(model: Model, change: ChangeTable): Result<Model> {
  const table = findTable(model, change.table);
  if (!table) return bad('There is no such table.');
  const { icon, privateTo, ...named } = { ...table, ...change.set };
  const changed: Table = { ...named, ...(icon ? { icon } : {}), ...(privateTo ? { privateTo } : {}) };
  const checked = checkTableNames(model, changed);
  if (!checked.ok) return checked;
  const title = changed.title;
  if (title !== null && !changed.fields.some(({ id, type }) => id === title && type.kind !== 'counterpart'))
    return bad('The title is no field of this table.', 'Choose one of its fields.');
  return good(replaceTable(model, changed));
}

function invertChangeTable(model: Model, change: ChangeTable): ChangeTable {
  const table = tableOf(model, change.table);
  const set = Object.fromEntries(Object.keys(change.set).map((name) => [name, table[name as keyof Table] ?? null]));
  return { do: 'changeTable', table: change.table, set };
}

export const changeTable: ChangeDescriptor<ChangeTable> = {
  apply: applyChangeTable,
  invert: (model, change) => [invertChangeTable(model, change)],
  subjects: ({ table, set }) => Object.keys(set).map((name) => `${table} ${name}`),
  words: ({ table, set }, { before, ...names }) => {
    const old = before.tables.find(({ id }) => id === table);
    const words = Object.entries(set).map(([name, value]) =>
      name === 'title'
        ? 'another title field'
        : name === 'privateTo'
          ? value === null
            ? 'shared with everybody in the workspace'
            : 'private'
          : name === 'dye'
            ? fromTo('colour', old && dyeWords[old.dye], dyeWords[value as Dye])
            : fromTo(settingWords[name] ?? name, old?.[name as 'label'], value),
    );
    return `${names.table(table)}: ${words.join(', ')}`;
  },
};
