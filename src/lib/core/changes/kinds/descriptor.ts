import type { Result } from '../../base/problem';
import type { Change } from '../../types/change';
import type { Model } from '../../types/model';

/** The names that things have in a model that knows them; what is not in it is called what it is. */
export interface Names {
  /** The model that knows what the change is about. */
  readonly model: Model;
  /** The model before the change. */
  readonly before: Model;
  table(id: string): string;
  field(owner: string, id: string): string;
  /** `Table.Field`. */
  path(owner: string, id: string): string;
}

/** All that the core knows of one kind of change. */
export interface ChangeDescriptor<C extends Change> {
  /** The model after the change, or why it cannot be made. */
  apply(model: Model, change: C): Result<Model>;
  /** The changes that undo it, over the model before it. */
  invert(model: Model, change: C): readonly Change[];
  /**
   * What it is about within its table, by identity: a later change of the same stands on it. Nothing for what only
   * puts things in an order.
   */
  subjects(change: C): readonly string[];
  /** It changes records, and leaves the structure as it is. */
  readonly ofRecords?: true;
  /** What it does, in a few of the person's words, with what was before where something is given another value. */
  words(change: C, names: Names): string;
}
