import type { Recalculation } from '../calculation/effects';
import type { TableEdits, WriteDone } from './edits';
import { insertRecords } from './insertRecords';
import { removeRecords } from './removeRecords';
import { updateRecords } from './updateRecords';

/** Writes edits without what follows from them; `inserted`: the ids of new records, table by table. */
export async function writeEdits(
  run: Recalculation,
  edits: readonly TableEdits[],
): Promise<WriteDone & { readonly inserted: readonly (readonly number[])[] }> {
  // Records of several tables may point at each other, so their links are checked together at the end.
  if (edits.length > 1) await run.client.query('set constraints all deferred');
  const done: WriteDone[] = [];
  const inserted: (readonly number[])[] = [];
  for (const edit of edits) {
    const updated = await updateRecords(run, edit);
    const made = await insertRecords(run, edit);
    done.push(updated, made);
    inserted.push(made.ids);
  }
  for (const edit of edits) done.push(await removeRecords(run, edit));
  return {
    inserted,
    history: done.flatMap(({ history }) => history),
    effects: done.flatMap(({ effects }) => effects),
  };
}
