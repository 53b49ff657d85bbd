import type { Scalar } from '../../types/expression';
import type { FunctionDefinition } from './definition';

/** Three-valued as in SQL: a blank is undecided. */
const all = (args: readonly Scalar[]): Scalar => (args.includes(false) ? false : args.includes(null) ? null : true);
const any = (args: readonly Scalar[]): Scalar => (args.includes(true) ? true : args.includes(null) ? null : false);

export const logic: readonly FunctionDefinition[] = [
  {
    name: 'and',
    family: 'logic',
    usage: 'a and b',
    help: 'Whether all hold.',
    signatures: [{ takes: ['boolean'], rest: 'boolean', gives: 'boolean' }],
    blanks: 'own',
    evaluate: all,
    sql: (args) => `(${args.join(' and ')})`,
    examples: [
      ['true and null', ''],
      ['false and null', 'false'],
    ],
  },
  {
    name: 'or',
    family: 'logic',
    usage: 'a or b',
    help: 'Whether one of them holds.',
    signatures: [{ takes: ['boolean'], rest: 'boolean', gives: 'boolean' }],
    blanks: 'own',
    evaluate: any,
    sql: (args) => `(${args.join(' or ')})`,
    examples: [
      ['true or null', 'true'],
      ['or(false, true)', 'true'],
    ],
  },
  {
    name: 'not',
    family: 'logic',
    usage: 'not a',
    help: 'Whether it does not hold.',
    signatures: [{ takes: ['boolean'], gives: 'boolean' }],
    blanks: 'spreads',
    evaluate: ([a]) => !a,
    sql: ([a]) => `(not ${a})`,
    examples: [['not 1 = 2', 'true']],
  },
  {
    name: 'if',
    family: 'logic',
    usage: 'if(condition, then, else)',
    help: 'One value when the condition holds, otherwise the other, or blank.',
    signatures: [{ takes: ['boolean', 'same', 'same'], optional: 1, gives: 'same' }],
    blanks: 'own',
    mayBlank: 'the condition does not hold',
    evaluate: ([condition, then, otherwise]) => (condition === true ? (then ?? null) : (otherwise ?? null)),
    sql: ([condition, then, otherwise]) =>
      `(case when ${condition} then ${then}${otherwise === undefined ? '' : ` else ${otherwise}`} end)`,
    examples: [
      ["if(2 > 1, 'more', 'less')", 'more'],
      ['if(null, 1, 2)', '2'],
    ],
  },
];
