import type { Change } from '$core/types/change';
import type { Model } from '$core/types/model';
import { addField } from './addField';
import { addTable } from './addTable';
import { changeField } from './changeField';
import { changeTable } from './changeTable';
import { copyValues } from './copyValues';
import type { Counted, Counting } from './counting';
import type { StoredChange, Work, Worked } from './descriptor';
import { nothing, type ChangeStatements, type DdlContext } from './places';
import { addPart, changePart } from './parts';
import { compareValues, copyRecords, pointLinks, removeRecords, setValues } from './records';
import { removeField } from './removeField';
import { removeTable } from './removeTable';
import { addRule, removeRule } from './rules';

/** The registry: what the server does for each kind of change. One that stands in the model alone is not in it. */
const storedChanges: {
  readonly [K in Change['do']]?: StoredChange<Extract<Change, { readonly do: K }>>;
} = {
  addTable,
  changeTable,
  removeTable,
  addField,
  changeField,
  removeField,
  addPart,
  changePart,
  addRule,
  removeRule,
  copyValues,
  copyRecords,
  setValues,
  pointLinks,
  removeRecords,
  compareValues,
};

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const descriptorOf = (change: Change) => storedChanges[change.do] as StoredChange<Change> | undefined;

/** A change as statements on real tables and columns. */
export const statementsOf = (change: Change, context: DdlContext): ChangeStatements =>
  descriptorOf(change)?.statements?.(change, context) ?? nothing;

/** What a change would do, counted on what is stored. */
export const countsOf = async (change: Change, counting: Counting): Promise<Counted> =>
  (await descriptorOf(change)?.counts?.(change, counting)) ?? {};

/** Does to records what a change does to them, once its statements have run. */
export const workOf = async (change: Change, work: Work): Promise<Worked> =>
  (await descriptorOf(change)?.work?.(change, work)) ?? {};

/** Whether a change takes longer the more records there are. */
export const worksLong = (change: Change, before: Model, after: Model, bin: ReadonlySet<string>): boolean =>
  descriptorOf(change)?.worksLong?.(change, before, after, bin) ?? false;
