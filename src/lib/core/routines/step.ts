import type { Result } from '../base/problem';
import type { Written } from '../filled/written';
import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model } from '../types/model';
import type { Step, StepKind, StepOf } from '../types/routine';
import type { Scope } from './scope';

/** How a step is made anew: with other formulas, and with fields in the place of others. */
export interface Turning {
  readonly formula: (formula: Expression) => Expression;
  readonly field: (field: FieldId) => FieldId;
}

/** What a step reads with: everything that stands, what the step sees of it, and the steps within it. */
interface Reading {
  readonly model: Model;
  readonly scope: Scope;
  readonly steps: (scope: Scope, json: unknown, at: string) => Result<readonly Step[]>;
}

/** All that the core knows of one kind of step; steps within it are asked by themselves. */
export interface StepDescriptor<K extends StepKind> {
  /** What a person chooses: *Set fields*. */
  readonly label: string;
  readonly help: string;
  /** Whether it is done within the edit, or sent once that stands. */
  readonly sends?: true;
  formulas(step: StepOf<K>): readonly Expression[];
  /** The fields that it writes. */
  writes(step: StepOf<K>): readonly FieldId[];
  turned(step: StepOf<K>, turning: Turning): StepOf<K>;
  /** As a part of a sentence: *sets state to 'done'*. */
  words(reading: Pick<Reading, 'model' | 'scope'>, step: StepOf<K>, inner: (scope: Scope) => string): string;
  print(reading: Pick<Reading, 'model' | 'scope'>, step: StepOf<K>, inner: (scope: Scope) => unknown): Written;
  read(reading: Reading, json: Written, at: string): Result<StepOf<K>>;
}
