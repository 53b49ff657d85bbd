import { bad, good } from '../../base/problem';
import { fieldOf, tableOf } from '../../model/model';
import { printFilled, readAll, readFilled, readTable } from '../../filled/written';
import { printTaken, readTaken } from '../names';
import type { WorkDescriptor } from '../work';

export const fill: WorkDescriptor<'fill'> = {
  label: 'Fill by formula',
  help: 'Sets a field of many records at once, by a formula or to one value.',
  title: (model, { table, set }) =>
    `${set.map(({ field }) => fieldOf(model, field).field.label).join(', ')} filled in ${tableOf(model, table).label}`,
  compile: (_, { table, where, records, set }) =>
    good({
      changes: [{ do: 'setValues', table, chosen: { where, ...(records ? { only: records } : {}) }, set }],
      links: [],
      formulas: [],
      problems: [],
    }),
  print: (model, transfer) => ({
    work: 'fill',
    ...printTaken(model, transfer),
    set: transfer.set.flatMap((one) => printFilled(model, one) ?? []),
  }),
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const taken = readTaken(model, table.value, json);
    if (!taken.ok) return taken;
    const set = readAll(json.set, '/set', (one, at) => readFilled(model, table.value, table.value, one, at));
    if (!set.ok) return set;
    if (set.value.length === 0) return bad('Nothing is filled.', 'Choose a field and write its formula.', '/set');
    return good({ work: 'fill', ...taken.value, set: set.value });
  },
};
