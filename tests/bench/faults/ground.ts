import { openPool, type Pool } from '../../../src/lib/server/database/pool';
import { makeToken } from '../../../src/lib/server/access/tokens';
import { tableAt, authorize, type WorkspaceAccess } from '../../../src/lib/server/access/workspaceAccess';
import { makeAddress } from '../../../src/lib/server/forms/addresses';
import { partNamed } from '../../../src/lib/server/structure/tableParts';
import { apply, benchPerson, freshWorkspace } from '../world';
import { Caller } from './caller';

export const workspaceKey = 'faults';
export const ofWorkspace = `/api/workspaces/${workspaceKey}`;
/** Visits that stand from the beginning, over so many sites. */
export const [visitCount, siteCount] = [2_000, 20];

/** What the works of a fault run stand on. */
export interface Ground {
  readonly pool: Pool;
  /** Connections from before a kill may not know yet that they are gone: the next looks are over new ones. */
  readonly connectAnew: () => Promise<void>;
  readonly call: Caller;
  readonly formAddress: string;
  /** As it is stored now. */
  readonly access: () => Promise<WorkspaceAccess>;
}

/** Visits at sites, each site with sums of its visits; a form for anybody; a diary that is typed. */
export async function makeGround(url: string, origin: string): Promise<Ground> {
  let pool = openPool(url, 4);
  const person = await benchPerson(pool);
  const access = await apply(pool, await freshWorkspace(pool, person, workspaceKey), [
    { do: 'addTable', label: 'Sites', fields: [{ label: 'Name', type: 'text', unique: true }] },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Note', type: 'text' },
        { label: 'Kg', type: 'number' },
        { label: 'Site', type: 'link', to: 'sites', counterpart: { label: 'Visits' } },
      ],
    },
    { do: 'addField', table: 'sites', field: { label: 'Total', type: 'formula', formula: 'sum(visits.kg)' } },
    {
      do: 'addField',
      table: 'visits',
      field: { label: 'Share', type: 'formula', formula: 'kg / nullif(site.total, 0)' },
    },
    { do: 'addTable', label: 'Reports', fields: [{ label: 'Words', type: 'text' }] },
    { do: 'addTable', label: 'Diary', fields: [{ label: 'Words', type: 'text' }] },
    {
      do: 'addPart',
      kind: 'form',
      table: 'reports',
      part: {
        label: 'Report',
        audience: 'outside',
        sections: [{ label: '', about: '', columns: 1, shownIf: '', items: [{ field: 'words' }] }],
      },
    },
  ]);
  const call = new Caller(origin, await makeToken(pool, person.email, 'faults'));
  const records = (table: string, values: readonly object[]) =>
    call.must('POST', `${ofWorkspace}/tables/${table}/records`, { records: values.map((one) => ({ values: one })) });
  await records(
    'sites',
    Array.from({ length: siteCount }, (_, n) => ({ name: `Site ${n}` })),
  );
  await records(
    'visits',
    Array.from({ length: visitCount }, (_, n) => ({ note: `visit ${n}`, kg: n % 97, site: 1 + (n % siteCount) })),
  );
  const table = tableAt(access, 'reports');
  const settings = { label: 'Board', expiresAt: null, most: null, mostHourly: 1_000_000, closed: false };
  const { path } = await makeAddress(pool, access, table, partNamed({ kind: 'form', table }, 'Report'), settings);
  return {
    get pool() {
      return pool;
    },
    connectAnew: async () => {
      const old = pool;
      pool = openPool(url, 4);
      await old.end();
    },
    call,
    formAddress: path.replace('/f/', '/api/forms/'),
    access: () => authorize(pool, person, workspaceKey, 'design'),
  };
}
