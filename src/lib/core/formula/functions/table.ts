import { calendar } from './calendar';
import { comparison } from './comparison';
import { conversion } from './conversion';
import { dates } from './dates';
import type { FunctionDefinition } from './definition';
import { formats } from './formats';
import { logic } from './logic';
import { moneyFunctions } from './money';
import { numbers } from './numbers';
import { parts } from './parts';
import { powers } from './powers';
import { rewrittenFunctions } from './rewritten';
import { text } from './text';

export type { CallContext, FunctionDefinition, Parameter, Signature } from './definition';

/** Every function and operator of the language, each once. */
export const functionTable: readonly FunctionDefinition[] = [
  ...numbers,
  ...powers,
  ...moneyFunctions,
  ...comparison,
  ...logic,
  ...text,
  ...formats,
  ...dates,
  ...calendar,
  ...conversion,
  ...parts,
];

const byName = new Map(functionTable.map((definition) => [definition.name, definition]));

export const findFunction = (name: string): FunctionDefinition | undefined => byName.get(name);

/** A function a checked formula names; a missing one is a fault. */
export function functionNamed(name: string): FunctionDefinition {
  const found = byName.get(name);
  if (!found) throw new Error(`no function ${name}`);
  return found;
}

/** What is known of a function that people call by name, for completion, signature help and the reference. */
export type CalledFunction = Pick<FunctionDefinition, 'family' | 'usage' | 'help' | 'examples'> & {
  readonly name: string;
  readonly signatures: FunctionDefinition['signatures'];
};

const bySign = new Set(['and', 'or', 'not', 'in', 'between', 'like', 'negate']);

/** Functions that people call by name, not by a sign; those of several names under each. */
export const calledFunctions: readonly CalledFunction[] = [
  ...functionTable.flatMap((one) =>
    [one.name, ...(one.also ?? [])]
      .filter((name) => /^[a-z_]+$/.test(name) && !bySign.has(name))
      .map((name) => ({ ...one, name })),
  ),
  ...rewrittenFunctions.map((one) => ({ ...one, signatures: [] })),
];

export const callableNames: readonly string[] = calledFunctions.map(({ name }) => name);

/** The functions a name can mean, by the types it is given. */
export function functionsCalled(name: string): readonly FunctionDefinition[] {
  const own = byName.get(name);
  return meanings[name]?.flatMap((one) => byName.get(one) ?? []) ?? (own ? [own] : []);
}

/** Signs that mean different functions for different types, and second names. */
const meanings: Readonly<Record<string, readonly string[]>> = {
  '+': ['+', 'days later', 'interval later', 'money plus'],
  '-': ['-', 'days between', 'days earlier', 'interval earlier', 'money minus'],
  '*': ['*', 'money times', 'times money'],
  '/': ['/', 'money over', 'money ratio'],
  round: ['round', 'money rounded'],
  negate: ['negate', 'money negated'],
  ...Object.fromEntries(functionTable.flatMap(({ name, also = [] }) => also.map((other) => [other, [name]]))),
};

export const rewrittenNamed = (name: string) => rewrittenFunctions.find((one) => one.name === name);
