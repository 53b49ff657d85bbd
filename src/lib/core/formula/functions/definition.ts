import type { Scalar, ValueType } from '../expression';

/** What an argument may be. `same`: all such arguments share one type. */
export type Parameter = 'text' | 'number' | 'boolean' | 'date' | 'interval' | 'same' | 'any';

export interface Signature {
  readonly takes: readonly Parameter[];
  /** How many of the last parameters may be left out. */
  readonly optional?: number;
  /** Further arguments of this kind, any number. */
  readonly rest?: Parameter;
  readonly gives: Exclude<Parameter, 'any' | 'interval'>;
}

export interface CallContext {
  /** The workspace's day, ISO 8601. */
  readonly today: string;
}

/**
 * A function or operator of the language. It stands in one table with everything that is known of it: the checker,
 * both machines, the reference and the editor's completion are made from that.
 */
export interface FunctionDefinition {
  readonly name: string;
  readonly family: 'numbers' | 'comparison' | 'logic' | 'text' | 'dates' | 'conversion';
  /** How it is written, for people. */
  readonly usage: string;
  readonly help: string;
  readonly signatures: readonly Signature[];
  /** `spreads`: any blank argument makes the result blank, and `evaluate` never sees one. `own`: it decides itself. */
  readonly blanks: 'spreads' | 'own';
  /** Can be blank although no argument is. */
  readonly mayBlank?: string;
  readonly evaluate: (args: readonly Scalar[], context: CallContext, types: readonly ValueType[]) => Scalar;
  /** The same in PostgreSQL; arguments come in brackets and typed. `today` is the statement's parameter for the day. */
  readonly sql: (args: readonly string[], today: string, types: readonly ValueType[]) => string;
  /** Formula and its value as text, each a test. */
  readonly examples: readonly (readonly [formula: string, value: string])[];
}
