import { bad, good } from '../../base/problem';
import { fieldNamed, findField, linkedTable } from '../../model/model';
import type { StepDescriptor } from '../step';
import { scopeWithin, selfId } from '../scope';
import { readResult } from './filling';

export const each: StepDescriptor<'each'> = {
  label: 'For each linked record',
  help: 'Does steps for every record that a link leads to, or that links to this one.',
  formulas: () => [],
  writes: () => [],
  turned: (step, turning) => ({ ...step, over: turning.field(step.over) }),
  words({ model, scope }, { over, result }, inner) {
    const found = findField(model, over);
    const to = found && linkedTable(model, found.field);
    const within = to ? inner(scopeWithin(model, scope, to.table.id, result)) : '';
    return `for each of ${found?.field.label ?? 'the linked records'}: ${within}`;
  },
  print({ model, scope }, { over, result }, inner) {
    const found = findField(model, over);
    const to = found && linkedTable(model, found.field);
    return {
      do: 'each',
      over: found?.field.key ?? '',
      result: result.label,
      steps: to ? inner(scopeWithin(model, scope, to.table.id, result)) : [],
    };
  },
  read({ model, scope, steps }, json, at) {
    const over = fieldNamed(scope.table, String(json.over));
    const to = over && over.id !== selfId && linkedTable(model, over);
    if (!over || !to) return bad(`“${String(json.over)}” leads to no records.`, 'Choose a link.', `${at}/over`);
    const result = readResult(json.result, scope.table.label, `${at}/result`);
    if (!result.ok) return result;
    const within = steps(scopeWithin(model, scope, to.table.id, result.value), json.steps, `${at}/steps`);
    return within.ok ? good({ do: 'each', over: over.id, result: result.value, steps: within.value }) : within;
  },
};
