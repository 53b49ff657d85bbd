import type { Change } from '$core/types/change';
import type { FieldId } from '$core/types/identity';
import type { Model } from '$core/types/model';
import type { FieldType } from '$core/types/field';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import type { Client } from '../../database/pool';
import type { HistoryRow } from '../../records/edits';
import type { FixedValue } from '../../records/fixBeforeRule';
import type { SetAsideRow } from '../../records/keepAside';
import type { Effects } from '../../calculation/effects';
import type { LookedAt } from '../../records/sets/lookedAt';
import type { SetCounts } from '../../records/sets/outcome';
import type { CopiedValues } from '../copyValues';
import type { Counted, Counting } from './counting';
import type { ChangeStatements, DdlContext } from './places';

/** A column that a change of type left behind: what the new one lacks of it did not fit. */
export interface Converted {
  readonly field: FieldId;
  readonly kept: string;
  readonly from: FieldType;
}

/** What a change did to records, once its statements have run. */
export interface Worked {
  /** What has to be worked out anew for it. */
  readonly effects?: readonly Effects[];
  /** Calculated fields that are worked out anew. */
  readonly anew?: readonly FieldId[];
  readonly converted?: readonly Converted[];
  readonly history?: readonly HistoryRow[];
  readonly aside?: readonly SetAsideRow[];
  /** A field that nothing is set aside of any more. */
  readonly settled?: readonly NonNullable<CopiedValues['settles']>[];
  /** Of a change of records: how many it was about, and what became of them. */
  readonly counts?: SetCounts;
  /** Records that it wrote, to be looked at once all is calculated. */
  readonly lookedAt?: readonly LookedAt[];
}

/** What became of records whose values had to be fixed before a rule could hold. */
export const fixed = (values: readonly FixedValue[]): Worked => ({
  effects: [{ changed: values.map(({ field, id }) => [field, [id]] as const) }],
  history: values.map(({ table, field, id, before, now }) => ({
    table,
    first: id,
    last: id,
    kind: 'changed',
    before: { [field]: before },
    after: { [field]: now },
  })),
  aside: values.flatMap(({ table, id, field, text }) =>
    text === null ? [] : [{ table, record: id, field, text, reason: 'broke a new rule' }],
  ),
});

/** What a change works on its records with. */
export interface Work {
  readonly client: Client;
  /** The access with the model after the change, over the tables that are worked on. */
  readonly access: WorkspaceAccess;
  readonly before: Model;
  readonly bin: ReadonlySet<string>;
  /** The batch that what it does is kept with, and its place among the changes of it. */
  readonly batch: number;
  readonly step: number;
  /** Fields that the changes before it made. */
  readonly fresh: ReadonlySet<FieldId>;
}

/** All that the server knows of one kind of change; what is left out is nothing, and takes no time. */
export interface StoredChange<C extends Change> {
  /** The statements on real tables and columns. */
  statements?(change: C, context: DdlContext): ChangeStatements;
  /** What it would do, counted on what is stored. */
  counts?(change: C, counting: Counting): Promise<Counted>;
  /** What it does to records. */
  work?(change: C, work: Work): Promise<Worked>;
  /** Whether it takes longer the more records there are: it works over values, or something is calculated from them. */
  worksLong?(change: C, before: Model, after: Model, bin: ReadonlySet<string>): boolean;
}
