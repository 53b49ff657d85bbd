import { bad, good } from '../../base/problem';
import { printStanding, readFormula, readTable, tableKey } from '../../filled/written';
import { fieldNamed, findField } from '../../model/model';
import { said } from '../said';
import type { StepDescriptor } from '../step';

export const option: StepDescriptor<'option'> = {
  label: 'Add a word to a list',
  help: 'Adds a word to the options of a field, here or in another table, unless it is there.',
  formulas: ({ word }) => [word],
  writes: ({ field }) => [field],
  turned: (step, { formula, field }) => ({ ...step, field: field(step.field), word: formula(step.word) }),
  words({ model, scope }, { field, word }) {
    const found = findField(model, field);
    const list = found ? `${found.field.label} in ${found.table.label}` : 'a field';
    return `add ${said(scope.model, word)} to the options of ${list}`;
  },
  print({ model, scope }, { field, word }) {
    const found = findField(model, field);
    return {
      do: 'option',
      table: found ? tableKey(found.table) : '',
      field: found?.field.key ?? '',
      word: printStanding(scope.model, word),
    };
  },
  read({ model, scope }, json, at) {
    const table = json.table === undefined ? good(scope.table) : readTable(model, json.table, `${at}/table`);
    if (!table.ok) return table;
    const field = fieldNamed(table.value, String(json.field));
    if (field?.type.kind !== 'option' && field?.type.kind !== 'options')
      return bad(
        `${table.value.label} has no list of options “${String(json.field)}”.`,
        'Choose a field with options.',
        `${at}/field`,
      );
    const word = readFormula(scope.model, scope.table, json.word, `${at}/word`);
    if (!word.ok) return word;
    if (word.value.type.is !== 'text' && word.value.type.is !== 'blank')
      return bad('A word of a list is a text.', 'Make a text of it: cast(… as text).', `${at}/word`);
    return good({ do: 'option', field: field.id, word: word.value });
  },
};
