import type { Scalar, ValueType } from '../../types/expression';

/** What an argument may be. `same`: all such arguments share one type; `ordered`: the same, one that has an order. */
export type Parameter =
  Exclude<ValueType['is'], 'blank' | 'option' | 'record' | 'records'> | 'same' | 'ordered' | 'any';

export interface Signature {
  readonly takes: readonly Parameter[];
  /** How many of the last parameters may be left out. */
  readonly optional?: number;
  /** Further arguments of this kind, any number. */
  readonly rest?: Parameter;
  readonly gives: 'text' | 'number' | 'boolean' | 'date' | 'timestamp' | 'duration' | 'money' | 'member' | 'same';
}

export interface CallContext {
  /** The workspace's day, ISO 8601. */
  readonly today: string;
  /** The workspace's time zone, by its IANA name; UTC when left out. */
  readonly zone?: string;
  /** Who a number of the Directory is. */
  readonly person?: (id: number) => { readonly name: string; readonly email: string } | undefined;
  /** The number of whoever looks; nobody when left out. */
  readonly viewer?: number;
}

/** What stands in a statement for the workspace's day and zone, and for whoever looks. */
interface SqlContext {
  readonly today: string;
  readonly zone: string;
  readonly viewer: string;
}

/**
 * A function or operator of the language. It stands in one table with everything that is known of it: the checker,
 * both machines, the reference and the editor's completion are made from that.
 */
export interface FunctionDefinition {
  readonly name: string;
  /** Other names it is called by; it is printed by its own. */
  readonly also?: readonly string[];
  readonly family: 'numbers' | 'comparison' | 'logic' | 'text' | 'dates' | 'conversion' | 'parts';
  /** How it is written, for people. */
  readonly usage: string;
  readonly help: string;
  readonly signatures: readonly Signature[];
  /** `spreads`: any blank argument makes the result blank, and `evaluate` never sees one. `own`: it decides itself. */
  readonly blanks: 'spreads' | 'own';
  /** Can be blank although no argument is. */
  readonly mayBlank?: string;
  readonly evaluate: (args: readonly Scalar[], context: CallContext, types: readonly ValueType[]) => Scalar;
  /** The same in PostgreSQL; arguments come in brackets and typed. */
  readonly sql: (args: readonly string[], context: SqlContext, types: readonly ValueType[]) => string;
  /** Formula and its value as text, each a test. */
  readonly examples: readonly (readonly [formula: string, value: string])[];
}
