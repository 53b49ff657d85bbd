import type { Pool } from '../../src/lib/server/database/pool';
import { fuzzing } from '../safety/fuzzing';
import { figure, type Figure } from './measure';
import { apply, benchPerson, freshWorkspace } from './world';

/** In milliseconds. */
const goesOn = 600_000;

/**
 * Random calls of all endpoints that take JSON for ten minutes, with a seed that is said, so that what is found is
 * found again.
 */
export async function* fuzz(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  const seed = (Date.now() % 2_147_483_646) + 1;
  console.error(`seed ${seed}`);
  const key = 'bench_fuzz';
  const fields = ['name', 'note', 'kg', 'day', 'state', 'site', 'visits', 'total'];
  async function ground() {
    await apply(pool, await freshWorkspace(pool, person, key), [
      { do: 'addTable', label: 'Sites', fields: [{ label: 'Name', type: 'text', unique: true }] },
      {
        do: 'addTable',
        label: 'Visits',
        fields: [
          { label: 'Note', type: 'text' },
          { label: 'Kg', type: 'number' },
          { label: 'Day', type: 'date' },
          { label: 'State', type: 'option', options: ['weak', 'strong'] },
          { label: 'Site', type: 'link', to: 'sites', counterpart: { label: 'Visits' } },
        ],
      },
      { do: 'addField', table: 'sites', field: { label: 'Total', type: 'formula', formula: 'sum(visits.kg)' } },
    ]);
    return fuzzing(pool, person, { workspace: key, tables: ['sites', 'visits'], fields }, seed);
  }
  const next = await ground();
  const until = Date.now() + goesOn;
  const found = new Map<string, string>();
  let calls = 0;
  for (; Date.now() < until; calls++) {
    const { fault } = await next();
    if (fault && !found.has(fault.call)) console.error(fault.call, fault.sent.slice(0, 1000), fault.answer);
    if (fault) found.set(fault.call, fault.sent);
  }
  yield figure('fuzz', 'calls made', calls, null, 'calls', null);
  yield figure('fuzz', 'calls answered with a fault', found.size, null, 'calls', 0);
}
