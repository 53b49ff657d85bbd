import { bad, good } from '../../base/problem';
import { readTable, tableKey } from '../../filled/written';
import { fieldNamed, findField, findTable, isFed } from '../../model/model';
import type { StepDescriptor } from '../step';
import { resultLabel } from '../scope';
import { fieldsIn, fillingWords, formulasIn, printFilling, readFilling, readResult, turnedFilling } from './filling';

export const find: StepDescriptor<'find'> = {
  label: 'Find a record and link it',
  help: 'Finds the first record whose fields have these values, makes it where there is none, and points a link at it.',
  formulas: ({ by, fields }) => [...formulasIn(by), ...formulasIn(fields)],
  writes: ({ by, fields, make, link }) => [
    ...(make ? [...fieldsIn(by), ...fieldsIn(fields)] : []),
    ...(link === null ? [] : [link]),
  ],
  turned: (step, turning) => ({
    ...step,
    by: turnedFilling(step.by, turning),
    fields: turnedFilling(step.fields, turning),
    link: step.link === null ? null : turning.field(step.link),
  }),
  words({ model, scope }, { table, by, make, fields, link }) {
    const label = findTable(model, table)?.label ?? 'a table';
    const made = make
      ? ` (make it when there is none${fields.length > 0 ? `, with ${fillingWords(model, scope, fields)}` : ''})`
      : '';
    const linked = link === null ? '' : ` and point ${findField(model, link)?.field.label ?? 'a link'} at it`;
    return `find the record of ${label} where ${fillingWords(model, scope, by, 'is')}${made}${linked}`;
  },
  print({ model, scope }, { table, by, make, fields, link, result }) {
    const to = findTable(model, table);
    return {
      do: 'find',
      table: to ? tableKey(to) : '',
      by: printFilling(scope, by),
      make,
      fields: printFilling(scope, fields),
      ...(link === null ? {} : { link: findField(model, link)?.field.key }),
      result: result.label,
    };
  },
  read({ model, scope }, json, at) {
    const table = readTable(model, json.table, `${at}/table`);
    if (!table.ok) return table;
    const by = readFilling(scope, table.value, json.by, `${at}/by`);
    if (!by.ok) return by;
    const fields = readFilling(scope, table.value, json.fields ?? [], `${at}/fields`, true);
    if (!fields.ok) return fields;
    const link = json.link === undefined || json.link === null ? null : fieldNamed(scope.table, String(json.link));
    const isGiven = scope.given.some(({ id }) => id === link?.id);
    if (link === undefined || isGiven || (link && (link.type.kind !== 'link' || isFed(link))))
      return bad(`${scope.table.label} has no link “${String(json.link)}”.`, 'Choose one, or none.', `${at}/link`);
    if (link?.type.kind === 'link' && link.type.to !== table.value.id)
      return bad(`${link.label} does not lead to ${table.value.label}.`, 'Choose another link.', `${at}/link`);
    const result = readResult(json.result, resultLabel('find', table.value), `${at}/result`);
    if (!result.ok) return result;
    return good({
      do: 'find',
      table: table.value.id,
      by: by.value,
      make: json.make === true,
      fields: fields.value,
      link: link?.id ?? null,
      result: result.value,
    });
  },
};
