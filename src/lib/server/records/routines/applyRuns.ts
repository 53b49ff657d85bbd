import { tablesFrom } from '$core/flow/graph';
import type { Writing } from '../applyEdits';
import type { BatchInfo, Following } from '../edits';
import { recordBatch } from '../recordBatch';
import { givingNumbersBack } from './drawn';
import { keepOutgoing } from './outgoing';
import { keepRunsAlone, runRoutines, type Ran } from './runRoutines';
import type { SetOff } from './triggered';

/** Runs routines that no edit set off: by hand, or by the clock; all that they write is one batch. */
export async function applyRuns(
  { client, access, exclusive, ask }: Writing,
  setOff: readonly SetOff[],
  info: BatchInfo,
): Promise<{ readonly batch: number | null; readonly ran: Ran }> {
  const run: Following = { client, access, workspace: access.workspace, exclusive };
  // It stands alone: what it calculates is not asked about, what it sends is.
  const sending = { client, access, ask };
  const ran = await givingNumbersBack(run, () => runRoutines(run, setOff));
  if (ran.history.length === 0) {
    await keepRunsAlone(sending, ran);
    return { batch: null, ran };
  }
  const tables = [...ran.touched, ...tablesFrom(access.workspace.model, ran.changed)].map(({ id }) => id);
  const { batch } = await recordBatch({ client, access }, { ...info, runs: ran.runs }, ran.history, tables);
  await keepOutgoing(sending, batch, ran.outgoing);
  return { batch, ran };
}
