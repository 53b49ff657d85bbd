import { bad, good } from '../../base/problem';
import { fieldNamed, findField, isFed, tableOf } from '../../model/model';
import { selfId } from '../scope';
import type { StepDescriptor } from '../step';
import { fieldsIn, fillingWords, formulasIn, printFilling, readFilling, turnedFilling } from './filling';

export const set: StepDescriptor<'set'> = {
  label: 'Set fields',
  help: 'Gives fields of the record, or of one that a step before found or made, other values.',
  formulas: ({ fields }) => formulasIn(fields),
  writes: ({ fields }) => fieldsIn(fields),
  turned: (step, turning) => ({ ...step, fields: turnedFilling(step.fields, turning) }),
  words: ({ model, scope }, { of, fields }) => {
    const given = of === null ? '' : `in ${findField(scope.model, of)?.field.label ?? 'a record'} `;
    return `${given}set ${fillingWords(model, scope, fields)}`;
  },
  print: ({ scope }, { of, fields }) => ({
    do: 'set',
    ...(of === null ? {} : { of: findField(scope.model, of)?.field.key }),
    fields: printFilling(scope, fields),
  }),
  read({ model, scope }, json, at) {
    const named = json.of === undefined || json.of === null ? null : fieldNamed(scope.table, String(json.of));
    const of = named?.id === selfId ? null : named;
    if (of === undefined || (of && of.type.kind !== 'link') || (of && isFed(of)))
      return bad(`“${String(json.of)}” is no record that a step before gave, and no link.`, undefined, `${at}/of`);
    const owner = of?.type.kind === 'link' ? tableOf(model, of.type.to) : tableOf(model, scope.table.id);
    const fields = readFilling(scope, owner, json.fields, `${at}/fields`);
    return fields.ok ? good({ do: 'set', of: of?.id ?? null, fields: fields.value }) : fields;
  },
};
