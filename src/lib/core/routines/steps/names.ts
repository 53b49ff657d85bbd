import { bad, good } from '../../base/problem';
import { printStanding, readField, readFormula, readTable, tableKey } from '../../filled/written';
import { findField, findTable, isEntered, isFed } from '../../model/model';
import { said } from '../said';
import type { StepDescriptor } from '../step';

export const names: StepDescriptor<'names'> = {
  label: 'Records from a list of words',
  help: 'Makes a record under this one for each word of a text; words that have theirs already make none.',
  formulas: ({ text }) => [text],
  writes: ({ field, link }) => [field, link],
  turned: (step, { formula, field }) => ({
    ...step,
    text: formula(step.text),
    field: field(step.field),
    link: field(step.link),
  }),
  words: ({ model, scope }, { text, separator, table, field }) =>
    `make a record of ${findTable(model, table)?.label ?? 'a table'} for each word of ` +
    `${said(scope.model, text)} between “${separator}” as ` +
    `${findField(model, field)?.field.label ?? 'a field'}`,
  print({ model, scope }, { text, separator, table, field, link }) {
    const to = findTable(model, table);
    return {
      do: 'names',
      text: printStanding(scope.model, text),
      separator,
      table: to ? tableKey(to) : '',
      field: findField(model, field)?.field.key ?? '',
      link: findField(model, link)?.field.key ?? '',
    };
  },
  read({ model, scope }, json, at) {
    const table = readTable(model, json.table, `${at}/table`);
    if (!table.ok) return table;
    const text = readFormula(scope.model, scope.table, json.text, `${at}/text`);
    if (!text.ok) return text;
    if (text.value.type.is !== 'text')
      return bad('The words stand in a text.', 'Choose a field with text.', `${at}/text`);
    const field = readField(table.value, json.field, `${at}/field`);
    if (!field.ok) return field;
    if (field.value.type.kind !== 'text' || !isEntered(field.value))
      return bad('A word goes into a field for text.', 'Choose another field.', `${at}/field`);
    const link = readField(table.value, json.link, `${at}/link`);
    if (!link.ok) return link;
    const { type } = link.value;
    if (type.kind !== 'link' || type.to !== scope.table.id || isFed(link.value))
      return bad(`${link.value.label} does not lead to ${scope.table.label}.`, 'Choose the link back.', `${at}/link`);
    const separator = typeof json.separator === 'string' && json.separator !== '' ? json.separator : ',';
    return good({
      do: 'names',
      text: text.value,
      separator,
      table: table.value.id,
      field: field.value.id,
      link: link.value.id,
    });
  },
};
