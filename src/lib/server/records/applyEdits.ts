import { tablesFrom } from '$core/flow/graph';
import type { Table } from '$core/types/model';
import { findTable } from '$core/model/model';
import { seeing, type WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal } from '../base/refusal';

import { Gathered } from '../calculation/effects';
import type { Client } from '../database/pool';
import type { ReportProgress } from '../database/progress';
import { byIds, recordsOf } from '../query/read';
import type { RecordOut } from '../query/recordJson';
import { mostProblems } from './draftChecks';
import type { BatchInfo, Following, TableEdits } from './edits';
import { recalculate } from './recalculate';
import { recordBatch } from './recordBatch';
import { brokenRules, type BrokenRule } from './rules';
import { writeEdits } from './writeEdits';
import { requireEditable, requireEntered } from './writeRights';

/** What an open transaction writes with. */
export interface Writing {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  /** The transaction holds the workspace alone. */
  readonly exclusive: boolean;
  /** Where the work may take long. */
  readonly reportProgress?: ReportProgress;
  /** Whether an edit with very many consequences is to ask first. */
  readonly ask?: boolean;
}

/**
 * The one way records are written: writes the edits, brings what is calculated up to date, holds the rules that the
 * database does not hold by itself and keeps the history, all in the transaction given. Returns the batch, the ids of
 * new records, table by table, and as they are now the records that were made in the table `answered`, and those named.
 */
export async function applyEdits(
  writing: Writing,
  edits: readonly TableEdits[],
  info: BatchInfo,
  answered?: { readonly table: Table; readonly changed: readonly number[] },
): Promise<{
  readonly batch: number;
  readonly inserted: readonly (readonly number[])[];
  readonly records: readonly RecordOut[];
}> {
  const { client, access, exclusive, ask, reportProgress } = writing;
  const { model } = access.workspace;
  // How far it is can be told only where it stands alone: the many small edits side by side are over at once.
  const run: Following = {
    client,
    access,
    workspace: access.workspace,
    exclusive,
    ask,
    reportProgress: exclusive ? reportProgress : undefined,
  };
  await requireEditable(client, access, edits);
  const { inserted, history, effects } = await writeEdits(run, edits);
  const followed = await recalculate(run, effects);
  await requireEntered(client, access, edits, inserted);
  await holdRules(writing, edits, inserted);
  const edited = new Gathered(effects).changedFields();
  const tables = [...edits.map(({ table }) => table), ...tablesFrom(model, edited), ...followed.touched].map(
    ({ id }) => id,
  );
  const made = inserted[edits.findIndex(({ table }) => table === answered?.table)] ?? [];
  const ids = [...made, ...(answered?.changed ?? [])];
  // Answered is what the person sees of it.
  const seen = seeing(access);
  const table = answered && findTable(seen.workspace.model, answered.table.id);
  const answer = table && ids.length > 0 ? byIds(seen, table, ids) : null;
  const { batch, rows } = await recordBatch(writing, info, [...history, ...followed.history], tables, answer);
  return { batch, inserted, records: table ? recordsOf(seen, table, ids, rows) : [] };
}

/**
 * Records that break a rule which is looked at once they are written, each with its place among the edits of its table.
 */
export class RulesBroken extends Refusal {
  constructor(
    readonly broken: readonly (BrokenRule & {
      readonly table: Table;
      readonly kind: 'insert' | 'update';
      readonly index: number;
    })[],
  ) {
    const [first] = broken;
    super(422, { message: `${first?.title}: ${first?.message}`, fix: first?.fix });
  }
}

/** Refuses records that break what the database does not hold them to by itself, once they are written. */
export async function holdRules(
  { client, access }: Writing,
  edits: readonly TableEdits[],
  inserted: readonly (readonly number[])[],
): Promise<void> {
  const broken: RulesBroken['broken'][number][] = [];
  for (const [at, { table, insert, update }] of edits.entries()) {
    const made = inserted[at] ?? [];
    const most = insert.length + update.length > 1 ? mostProblems : 1;
    const changed = update.map(({ id }) => id);
    const written = new Set(update.flatMap(({ values }) => [...values.keys()]));
    for (const one of await brokenRules(client, access, table, made, null, most))
      broken.push({ ...one, table, kind: 'insert', index: made.indexOf(one.id) });
    for (const one of await brokenRules(client, access, table, changed, written, most))
      broken.push({ ...one, table, kind: 'update', index: changed.indexOf(one.id) });
  }
  if (broken.length > 0) throw new RulesBroken(broken);
}
