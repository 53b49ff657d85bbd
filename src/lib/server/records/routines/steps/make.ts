import { scopeBehind } from '$core/routines/scope';
import { tableOf } from '$core/model/model';
import { giving, mostNoted, noEdits, requireFitting, sampleOf, type StepRunner } from '../working';

export const make: StepRunner<'make'> = async ({ access, frame, filled, write, note }, step) => {
  const { model } = access.workspace;
  const table = tableOf(model, step.table);
  const { records, misfits } = await filled(table, step.fields);
  requireFitting(misfits);
  const insert = records.map(({ values }) => ({ values }));
  const [made = []] = insert.length > 0 ? await write([{ ...noEdits, table, insert }]) : [];
  note(records.slice(0, mostNoted).map(({ values }, at) => sampleOf(access, table, made[at] ?? null, values)));
  const of = new Map(records.map(({ id }, at) => [id, made[at] ?? null] as const));
  return giving(frame, scopeBehind(model, frame.scope, step), step.result.id, of);
};
