import { comparison } from './comparison';
import { conversion } from './conversion';
import { dates } from './dates';
import type { FunctionDefinition } from './definition';
import { logic } from './logic';
import { numbers } from './numbers';
import { parts } from './parts';
import { text } from './text';

export type { CallContext, FunctionDefinition, Parameter, Signature, SqlContext } from './definition';

/** Every function and operator of the language, each once. */
export const functionTable: readonly FunctionDefinition[] = [...numbers, ...comparison, ...logic, ...text, ...dates, ...conversion, ...parts];

const byName = new Map(functionTable.map((definition) => [definition.name, definition]));

export const findFunction = (name: string): FunctionDefinition | undefined => byName.get(name);

/** A function a checked formula names; a missing one is a fault. */
export function functionNamed(name: string): FunctionDefinition {
  const found = byName.get(name);
  if (!found) throw new Error(`no function ${name}`);
  return found;
}

/** Functions that people call by name, not by a sign. */
export const callableNames: readonly string[] = functionTable
  .map(({ name }) => name)
  .filter((name) => /^[a-z_]+$/.test(name) && !['and', 'or', 'not', 'in', 'between', 'like', 'negate'].includes(name));
