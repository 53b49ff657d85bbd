import { eq } from 'drizzle-orm';
import { hashPassword } from '../src/lib/server/access/signIn';
import { takeSeat, type Person, type Seat } from '../src/lib/server/access/seat';
import { changesFromJson, type ChangeJson } from '../src/lib/server/api/changes';
import { members, people, workspaces, type Role } from '../src/lib/server/database/catalogue';
import { migrateCatalogue } from '../src/lib/server/database/migrate';
import { catalogueOn, openPool, type Pool } from '../src/lib/server/database/pool';
import { errorCode } from '../src/lib/server/database/transaction';
import { quoteIdentifier } from '../src/lib/core/sql';
import { applyPlan, makePlan } from '../src/lib/server/tables/plan';
import { makeWorkspace } from '../src/lib/server/tables/workspaces';
import { writeRecords } from '../src/lib/server/tables/write';
import { makeWorld } from './world';

export const demoPassword = 'meadow-and-fell';

const demoPeople: readonly { name: string; email: string; role: Role }[] = [
  { name: 'Ida Vale', email: 'ida@alderfold.example', role: 'administrator' },
  { name: 'Tom Orrin', email: 'tom@alderfold.example', role: 'editor' },
  { name: 'Wren Hollin', email: 'wren@alderfold.example', role: 'editor' },
  { name: 'Pell Sowerby', email: 'pell@alderfold.example', role: 'reader' },
];

const text = (label: string, more: object = {}) => ({ label, type: 'text', ...more }) as const;
const formula = (table: string, label: string, written: string, help = ''): ChangeJson => ({
  do: 'addField',
  table,
  field: { label, type: 'formula', formula: written, help },
});

/** The structure of the cooperative, in the words of the API. */
const apiariesModel: ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Keepers',
    dye: 'indigo',
    description: 'Members of the cooperative',
    title: 'name',
    fields: [
      text('Code', { unique: true, required: true, help: 'As on the badge, with its leading zeros' }),
      text('Name', { required: true }),
      text('Village'),
      text('Email'),
      { label: 'Joined', type: 'date' },
      { label: 'Mentor', type: 'link', to: 'keepers', onDelete: 'clear', counterpart: { label: 'Looks after' } },
    ],
  },
  {
    do: 'addTable',
    label: 'Apiaries',
    dye: 'moss',
    description: 'Places where hives stand',
    fields: [
      text('Name', { unique: true, required: true }),
      text('Village'),
      { label: 'Height', type: 'number', digits: 0, unit: 'm' },
      { label: 'Steward', type: 'link', to: 'keepers', counterpart: { label: 'Steward of' } },
    ],
  },
  {
    do: 'addTable',
    label: 'Hives',
    dye: 'rust',
    description: 'One colony’s home',
    fields: [
      text('Number', { unique: true, required: true }),
      { label: 'Type', type: 'option', options: ['long hive', 'ten-frame', 'six-frame', 'top-bar'] },
      { label: 'Weight', type: 'number', digits: 1, unit: 'kg' },
      { label: 'Since', type: 'date' },
      { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Hives' } },
      { label: 'Keeper', type: 'link', to: 'keepers', counterpart: { label: 'Hives' } },
    ],
  },
  {
    do: 'addTable',
    label: 'Inspections',
    dye: 'plum',
    description: 'A visit to a hive',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date' },
      { label: 'Frames of brood', key: 'frames', type: 'number', digits: 0 },
      { label: 'Stores', type: 'number', digits: 0, unit: '%' },
      { label: 'Temper', type: 'number', digits: 0 },
      { label: 'Seen', type: 'option', options: ['queen', 'eggs', 'cups', 'nothing unusual'] },
      text('Notes'),
      { label: 'Hive', type: 'link', to: 'hives', onDelete: 'prevent', counterpart: { label: 'Inspections' } },
      { label: 'Keeper', type: 'link', to: 'keepers', onDelete: 'clear', counterpart: { label: 'Visits' } },
    ],
  },
  formula('hives', 'Last seen', 'max(inspections.day)', 'The latest day of the inspections linked here'),
  formula('hives', 'Next due', 'last_seen + 14'),
  formula('hives', 'Mean temper', 'round(avg(inspections.temper), 1)'),
  formula('hives', 'Condition', "case when last_seen is null then 'never seen' when next_due < date '2026-05-16' then 'overdue' else 'fine' end"),
  formula('apiaries', 'Hives in use', 'count(hives)'),
  formula('apiaries', 'Last inspection', 'max(hives.last_seen)'),
  formula('inspections', 'Apiary', 'hive.apiary.name', 'Brought along through the hive'),
];

