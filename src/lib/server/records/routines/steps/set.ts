import { pathTo } from '$core/filled/path';
import { findField, tableOf, typeAs } from '$core/model/model';
import { mostNoted, requireFitting, sampleOf, type StepRunner } from '../working';

export const set: StepRunner<'set'> = async ({ access, frame, filled, values: read, later, note }, { of, fields }) => {
  const { scope } = frame;
  const { model } = access.workspace;
  const link = of === null ? undefined : findField(scope.model, of)?.field;
  const owner = tableOf(model, link ? typeAs(link, 'link').to : scope.table.id);
  const { records, misfits } = await filled(owner, fields);
  requireFitting(misfits);
  const targets = new Map<number, number>();
  if (link) {
    // Of a link of the table's own the record is read, of a result it is known.
    const known = scope.given.some(({ id }) => id === link.id)
      ? new Map(frame.rows.map(({ id, given }) => [id, given.get(link.id) ?? null]))
      : new Map([...(await read([pathTo(link)]))].map(([id, [target]]) => [id, target ?? null]));
    for (const [id, target] of known) if (typeof target === 'number') targets.set(id, target);
  }
  // Where several records set one, the last of them does.
  const update = new Map(
    records.flatMap(({ id, values }) => {
      const record = link ? targets.get(id) : id;
      return record === undefined ? [] : [[record, { id: record, values }] as const];
    }),
  );
  const all = [...update.values()].sort((a, b) => a.id - b.id);
  later(owner, all);
  note(all.slice(0, mostNoted).map(({ id, values }) => sampleOf(access, owner, id, values)));
  return frame;
};
