import { good } from '../../base/problem';
import { readTable, tableKey } from '../../filled/written';
import { findTable } from '../../model/model';
import type { StepDescriptor } from '../step';
import { resultLabel } from '../scope';
import { fieldsIn, fillingWords, formulasIn, printFilling, readFilling, readResult, turnedFilling } from './filling';

export const make: StepDescriptor<'make'> = {
  label: 'Make a record',
  help: 'Makes a record of any table, with values from this one.',
  formulas: ({ fields }) => formulasIn(fields),
  writes: ({ fields }) => fieldsIn(fields),
  turned: (step, turning) => ({ ...step, fields: turnedFilling(step.fields, turning) }),
  words: ({ model, scope }, { table, fields }) =>
    `make a record of ${findTable(model, table)?.label ?? 'a table'} with ${fillingWords(model, scope, fields)}`,
  print({ model, scope }, { table, fields, result }) {
    const to = findTable(model, table);
    return {
      do: 'make',
      table: to ? tableKey(to) : '',
      fields: printFilling(scope, fields),
      result: result.label,
    };
  },
  read({ model, scope }, json, at) {
    const table = readTable(model, json.table, `${at}/table`);
    if (!table.ok) return table;
    const fields = readFilling(scope, table.value, json.fields, `${at}/fields`);
    if (!fields.ok) return fields;
    const result = readResult(json.result, resultLabel('make', table.value), `${at}/result`);
    return result.ok ? good({ do: 'make', table: table.value.id, fields: fields.value, result: result.value }) : result;
  },
};
