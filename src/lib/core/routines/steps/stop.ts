import { printStanding } from '../../filled/written';
import { good } from '../../base/problem';
import { checkCondition } from '../../formula/checker';
import { said } from '../said';
import type { StepDescriptor } from '../step';

export const stop: StepDescriptor<'stop'> = {
  label: 'Stop when',
  help: 'Nothing more is done for records that meet a condition.',
  formulas: ({ when }) => [when],
  writes: () => [],
  turned: (step, { formula }) => ({ ...step, when: formula(step.when) }),
  words: ({ scope }, { when }) => `stop when ${said(scope.model, when)}`,
  print: ({ scope }, { when }) => ({ do: 'stop', when: printStanding(scope.model, when) }),
  read({ scope }, json, at) {
    const { expression, problems } = checkCondition(scope.model, scope.table.id, String(json.when ?? ''));
    return expression
      ? good({ do: 'stop', when: expression })
      : { ok: false, problem: { ...(problems[0] ?? { message: 'This is no condition.' }), at: `${at}/when` } };
  },
};
