import { builtInRole } from '../../src/lib/core/access/rights';
import { fieldNamed } from '../../src/lib/core/model/model';
import { parseSort } from '../../src/lib/core/query/query';
import type { Role } from '../../src/lib/core/types/role';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { changeAtOnce } from '../../src/lib/server/structure/plan';
import { partFrom } from '../../src/lib/server/api/changes/parts';
import { members, people } from '../../src/lib/server/database/catalogue';
import { catalogueOn, type Pool } from '../../src/lib/server/database/pool';
import { writeRecords } from '../../src/lib/server/entry/write';
import { readRecords } from '../../src/lib/server/query/read';
import { linesBench } from './lines';
import { alternating, figure, median, type Figure } from './measure';
import { apply, benchPerson, makeLevels } from './world';

const key = 'bench_access';

/**
 * A page of 100 and an edit by somebody whose role has conditions on three tables, two links deep, beside the same by an
 * administrator; among 100,000 inspections on 5,000 hives of 100 apiaries, of which the role shows half.
 */
export async function access(pool: Pool): Promise<Figure[]> {
  const person = await benchPerson(pool);
  const helper = await helperFor(pool);
  let owner = await makeLevels(pool, person, key, 100_000);
  owner = await apply(pool, owner, [
    { do: 'addField', table: 'apiaries', field: { label: 'Steward', type: 'member' } } as never,
  ]);
  await pool.query(`update ${key}.apiaries set steward = $1 where _id % 2 = 0`, [helper.id]);
  await pool.query(`create index on ${key}.inspections (day, _id)`);
  // Indexes that a change brings are made beside it.
  await new Promise((resolve) => setTimeout(resolve, 3_000));
  await pool.query(`analyze ${key}.apiaries, ${key}.hives, ${key}.inspections`);
  await giveRole(pool, owner, helper);
  const asHelper = await authorize(pool, helper, key, 'write');
  const asOwner = await authorize(pool, person, key, 'write');
  return [
    ...(await pages(pool, helper, person)),
    ...(await edits(pool, asHelper, asOwner)),
    ...(await authorizing(pool, helper, person)),
    ...(await linesBench(pool, person)),
  ];
}

async function helperFor(pool: Pool): Promise<Person> {
  const [made] = await catalogueOn(pool)
    .insert(people)
    .values({ email: 'helper@alderfold.example', name: 'Helper' })
    .onConflictDoUpdate({ target: people.email, set: { name: 'Helper' } })
    .returning();
  if (!made) throw new Error('nobody was made');
  return { id: made.id, email: made.email, name: made.name };
}

async function giveRole(pool: Pool, owner: WorkspaceAccess, helper: Person): Promise<void> {
  const all = (condition: string) => ({ see: condition, enter: condition, change: condition, design: false });
  const part = partFrom(
    owner.whole.model,
    null,
    'role',
    { ...(builtInRole('reader') as Role), id: 'a_bench' },
    {
      label: 'Helper',
      tables: {
        apiaries: { ...all('steward = person()'), delete: false, fields: {} },
        hives: { ...all('apiary.steward = person()'), delete: false, fields: {} },
        inspections: { ...all('hive.apiary.steward = person()'), delete: false, fields: { hive: 'seen' } },
      },
    },
    '',
  );
  await changeAtOnce(pool, owner, [{ do: 'addPart', kind: 'role', table: null, part, at: 0 }]);
  await catalogueOn(pool).insert(members).values({ workspace: owner.workspace.id, person: helper.id, role: part.id });
}

/** As a call does it: with the access that it takes. */
async function pages(pool: Pool, helper: Person, owner: Person): Promise<Figure[]> {
  const read = (person: Person, sort: string) => async () => {
    const by = await authorize(pool, person, key, 'see');
    const table = tableAt(by, 'inspections');
    const sorted = parseSort(by.workspace.model, table, sort);
    if (!sorted.ok) throw new Error(sort);
    const fields = ['day', 'frames', 'kg', 'hive'].flatMap((name) => fieldNamed(table, name)?.id ?? []);
    const query = { fields, filter: null, sort: sorted.value, limit: 100, after: null };
    const { records } = await readRecords(pool, by, table, query);
    if (records.length !== 100) throw new Error(`a page of ${records.length} records`);
  };
  const found: Figure[] = [];
  for (const sort of ['', 'day']) {
    const { ours, theirs } = await alternating(200, 20, read(helper, sort), read(owner, sort));
    const name = sort === '' ? 'a page of 100' : 'a page of 100 in an order with an index';
    found.push(
      figure(
        'access',
        `${name}, by a role with conditions, against an administrator’s`,
        median(ours),
        median(theirs),
        'ms',
        1.3,
      ),
    );
  }
  return found;
}

async function edits(pool: Pool, asHelper: WorkspaceAccess, asOwner: WorkspaceAccess): Promise<Figure[]> {
  const { rows } = await pool.query<{ id: number }>(
    `select i._id as id from ${key}.inspections i join ${key}.hives h on h._id = i.hive
     where h.apiary % 2 = 0 order by i._id limit 1000`,
  );
  let turn = 0;
  const edit = (by: WorkspaceAccess) => async () => {
    const at = turn++;
    const id = rows[at % rows.length]?.id ?? 0;
    await writeRecords(pool, by, 'inspections', { update: [{ id, values: { frames: at % 50, kg: at } }] });
  };
  const { ours, theirs } = await alternating(200, 20, edit(asHelper), edit(asOwner));
  return [
    figure(
      'access',
      'an edit of one record, by that role, against an administrator’s',
      median(ours),
      median(theirs),
      'ms',
      1.3,
    ),
  ];
}

async function authorizing(pool: Pool, helper: Person, person: Person): Promise<Figure[]> {
  const enter = (by: Person) => () => authorize(pool, by, key, 'see');
  const { ours, theirs } = await alternating(200, 20, enter(helper), enter(person));
  return [
    figure(
      'access',
      'the access itself, of that role, against an administrator’s',
      median(ours),
      median(theirs),
      'ms',
      null,
    ),
  ];
}
