import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { called, endpointAt } from '../safety/calling';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;
let views: Record<string, string> = {};

async function ask(by: Person | null, method: string, path: string, body?: object) {
  const { endpoint, params } = endpointAt(method, path);
  const { status, text: said } = await called(pool, by, endpoint, params, {}, body);
  return { status, said, answer: (said.startsWith('{') ? JSON.parse(said) : {}) as { id: string; url: string } };
}
const ofView = (view: string) => `/api/workspaces/bees/tables/visits/views/${views[view]}/calendar`;
const read = async (url: string) => ask(null, 'GET', new URL(url).pathname);

/** The events of a calendar, read as RFC 5545 has it: folded lines put together, texts without their escapes. */
function events(ics: string): Record<string, string>[] {
  const lines = ics.replace(/\r\n[ \t]/g, '').split('\r\n');
  expect([lines[0], lines.at(-1)]).toEqual(['BEGIN:VCALENDAR', 'END:VCALENDAR']);
  for (const line of ics.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75);
  const all: Record<string, string>[] = [];
  for (const line of lines) {
    if (line === 'BEGIN:VEVENT') all.push({});
    const [, name = '', value = ''] = /^([A-Z-]+)[^:]*:(.*)$/.exec(line) ?? [];
    const last = all.at(-1);
    if (last) last[name] = value.replace(/\\n/g, '\n').replace(/\\([,;\\])/g, '$1');
  }
  return all;
}

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('calendars'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change({
    do: 'addTable',
    label: 'Visits',
    fields: [
      text('What'),
      { label: 'From day', type: 'date' },
      { label: 'Last day', type: 'date' },
      { label: 'Moment', type: 'dateTime' },
      text('Secret'),
    ],
  } as never);
  await place.insert(
    'visits',
    {
      what: 'North; with, signs\n\\ and a title that is longer than one line of a calendar may be, 蜂'.repeat(2),
      from_day: '2026-05-01',
      last_day: '2026-05-03',
      secret: 'planted',
    },
    { what: 'One day', from_day: '2026-12-31', moment: '2026-12-31T23:30:00Z' },
    { what: 'No day' },
    { what: 'Wrong way', from_day: '2026-02-02', last_day: '2026-01-01' },
    { what: 'Hidden by the filter', from_day: '2026-03-03' },
  );
  const make = async (label: string, view: object) => {
    const { status, said, answer } = await ask(ida, 'POST', '/api/workspaces/bees/tables/visits/views', {
      view: { label, ...view },
      personal: false,
    });
    expect(status, said).toBe(200);
    return answer.id;
  };
  views = {
    days: await make('Days', {
      kind: 'calendar',
      by: 'from_day',
      until: 'last_day',
      filter: "what <> 'Hidden by the filter'",
    }),
    moments: await make('Moments', { kind: 'calendar', by: 'moment' }),
    grid: await make('Plain', {}),
  };
});
afterAll(() => drop());

test('a calendar view is read at a secret address: whole days to the last, moments as such, titles to the letter', async () => {
  const { answer } = await ask(ida, 'POST', ofView('days'), {});
  const { status, said } = await read(answer.url);
  expect(status).toBe(200);
  expect(said).not.toContain('planted');
  expect(events(said).map(({ UID, SUMMARY, DTSTART, DTEND }) => [UID, SUMMARY?.slice(0, 20), DTSTART, DTEND])).toEqual([
    ['bees.visits.2@inner-loom', 'One day', '20261231', '20270101'],
    ['bees.visits.1@inner-loom', 'North; with, signs\n\\', '20260501', '20260504'],
    ['bees.visits.4@inner-loom', 'Wrong way', '20260202', '20260203'],
  ]);
  expect(events(said)[1]?.SUMMARY?.length).toBeGreaterThan(150);
  const moments = await ask(ida, 'POST', ofView('moments'), {});
  expect(events((await read(moments.answer.url)).said)).toMatchObject([
    { SUMMARY: 'One day', DTSTART: '20261231T233000Z', DTEND: '20270101T003000Z' },
  ]);
  expect((await ask(ida, 'GET', ofView('days'))).answer).toMatchObject({
    items: [{ readAt: expect.any(String) as string }],
  });
  expect((await ask(ida, 'POST', ofView('grid'), {})).status).toBe(422);
});

test('it shows what its maker sees, until they are out, or end it; what never was is told alike', async () => {
  const wren = await makePerson(pool, 'Wren');
  const { answer: role } = await ask(ida, 'POST', '/api/workspaces/bees/roles', {
    label: 'One',
    workspace: ['takeOut'],
    others: {},
    tables: { visits: { see: "what = 'One day'" } },
  });
  await join(pool, await place.access(), wren, role.id);
  const [first, second] = [await ask(wren, 'POST', ofView('days'), {}), await ask(wren, 'POST', ofView('days'), {})];
  expect(events((await read(first.answer.url)).said).map(({ SUMMARY }) => SUMMARY)).toEqual(['One day']);
  const nothing = await read('http://x/api/calendars/nothing');
  expect(nothing.status).toBe(404);
  expect((await ask(ida, 'DELETE', `${ofView('days')}/${String(first.answer.id)}`)).status).toBe(404);
  expect((await ask(wren, 'DELETE', `${ofView('days')}/${String(first.answer.id)}`)).status).toBe(200);
  expect(await read(first.answer.url)).toEqual(nothing);
  expect((await read(second.answer.url)).status).toBe(200);
  await pool.query('update loom.people set deactivated_at = now() where id = $1', [wren.id]);
  expect(await read(second.answer.url)).toEqual(nothing);
});
