import { tablesFrom } from '$core/flow/graph';
import type { Table } from '$core/types/model';
import { findTable } from '$core/model/model';
import { seeing, type WorkspaceAccess } from '../access/workspaceAccess';

import { Gathered } from '../calculation/effects';
import type { Client } from '../database/pool';
import type { ReportProgress } from '../database/progress';
import { byIds, recordsOf } from '../query/read';
import type { RecordOut } from '../query/recordJson';
import type { BatchInfo, Following, TableEdits } from './edits';
import { recalculate } from './recalculate';
import { recordBatch } from './recordBatch';
import { noteDrawn, withDrawn, type DrawnBefore } from './routines/drawn';
import { keepOutgoing } from './routines/outgoing';
import { noneRan, runRoutines } from './routines/runRoutines';
import { keepTruth } from './routines/triggered';
import { holdRules } from './holdRules';
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
  /** It is rolled back. */
  readonly tries?: boolean;
  /** What the edit drew before it was begun again. */
  readonly drawn?: DrawnBefore;
  /** Nothing is set off by it: it is tried, brings back what was, or is made up. */
  readonly quiet?: boolean | undefined;
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
  const { inserted, history, effects } = await writeEdits(run, withDrawn(edits, writing.drawn));
  const followed = await recalculate(run, effects);
  await requireEntered(client, access, edits, inserted);
  await holdRules(writing, edits, inserted);
  const happened = { known: followed.known, history: [...history, ...followed.history], form: info.form ?? null };
  if (writing.quiet) await keepTruth(run, followed.known);
  const ran = writing.quiet
    ? noneRan
    : await runRoutines(run, happened).catch(async (error: unknown) => {
        await noteDrawn(run, error, edits, inserted);
        throw error;
      });
  const edited = [...new Gathered(effects).changedFields(), ...ran.changed];
  const tables = [
    ...edits.map(({ table }) => table),
    ...tablesFrom(model, edited),
    ...followed.touched,
    ...ran.touched,
  ].map(({ id }) => id);
  const made = inserted[edits.findIndex(({ table }) => table === answered?.table)] ?? [];
  const ids = [...made, ...(answered?.changed ?? [])];
  // Answered is what the person sees of it.
  const seen = seeing(access);
  const table = answered && findTable(seen.workspace.model, answered.table.id);
  const answer = table && ids.length > 0 ? byIds(seen, table, ids) : null;
  const written = [...history, ...followed.history, ...ran.history];
  const { batch, rows } = await recordBatch(writing, { ...info, runs: ran.runs }, written, tables, answer);
  await keepOutgoing(run, batch, ran.outgoing);
  return { batch, inserted, records: table ? recordsOf(seen, table, ids, rows) : [] };
}