const outreachModel: ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Swarm reports',
    dye: 'weld',
    description: 'Sent in by anyone in the villages',
    fields: [
      text('Place'),
      { label: 'Seen on', type: 'date' },
      { label: 'Size', type: 'option', options: ['fist', 'melon', 'basket'] },
      { label: 'State', type: 'option', options: ['seen', 'taken', 'gone'] },
      text('Words'),
    ],
  },
  formula('swarm_reports', 'Waiting days', "case when state = 'seen' then today() - seen_on end"),
];

/** Makes people, workspaces, structure and records in an empty database, through the functions that pages call. */
export async function makeDemo(pool: Pool): Promise<void> {
  const db = catalogueOn(pool);
  const [already] = await db.select().from(workspaces).where(eq(workspaces.key, 'apiaries'));
  if (already) return;
  const passwordHash = await hashPassword(demoPassword);
  const made: (Person & { role: Role })[] = [];
  for (const { name, email, role } of demoPeople) {
    const [person] = await db.insert(people).values({ name, email, passwordHash }).onConflictDoUpdate({ target: people.email, set: { name } }).returning();
    if (person) made.push({ id: person.id, name, email, role });
  }
  const [ida] = made;
  if (!ida) throw new Error('nobody was made');
  const world = makeWorld();
  const byCode = (code: string | null) => (code === null ? null : { match: { code } });

  const apiaries = await makeOne(
    pool,
    ida,
    made,
    { label: 'Apiaries', description: 'Keepers, their hives and what they see there', zone: 'Europe/Vienna' },
    apiariesModel,
  );
  const keepers = world.keepers.map(({ mentor, ...values }) => ({ values, mentor }));
  const keeperIds = (await writeRecords(pool, apiaries, 'keepers', { insert: keepers.map(({ values }) => ({ values })) })).records;
  await writeRecords(pool, apiaries, 'keepers', {
    update: keepers.flatMap(({ mentor }, i) => (mentor ? [{ id: keeperIds[i]?.id ?? 0, values: { mentor: byCode(mentor) } }] : [])),
  });
  await writeRecords(pool, apiaries, 'apiaries', {
    insert: world.apiaries.map(({ steward, ...values }) => ({ values: { ...values, steward: byCode(steward) } })),
  });
  const hives = await writeRecords(pool, apiaries, 'hives', {
    insert: world.hives.map(({ apiary, keeper, ...values }) => ({ values: { ...values, apiary: { match: { name: apiary } }, keeper: byCode(keeper) } })),
  });
  const hiveId = new Map(hives.records.map(({ id, values }) => [values.number as string, id]));
  const keeperId = new Map(keeperIds.map(({ id, values }) => [values.code as string, id]));
  await writeRecords(pool, apiaries, 'inspections', {
    insert: world.inspections.map(({ hive, keeper, ...values }) => ({ values: { ...values, hive: hiveId.get(hive), keeper: keeperId.get(keeper) } })),
  });

  const outreach = await makeOne(
    pool,
    ida,
    made.slice(0, 3),
    { label: 'Outreach', description: 'What people in the villages send in', zone: 'Europe/Vienna' },
    outreachModel,
  );
  await writeRecords(pool, outreach, 'swarm_reports', { insert: world.reports.map((values) => ({ values })) });
  await pool.query('analyze');
}

async function makeOne(
  pool: Pool,
  by: Person,
  all: readonly (Person & { role: Role })[],
  wish: { label: string; description: string; zone: string },
  model: readonly ChangeJson[],
): Promise<Seat> {
  const { id, key } = await makeWorkspace(pool, by, wish);
  for (const { id: person, role } of all) if (person !== by.id) await catalogueOn(pool).insert(members).values({ workspace: id, person, role });
  let seat = await takeSeat(pool, by, key, 'administrator');
  const plan = await makePlan(pool, seat, changesFromJson(seat.workspace.model, model));
  if (!plan.possible) throw new Error(JSON.stringify(plan.effects.filter(({ breaks }) => breaks.length > 0)));
  await applyPlan(pool, seat, plan.id);
  seat = await takeSeat(pool, by, key, 'administrator');
  return seat;
}

const noSuchDatabase = '3D000';

/** The own cluster begins with no database of the application's; one that is there already is left as it is. */
async function makeDatabase(url: string): Promise<void> {
  const target = openPool(url, 1);
  const missing = await target.query('select 1').then(
    () => false,
    (error: unknown) => {
      if (errorCode(error) === noSuchDatabase) return true;
      throw error;
    },
  );
  await target.end();
  if (!missing) return;
  const name = decodeURIComponent(new URL(url).pathname.slice(1));
  const admin = openPool(url.replace(/\/[^/?]*(\?.*)?$/, '/postgres$1'), 1);
  await admin.query(`create database ${quoteIdentifier(name)}`);
  await admin.end();
}

if (process.argv[1]?.endsWith('make.ts')) {
  const url = process.env.DATABASE_URL ?? '';
  await makeDatabase(url);
  const pool = openPool(url, 4);
  await migrateCatalogue(pool);
  await makeDemo(pool);
  await pool.end();
}
