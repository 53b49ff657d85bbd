import { writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { hashPassword } from '../src/lib/server/access/signIn';
import { tableAt, authorize, type Person, type WorkspaceAccess } from '../src/lib/server/access/workspaceAccess';
import { changesFromJson, senderOf, type ChangeJson } from '../src/lib/server/api/changes/changes';
import { directory, keepGroup } from '../src/lib/server/access/directory';
import { giveToGroup } from '../src/lib/server/access/members';
import { members, people, workspaces, type RoleId } from '../src/lib/server/database/catalogue';
import { migrateCatalogue } from '../src/lib/server/database/migrate';
import { catalogueOn, openPool, type Pool } from '../src/lib/server/database/pool';
import { errorCode } from '../src/lib/server/database/transaction';
import { quoteIdentifier } from '../src/lib/core/base/sql';
import { makeAddress } from '../src/lib/server/forms/addresses';
import { partNamed } from '../src/lib/server/structure/tableParts';
import { applyPlan, makePlan } from '../src/lib/server/structure/plan';
import { makeTransfer, runTransfer } from '../src/lib/server/transfer/transfers';
import { readTransfer } from '../src/lib/core/transfer/works';
import { makeWebhook } from '../src/lib/server/webhooks/webhooks';
import { makeWorkspace } from '../src/lib/server/workspaces/workspaces';
import { writeRecords } from '../src/lib/server/entry/write';
import { gazetteer } from '../src/lib/core/fieldTypes/gazetteer';
import { withForeign } from '../src/lib/server/api/workspaces';
import { beginIntake, correctIntake, readIntake } from '../src/lib/server/intake/intakes';
import { startLoad } from '../src/lib/server/intake/load/loading';
import {
  closeLot,
  lotOnSale,
  makeRoutine,
  mondayPage,
  runSeason,
  sendReport,
  swarmReported,
  waitOver,
} from './routines';
import { makeSeason } from './season';
import { makeSources } from './sources';
import {
  apiariesModel,
  harvestModel,
  honeyModel,
  onSale,
  outreachModel,
  privateModel,
  stockFeed,
  stockModel,
} from './structure';
import { honeySummaries } from './summaries';
import { translate } from './languages';
import { keepTemplates } from './templates';
import { deliveryNote, hiveLabels, sign } from './documents';
import { keepFile } from '../src/lib/server/files/store';
import { makeWorld, talks } from './world';

export const demoPassword = 'meadow-and-fell';

const demoPeople: readonly { name: string; email: string; role: RoleId }[] = [
  { name: 'Ida Vale', email: 'ida@alderfold.example', role: 'administrator' },
  { name: 'Tom Orrin', email: 'tom@alderfold.example', role: 'editor' },
  { name: 'Wren Hollin', email: 'wren@alderfold.example', role: 'editor' },
  { name: 'Pell Sowerby', email: 'pell@alderfold.example', role: 'reader' },
];

/** People of the Directory who do not sign in. */
const others: readonly (readonly [string, string])[] = [
  ['Anselm Rigg', 'treasurer'],
  ['Brida Lowther', 'market stall'],
  ['Corin Yewdale', 'extraction room'],
  ['Dessa Millbeck', 'office'],
  ['Edlin Oakshaw', 'schools'],
  ['Fenna Kirkbride', 'market stall'],
];

/** Makes people, workspaces, structure and records in an empty database, through the functions that pages call. */
export async function makeDemo(pool: Pool): Promise<void> {
  // Programs of others are stand-ins here, where the server is.
  process.env.LOOM_STAND_INS = '1';
  process.env.ORIGIN ??= 'http://127.0.0.1';
  const db = catalogueOn(pool);
  const [already] = await db.select().from(workspaces).where(eq(workspaces.key, 'apiaries'));
  if (already) return;
  const passwordHash = await hashPassword(demoPassword);
  const made: (Person & { role: RoleId })[] = [];
  for (const { name, email, role } of demoPeople) {
    const [person] = await db
      .insert(people)
      .values({ name, email, passwordHash, manages: role === 'administrator' })
      .onConflictDoUpdate({ target: people.email, set: { name } })
      .returning();
    if (person) made.push({ id: person.id, name, email, role });
  }
  await db
    .insert(people)
    .values(
      others.map(([name, post]) => ({
        name,
        post,
        email: `${name.toLowerCase().replace(' ', '.')}@alderfold.example`,
      })),
    )
    .onConflictDoNothing();
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
  const keeperIds = (
    await writeRecords(pool, apiaries, 'keepers', { insert: keepers.map(({ values }) => ({ values })) })
  ).records;
  await writeRecords(pool, apiaries, 'keepers', {
    update: keepers.flatMap(({ mentor }, i) =>
      mentor ? [{ id: keeperIds[i]?.id ?? 0, values: { mentor: byCode(mentor) } }] : [],
    ),
  });
  await writeRecords(pool, apiaries, 'apiaries', {
    insert: world.apiaries.map(({ steward, ...values }) => ({ values: { ...values, steward: byCode(steward) } })),
  });
  const season = makeSeason(world);
  await writeRecords(pool, apiaries, 'plants', { insert: season.plants.map((values) => ({ values })) });
  const apiaryIds = await idsBy(pool, apiaries, 'apiaries', 'name');
  const plantIds = await idsBy(pool, apiaries, 'plants', 'name');
  await writeRecords(pool, apiaries, 'apiaries', {
    update: [...season.forage].map(([name, plants], i) => ({
      id: apiaryIds.get(name) ?? 0,
      values: {
        forage: plants.map((plant) => plantIds.get(plant)),
        place: gazetteer[i % gazetteer.length]?.name,
        land_owner: others[i % others.length]?.[0],
      },
    })),
  });
  const stands = await writeRecords(pool, apiaries, 'stands', {
    insert: season.stands.map(({ apiary, ...values }) => ({ values: { ...values, apiary: apiaryIds.get(apiary) } })),
  });
  const queens = await writeRecords(pool, apiaries, 'queens', {
    insert: season.queens.map(({ mother: _, ...values }) => ({ values })),
  });
  const queenId = new Map(queens.records.map(({ id, values }) => [values.mark as string, id]));
  await writeRecords(pool, apiaries, 'queens', {
    update: season.queens.flatMap(({ mark, mother }) =>
      mother ? [{ id: queenId.get(mark) ?? 0, values: { mother: queenId.get(mother) } }] : [],
    ),
  });
  const free = new Map(
    world.apiaries.map(({ name }) => [
      name,
      stands.records.filter(({ values }) => (values.apiary as { title: string }).title === name).map(({ id }) => id),
    ]),
  );
  const hives = await writeRecords(pool, apiaries, 'hives', {
    insert: world.hives.map(({ apiary, keeper, ...values }, i) => ({
      values: {
        ...values,
        apiary: apiaryIds.get(apiary),
        keeper: byCode(keeper),
        stand: free.get(apiary)?.shift() ?? null,
        queen: queens.records[i]?.id ?? null,
      },
    })),
  });
  const hiveId = new Map(hives.records.map(({ id, values }) => [values.number as string, id]));
  const keeperId = new Map(keeperIds.map(({ id, values }) => [values.code as string, id]));
  await writeRecords(pool, apiaries, 'inspections', {
    insert: world.inspections.map(({ hive, keeper, stores, ...values }) => ({
      values: { ...values, stores: `${stores} %`, hive: hiveId.get(hive), keeper: keeperId.get(keeper) },
    })),
  });
  const ofHive = <T extends { hive: string }>(rows: readonly T[]) =>
    rows.map(({ hive, ...values }) => ({ values: { ...values, hive: hiveId.get(hive) } }));
  await writeRecords(pool, apiaries, 'mite_counts', { insert: ofHive(season.miteCounts) });
  await writeRecords(pool, apiaries, 'treatments', { insert: ofHive(season.treatments) });
  await runSeason(pool, await makeRoutine(pool, ida, waitOver));

  const honey = await makeOne(
    pool,
    ida,
    made.slice(0, 3),
    { label: 'Honey', description: 'From the extraction room to the market', zone: 'Europe/Vienna' },
    honeyModel,
  );
  const lots = await writeRecords(pool, honey, 'lots', { insert: season.lots.map((values) => ({ values })) });
  const lotId = new Map(lots.records.map(({ id, values }) => [values.number as string, id]));
  await changeAs(pool, ida, 'honey', onSale([...lotId.keys()]));
  const inLot = <T extends { lot: string }>(rows: readonly T[]) =>
    rows.map(({ lot, ...values }) => ({ ...values, lot: lotId.get(lot) }));
  await writeRecords(pool, honey, 'harvests', {
    insert: inLot(season.harvests).map(({ hive, ...values }) => ({ values: { ...values, hive: hiveId.get(hive) } })),
  });
  await writeRecords(pool, honey, 'movements', { insert: inLot(season.movements).map((values) => ({ values })) });
  await writeRecords(pool, honey, 'extractions', { insert: inLot(season.extractions).map((values) => ({ values })) });
  await writeRecords(pool, honey, 'fillings', { insert: inLot(season.fillings).map((values) => ({ values })) });
  await feedStock(pool, ida);
  const days = await writeRecords(pool, await authorize(pool, ida, 'honey', 'see'), 'market_days', {
    insert: season.marketDays.map(({ keeper, open, ...values }, i) => ({
      values: {
        ...values,
        lots_on_sale: [...lotId.keys()].filter((_, lot) => (lot + i) % 3 === 0),
        stall_open: open,
        stall_keeper: keeperId.get(keeper),
        booked_by: others[i % others.length]?.[0],
      },
    })),
  });
  await writeRecords(pool, honey, 'sales_lines', {
    insert: inLot(season.sales).map(({ day, ...values }) => ({
      values: { ...values, market_day: days.records[day]?.id },
    })),
  });
  await changeAs(pool, ida, 'apiaries', harvestModel);
  await makeRoutine(pool, ida, lotOnSale);
  await makeRoutine(pool, ida, closeLot);

  const outreach = await makeOne(
    pool,
    ida,
    made.slice(0, 3),
    { label: 'Outreach', description: 'What people in the villages send in', zone: 'Europe/Vienna' },
    outreachModel,
  );
  await writeRecords(pool, outreach, 'swarm_reports', {
    insert: world.reports.slice(0, -1).map((values, i) => ({
      values: {
        ...values,
        reported_at: `${values.seen_on} ${String(8 + (i % 11)).padStart(2, '0')}:${i % 2 === 0 ? '15' : '40'}`,
        spot: gazetteer[(i * 7) % gazetteer.length]?.name,
        reporter_phone: `+00 555 ${String(1000 + i * 37)}`,
        taken_by: values.state === 'taken' ? keeperIds[i]?.id : null,
      },
    })),
  });
  await makeRoutine(pool, ida, swarmReported);
  const { place, seen_on, size, words } = world.reports.at(-1) ?? world.reports[0] ?? {};
  await sendReport(pool, ida, { place, seen_on, size, words, reporter_email: 'ada.thwaite@alderfold.example' });
  await bringLetters(pool, outreach);
  await changeAs(pool, ida, 'outreach', privateModel);
  await writeRecords(pool, await authorize(pool, ida, 'outreach', 'see'), 'talks', {
    insert: talks.map(([title, audience, day, minutes, state]) => ({
      values: { title, audience, day, minutes, state },
    })),
  });
  await openReportForm(pool, ida);
  await tellPrinter(pool, ida);
  await openToGroups(pool, ida, apiaries);
  await designDocuments(pool, ida);
  await runSeason(pool, await makeRoutine(pool, ida, mondayPage), '2026-05-10');
  await keepTemplates(pool, ida);
  await translate(pool, ida);
  await pool.query('analyze');
}

/** Extractions and fillings as one table of what is in stock. */
async function feedStock(pool: Pool, by: Person): Promise<void> {
  const access = await authorize(pool, by, 'honey', 'design');
  const read = readTransfer(access.workspace.model, stockFeed);
  if (!read.ok) throw new Error(read.problem.message);
  const { id } = await makeTransfer(pool, access, read.value);
  await runTransfer(pool, access, id, false);
  await changeAs(pool, by, 'honey', stockModel);
  const now = await authorize(pool, by, 'honey', 'see');
  await writeRecords(pool, now, 'stock_movements', {
    update: [{ id: 4, values: { note: 'weighed twice, the second counts' } }],
  });
}

/** A role for who helps in the season, and groups of the Directory, of which one may look. */
async function openToGroups(pool: Pool, by: Person, { workspace }: WorkspaceAccess): Promise<void> {
  const entering = {
    see: true,
    enter: true,
    change: 'created_by = person()',
    delete: false,
    design: false,
    fields: {},
  };
  const helper = {
    label: 'Season helper',
    description: 'Enters inspections and mite counts, and changes their own; keepers and queens are not shown.',
    workspace: [],
    others: { see: true, enter: false, change: false, delete: false, design: false },
    tables: {
      keepers: { see: false, enter: false, change: false, delete: false, design: false, fields: {} },
      queens: { see: false, enter: false, change: false, delete: false, design: false, fields: {} },
      inspections: entering,
      mite_counts: entering,
    },
  };
  await changeAs(pool, by, workspace.key, [{ do: 'addPart', kind: 'role', part: helper }]);
  const staff = await directory(pool);
  const named = (...names: string[]) => staff.filter(({ name }) => names.includes(name)).map(({ id }) => id);
  const stall = {
    label: 'Market stall',
    description: 'Sells honey on Saturdays.',
    people: named('Brida Lowther', 'Fenna Kirkbride'),
  };
  const { id } = await keepGroup(pool, by, null, stall);
  await keepGroup(pool, by, null, { label: 'Field team', people: named('Tom Orrin', 'Wren Hollin', 'Corin Yewdale') });
  const access = await authorize(pool, by, workspace.key, 'people');
  await giveToGroup(pool, access, id, 'reader');
  await giveToGroup(pool, await authorize(pool, by, 'honey', 'people'), id, 'reader');
  await changeAs(pool, by, 'honey', honeySummaries(id));
}

/** What is printed: the delivery note of a market day, with the cooperative’s sign, and labels of hives. */
async function designDocuments(pool: Pool, by: Person): Promise<void> {
  const path = join(tmpdir(), `loom-sign-${process.pid}.png`);
  writeFileSync(path, await sign());
  const { file } = await keepFile(pool, await authorize(pool, by, 'honey', 'write'), { path, name: 'sign.png' });
  await changeAs(pool, by, 'honey', [deliveryNote(file)]);
  await changeAs(pool, by, 'apiaries', [hiveLabels]);
}

/** Labels for hives are printed elsewhere: by a stand-in, which is where the server is. */
async function tellPrinter(pool: Pool, by: Person): Promise<void> {
  const access = await authorize(pool, by, 'apiaries', 'routines');
  await makeWebhook(pool, access, { label: 'Label printer', table: 'hives', url: '/stand-ins/web/label-printer' });
}

/** The form for anyone is open at two addresses, one of which ended with the last season. */
async function openReportForm(pool: Pool, by: Person): Promise<void> {
  const access = await authorize(pool, by, 'outreach', 'design');
  const table = tableAt(access, 'swarm_reports');
  const form = partNamed({ kind: 'form', table: table }, 'Report a swarm');
  const settings = { most: null, mostHourly: 60, closed: false };
  await makeAddress(pool, access, table, form, {
    ...settings,
    label: 'Notice boards in the villages',
    expiresAt: null,
  });
  await makeAddress(pool, access, table, form, {
    ...settings,
    label: 'Leaflet of last season',
    expiresAt: '2025-09-30T21:59:59Z',
  });
}

/** Letters about swarms come in as a file, so that History has a load and Set aside what did not fit in it. */
async function bringLetters(pool: Pool, access: WorkspaceAccess): Promise<void> {
  const letters = makeSources().find(({ name }) => name === 'swarm letters.csv');
  if (!letters) return;
  const path = join(tmpdir(), `loom-demo-${process.pid}`);
  writeFileSync(path, letters.bytes);
  const ended = async (id: number, working: string) => {
    for (;;) {
      const intake = await readIntake(pool, access, id);
      if (intake.state !== working) return intake;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  };
  const { id } = await beginIntake(pool, access, [{ name: letters.name, path }]);
  const read = await ended(id, 'reading');
  const table = access.workspace.model.tables.find(({ key }) => key === 'swarm_reports');
  await correctIntake(pool, access, id, {
    tables: { 0: { into: table?.id ?? 'new', by: [], mode: 'add' } },
    columns: {},
  });
  await startLoad(pool, access, id);
  const loaded = await ended(id, 'loading');
  if (read.problem ?? loaded.problem) throw new Error(read.problem ?? loaded.problem ?? '');
}

async function makeOne(
  pool: Pool,
  by: Person,
  all: readonly (Person & { role: RoleId })[],
  wish: { label: string; description: string; zone: string },
  model: readonly ChangeJson[],
): Promise<WorkspaceAccess> {
  const { id, key } = await makeWorkspace(pool, by, wish);
  for (const { id: person, role } of all)
    if (person !== by.id) await catalogueOn(pool).insert(members).values({ workspace: id, person, role });
  await changeAs(pool, by, key, model);
  return authorize(pool, by, key, 'design');
}

/** Plans and applies changes as a program would send them. */
async function changeAs(pool: Pool, by: Person, key: string, changes: readonly ChangeJson[]): Promise<void> {
  const access = await withForeign(pool, await authorize(pool, by, key, 'design'), changes);
  const plan = await makePlan(pool, access, changesFromJson(access.workspace.model, changes, senderOf(access)));
  if (!plan.possible) throw new Error(JSON.stringify(plan.effects.filter(({ breaks }) => breaks.length > 0)));
  await applyPlan(pool, access, plan.id);
}

/** The numbers of a table's records by the text of one field. */
async function idsBy(pool: Pool, access: WorkspaceAccess, table: string, field: string): Promise<Map<string, number>> {
  const { rows } = await pool.query<{ id: number; word: string }>(
    `select _id as id, ${quoteIdentifier(field)} as word from ${quoteIdentifier(access.workspace.key)}.${quoteIdentifier(table)}`,
  );
  return new Map(rows.map(({ id, word }) => [word, id]));
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
