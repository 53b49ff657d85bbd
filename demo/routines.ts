import type { Written } from '../src/lib/core/filled/written';
import { standingForm } from '../src/lib/core/forms/form';
import { authorize, tableAt, type Person } from '../src/lib/server/access/workspaceAccess';
import type { Pool } from '../src/lib/server/database/pool';
import { sendEntry } from '../src/lib/server/forms/entries';
import { tryOn } from '../src/lib/server/routines/routines';
import { runTimed } from '../src/lib/server/routines/timed';
import { partOf } from '../src/lib/core/parts/parts';
import { partFrom } from '../src/lib/server/api/changes/parts';
import { addTablePart, partNamed } from '../src/lib/server/structure/tableParts';

/** A routine of the demo, with the table whose records set it off. */
interface DemoRoutine {
  readonly workspace: string;
  readonly table: string;
  readonly routine: Written;
  /** What its button is given as it is tried. */
  readonly inputs?: Written;
}

/** A new lot can be chosen at once where the market days are planned. */
export const lotOnSale: DemoRoutine = {
  workspace: 'honey',
  table: 'lots',
  routine: {
    label: 'New lots can be put on sale',
    when: { on: 'made' },
    steps: [{ do: 'option', table: 'market_days', field: 'lots_on_sale', word: 'number' }],
  },
};

/** A lot is closed by hand: what is left of it is written off, and the office hears of it. */
export const closeLot: DemoRoutine = {
  workspace: 'honey',
  table: 'lots',
  inputs: { reason: 'sold' },
  routine: {
    label: 'Close the lot',
    when: {
      on: 'button',
      inputs: [
        { label: 'Reason', type: 'text', required: true },
        { label: 'Weighed on', type: 'date' },
      ],
    },
    steps: [
      { do: 'stop', when: 'kg_left <= 0' },
      {
        do: 'make',
        table: 'movements',
        fields: [
          { field: 'lot', formula: 'this' },
          { field: 'day', formula: 'coalesce(weighed_on, today())' },
          { field: 'kind', formula: "'loss'" },
          { field: 'kg', formula: 'kg_left' },
        ],
        result: 'Write-off',
      },
      {
        do: 'write',
        to: [{ formula: "'office@alderfold.example'" }],
        subject: '{number} is closed',
        text: 'Reason: {reason}\n{write_off.kg} were written off on {write_off.day}.',
      },
    ],
  },
};

/** Keepers hear in time that honey of a treated hive can be taken again. */
export const waitOver: DemoRoutine = {
  workspace: 'apiaries',
  table: 'treatments',
  routine: {
    label: 'The wait is nearly over',
    when: { on: 'dateNear', field: 'wait_until', days: -3, hour: 7 },
    failing: 'goOn',
    steps: [
      {
        do: 'write',
        to: [{ formula: 'hive.keeper.email' }],
        subject: '{hive.number}: honey may be taken from {wait_until} on',
        text:
          'Dear {hive.keeper.name},\n\nthe wait after {product} at hive {hive.number} in {hive.apiary.name} is over on ' +
          '{wait_until}.\n\nAlderfold Bee Cooperative',
      },
    ],
  },
};

/** Who reports a swarm is thanked, a keeper of the village is told, and the village's own page shows it. */
export const swarmReported: DemoRoutine = {
  workspace: 'outreach',
  table: 'swarm_reports',
  routine: {
    label: 'A swarm was reported',
    when: { on: 'sent', form: 'Report a swarm' },
    failing: 'goOn',
    steps: [
      {
        do: 'write',
        to: [{ formula: 'reporter_email' }],
        subject: 'Thank you for telling us of the swarm',
        text: 'We know of the swarm at “{place}”. A keeper near you comes within the day.\n\nAlderfold Bee Cooperative',
      },
      {
        do: 'find',
        table: 'apiaries.keepers',
        by: [{ field: 'village', formula: "substring(place from position(', ' in place) + 2)" }],
        make: false,
        result: 'Keeper nearby',
      },
      {
        do: 'write',
        to: [{ formula: 'keeper_nearby.email' }],
        subject: 'A swarm at {place}',
        text: 'Size: {size}\nSeen on {seen_on}\n{words}',
      },
      {
        do: 'call',
        address: '/stand-ins/web/village-board',
        values: { place: 'place', size: 'size', seen: 'seen_on' },
      },
    ],
  },
};

/** What the stall reads on Monday, before anybody asks. */
export const mondayPage: DemoRoutine = {
  workspace: 'honey',
  table: 'market_days',
  routine: {
    label: 'The market’s page on Monday',
    when: { on: 'timetable', every: 'week', day: 1, hour: 7 },
    failing: 'goOn',
    steps: [
      {
        do: 'write',
        to: [{ formula: "'office@alderfold.example'" }],
        subject: 'The market on {today()}',
        text: 'What was sold, and what is left of each lot.\n\nAlderfold Bee Cooperative',
        summary: 'The market',
      },
    ],
  },
};

/** Makes a routine, tries it on the first record that it is for, and switches it on. */
export async function makeRoutine(pool: Pool, by: Person, one: DemoRoutine, record = 1): Promise<string> {
  const kind = 'routine';
  const access = await authorize(pool, by, one.workspace, 'routines');
  const table = tableAt(access, one.table);
  const json: Written = { ...one.routine, on: true };
  const blank = partOf(kind).blank(json);
  const part = partFrom(access.workspace.model, table, kind, blank, json, '');
  const { id } = await addTablePart(pool, access, { kind, table }, part);
  const now = await authorize(pool, by, one.workspace, 'routines');
  const tried = await tryOn(pool, now, one.table, { routine: id, record, inputs: one.inputs });
  if (tried.problem ?? !tried.met) throw new Error(`${String(one.routine.label)}: ${JSON.stringify(tried.problem)}`);
  return id;
}

/** The clock of the season: what it sets off in the week before the demo begins is done; then the real one goes on. */
export async function runSeason(pool: Pool, id: string, from = '2026-05-12'): Promise<void> {
  await pool.query('update loom.routines set done_through = $2 where id = $1', [id, from]);
  await runTimed(pool, new Date('2026-05-16T12:00:00Z'));
  await pool.query('update loom.routines set done_through = null where id = $1', [id]);
}

/** Somebody in the village sends a report by the form. */
export async function sendReport(pool: Pool, by: Person, values: Readonly<Record<string, unknown>>): Promise<void> {
  const access = await authorize(pool, by, 'outreach', 'write');
  const table = tableAt(access, 'swarm_reports');
  const form = partNamed({ kind: 'form', table }, 'Report a swarm');
  await sendEntry(pool, access, table, standingForm(access.workspace.model, table, form), { values });
}
