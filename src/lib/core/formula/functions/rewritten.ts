import type { Syntax } from '../syntax';
import type { FunctionDefinition } from './definition';

type Call = Syntax & { readonly node: 'call' };
type Case = Syntax & { readonly node: 'case' };

/** A function that is another way to write `case`: read as that, and printed as that. */
export type RewrittenFunction = Pick<FunctionDefinition, 'name' | 'family' | 'usage' | 'help' | 'examples'> & {
  /** Null when the arguments do not go in pairs. */
  readonly rewrite: (call: Call) => Case | null;
};

const pairs = (args: readonly Syntax[]) =>
  args.flatMap((when, index) => {
    const then = args[index + 1];
    return index % 2 === 0 && then ? [{ when, then }] : [];
  });

export const rewrittenFunctions: readonly RewrittenFunction[] = [
  {
    name: 'ifs',
    family: 'logic',
    usage: 'ifs(condition, then, condition, then, …)',
    help: 'The value behind the first condition that holds; blank when none does. Kept as case when … end.',
    rewrite: ({ args, at }) =>
      args.length >= 2 && args.length % 2 === 0
        ? { node: 'case', operand: null, otherwise: null, at, whens: pairs(args) }
        : null,
    examples: [
      ["ifs(1 > 2, 'a', 2 > 1, 'b')", 'b'],
      ["ifs(1 > 2, 'a')", ''],
    ],
  },
  {
    name: 'switch',
    family: 'logic',
    usage: 'switch(x, value, then, …, otherwise)',
    help: 'What stands behind the value that x equals; the last, when it stands alone, for all others. Kept as case … end.',
    rewrite({ args, at }) {
      const [operand, ...rest] = args;
      if (!operand || rest.length < 2) return null;
      const otherwise = rest.length % 2 === 1 ? (rest.at(-1) ?? null) : null;
      return { node: 'case', operand, otherwise, at, whens: pairs(otherwise ? rest.slice(0, -1) : rest) };
    },
    examples: [
      ["switch(2, 1, 'one', 2, 'two', 'many')", 'two'],
      ["switch(7, 1, 'one', 2, 'two', 'many')", 'many'],
    ],
  },
];
