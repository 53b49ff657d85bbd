import { readFileSync } from 'node:fs';
import { accessible } from './accessible';
import { databaseName, expect, test } from './watched';
import { makeToken } from '../../src/lib/server/access/tokens';
import { openPool } from '../../src/lib/server/database/pool';
import { databaseUrl } from '../server/database';
import { cell, origin, signIn } from './person';

test('two files become two linked tables that calculate, and can be undone', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  await expect(page.getByRole('link', { name: 'Inspections' }).first()).toBeVisible();
  await accessible(page, 'home');

  // A workspace, and the files in it.
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Trial season');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'Bring in files' }).click();
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles(['demo/sources/hives.csv', 'demo/sources/inspections.csv']);
  await expect(page.getByRole('heading', { name: '2 things to look at' })).toBeVisible();
  await expect(page.getByText('Windows-1252, semicolon, 240 rows')).toBeVisible();
  await expect(page.getByText('digits with leading zeros, kept as they are written').first()).toBeVisible();
  await expect(page.getByText('99.6 % found in Hives, 16 not')).toBeVisible();
  await page.getByRole('button', { name: '16 rows of hive_no match no hives', exact: true }).click();
  await expect(page.getByRole('complementary').getByText('0901', { exact: true })).toBeVisible();
  await accessible(page, 'intake');

  // One correction: who keeps a hive is told by its inspections alone.
  await page.getByRole('button', { name: 'keeper', exact: true }).first().click();
  await page.getByLabel('Taken as').selectOption('skip');
  await expect(page.getByText('skipped')).toBeVisible();

  await page.getByRole('button', { name: 'Dry run' }).click();
  await expect(page.getByRole('heading', { name: /Dry run/ })).toBeVisible();
  await expect(
    page.getByRole('row', { name: /inspections → Inspections 3,600 = 3,580 \+ 20 \+ 0 adds up/ }),
  ).toBeVisible();
  await page.getByRole('button', { name: /^Load 3,840 rows/ }).click();
  await expect(page.getByRole('heading', { name: /^Receipt/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /^Hives.Weight kg .* difference 0$/ })).toBeVisible();
  const [misfits] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Misfits of inspections as a file' }).click(),
  ]);
  const misfitText = readFileSync(await misfits.path(), 'utf8');
  expect(misfitText.trim().split('\r\n')).toHaveLength(21);
  expect(misfitText).toContain('no record of Hives has this key');

  // Undone, nothing is left of it; loaded again, it stands.
  await page.getByRole('button', { name: 'Undo the load' }).click();
  await expect(page.getByText('This load was undone')).toBeVisible();
  await expect(page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Hives' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Load it again' }).click();
  await page
    .getByRole('cell')
    .getByRole('link', { name: 'Hives', exact: true })
    .or(page.getByRole('rowheader').getByRole('link', { name: 'Hives', exact: true }))
    .click();
  await expect(page.getByText('240 records')).toBeVisible();

  // Two formulas, with the error where it stands.
  await page.getByRole('link', { name: 'Structure' }).click();
  await expect(page.getByRole('button', { name: 'Add a field' })).toBeVisible();
  for (const [label, wrong, right, preview] of [
    ['Last inspected', 'max(inspections.vsited)', 'max(inspections.visited)', '2026-05-07'],
    ['Quiet for', 'today() - last_inspcted', 'today() - last_inspected', /^\d+$/],
  ] as const) {
    await page.keyboard.press('Alt+n');
    await page.getByLabel('Label').fill(label);
    await page.getByLabel('Type').selectOption('formula');
    const formula = page.getByRole('textbox', { name: 'Formula', exact: true });
    await formula.click();
    await page.keyboard.type(wrong);
    await page.keyboard.press('Escape');
    await expect(page.getByText(/Did you mean/).first()).toBeVisible();
    await expect(page.locator('.cm-lintRange-error')).toHaveText(/vsited|last_inspcted/);
    await page.keyboard.press('Control+a');
    await page.keyboard.type(right);
    await page.keyboard.press('Escape');
    await expect(page.getByRole('complementary').getByRole('row', { name: '0001' }).getByRole('cell')).toHaveText(
      preview,
    );
    await page.getByRole('button', { name: 'Add to the plan' }).click();
    await page.getByRole('button', { name: 'See the plan' }).click();
    await expect(page.getByText('240 records calculated')).toBeVisible();
    if (label === 'Last inspected') await accessible(page, 'plan');
    await page.getByRole('button', { name: 'Apply this change, up to 240 records' }).click();
    await expect(page.getByText(`Done: + ${label}.`)).toBeVisible();
  }
  await accessible(page, 'structure');
  await page.keyboard.press('Alt+s');
  await expect(await cell(page, '0001', 'Last inspected')).toHaveText('2026-05-07');
  await page.close();
});

test('an edit moves what is calculated on every open page, is undone by keyboard, and exported', async ({
  browser,
}) => {
  const ida = await signIn(browser, 'ida');
  const tom = await signIn(browser, 'tom');
  await tom.goto('/w/apiaries/t/hives?filter=' + encodeURIComponent("number = 'H-0003'"));
  const lastSeen = await cell(tom, 'H-0003', 'Last seen');
  const before = await lastSeen.innerText();

  // By keyboard alone: filter, walk to the day, write it.
  await ida.goto('/w/apiaries/t/inspections');
  await ida.getByLabel('filter').fill("hive.number = 'H-0003'");
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('17 records meet the filter')).toBeVisible();
  await ida.getByRole('gridcell').first().click();
  await ida.keyboard.press('Home');
  await ida.keyboard.type('2026-08-08');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText(/^Day of .* changed\.$/)).toBeVisible();
  await expect(lastSeen).toHaveText('2026-08-08');
  await expect(await cell(tom, 'H-0003', 'Next due')).toHaveText('2026-08-22');
  await ida.getByRole('gridcell').nth(1).focus();
  await ida.keyboard.press('Control+z');
  await expect(lastSeen).toHaveText(before);

  // Explain value, by keyboard: the parts with their values, the records that went in, and on to a part's own.
  await (await cell(tom, 'H-0003', 'Next due')).click();
  await tom.keyboard.press('Enter');
  const panel = tom.getByRole('complementary', { name: 'Explain value Next due of H-0003' });
  await expect(panel.getByText('last_seen + 14')).toBeVisible();
  await accessible(tom, 'trace');
  await panel.getByRole('button', { name: 'How Last seen came about' }).click();
  await expect(tom.getByRole('heading', { name: '17 Inspections in max(inspections.day)' })).toBeVisible();
  const newest = tom.getByRole('complementary').getByRole('row').first();
  await expect(newest).toContainText(before);
  // Through to the record that decided, wherever it stands among the four thousand.
  await newest.getByRole('link').click();
  await expect(tom.getByRole('complementary', { name: `Record of Inspections ${before}` })).toContainText('H-0003');

  // What does not fit is refused beside where it was written, and nothing changes.
  await ida.getByRole('gridcell').first().click();
  await ida.keyboard.type('2026-02-30');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('“2026-02-30” is not in the calendar.')).toBeVisible();

  const exported = await ida.request.get(`${origin()}/api/workspaces/apiaries/tables/hives/export?format=csv`);
  const lines = (await exported.text()).replace('\uFEFF', '').trim().split('\r\n');
  expect(lines).toHaveLength(241);
  expect(lines[0]).toBe(
    'Number,Type,Weight,Since,Apiary,Keeper,Stand,Queen,Inspections,Mite counts,Treatments,Last seen,Next due,Mean temper,Condition,Mite rate,Harvests,Kg brought',
  );
  expect(lines[3]).toMatch(/^H-0003,six-frame,40\.1,2021-05-26,Long Acre,Jürgen Yewdale,LA-01,Q-003,17,/);
  await Promise.all([ida.close(), tom.close()]);
});

test('a deletion says what the rules make of it; two people in one record lose nothing', async ({ browser }) => {
  const [ida, tom] = [await signIn(browser, 'ida'), await signIn(browser, 'tom')];
  await ida.goto('/w/apiaries/t/hives');
  await (await cell(ida, 'H-0002', 'Number')).click();
  await ida.keyboard.press('Shift+Delete');
  await expect(ida.getByText('15 records of Inspections point here by “Hive”, whose rule prevents it')).toBeVisible();
  await expect(ida.getByText('H-0002 cannot be deleted.')).toBeVisible();
  await expect(ida.getByText('is deleted; History brings it back')).toHaveCount(0);
  await ida.keyboard.press('Escape');
  await ida.goto(`/w/apiaries/t/stands?filter=${encodeURIComponent('count(hives) = 1')}`);
  await ida.getByRole('gridcell').first().click();
  await ida.keyboard.press('Shift+Delete');
  await expect(ida.getByText(/^1 record of Hives stays; its “Stand” becomes blank/)).toBeVisible();

  // Both read the same record; the second to save is shown both values.
  for (const page of [ida, tom])
    await page.goto('/w/apiaries/t/hives?filter=' + encodeURIComponent("number = 'H-0010'"));
  const [mine, theirs] = [await cell(ida, 'H-0010', 'Weight'), await cell(tom, 'H-0010', 'Weight')];
  // Tom's page does not hear of the change in time.
  await tom.route('**/records?*', (route) => route.abort());
  await mine.dblclick();
  await ida.keyboard.press('Control+a');
  await ida.keyboard.type('31.5');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('Weight of H-0010 changed.')).toBeVisible();
  await theirs.dblclick();
  await tom.keyboard.press('Control+a');
  await tom.keyboard.type('29.5');
  await tom.unroute('**/records?*');
  await tom.keyboard.press('Enter');
  await expect(tom.getByRole('alert')).toContainText('theirs 31.5, yours 29.5');
  await tom.getByRole('button', { name: 'Write mine' }).click();
  await expect(mine).toHaveText('29.5 kg');
  await Promise.all([ida.close(), tom.close()]);
});

test('a reader reads; what is not theirs is not there; the phone and the dark work', async ({ browser }) => {
  const pell = await signIn(browser, 'pell', { viewport: { width: 390, height: 780 }, colorScheme: 'dark' });
  await expect(pell.getByText('Swarm reports')).toHaveCount(0);
  await accessible(pell, 'home, dark, phone');
  expect((await pell.request.get(`${origin()}/api/workspaces/outreach/model`)).status()).toBe(404);
  expect((await pell.request.get(`${origin()}/api/workspaces/nowhere/model`)).status()).toBe(404);
  expect((await pell.goto('/w/outreach'))?.status()).toBe(404);
  await pell.goto('/w/apiaries/t/hives');
  await (await cell(pell, 'H-0001', 'Number')).click();
  await pell.keyboard.press('Enter');
  await expect(pell.getByRole('gridcell').locator('input')).toHaveCount(0);
  await expect(pell.getByRole('button', { name: 'New record' })).toHaveCount(0);
  await accessible(pell, 'records, dark, phone');
  const refused = await pell.request.delete(`${origin()}/api/workspaces/apiaries/tables/hives/records`, {
    data: { ids: [1] },
  });
  expect(refused.status()).toBe(403);
  expect((await refused.json()).detail).toContain('Your role here is reader');
  await pell.close();

  const wren = await signIn(browser, 'wren');
  await wren.goto('/w/apiaries/t/hives');
  await wren.getByRole('gridcell').first().waitFor();
  await wren.keyboard.press('Control+k');
  await wren.keyboard.type('inspec');
  await wren.keyboard.press('Enter');
  await expect(wren.getByRole('heading', { name: 'Inspections' })).toBeVisible();
  // A new record by keyboard alone; the link is chosen by what it is called.
  await wren.keyboard.press('Alt+n');
  await wren.keyboard.type('2026-05-15');
  for (const text of ['6', '40', '4', 'queen', 'fresh comb']) {
    await wren.keyboard.press('Tab');
    await wren.keyboard.type(text);
  }
  await wren.keyboard.press('Tab');
  await wren.keyboard.type('H-0042');
  await expect(wren.getByRole('option', { name: 'H-0042' })).toBeVisible();
  await wren.keyboard.press('Tab');
  await wren.getByRole('button', { name: 'Save the record' }).click();
  await expect(wren.getByText('Record made.')).toBeVisible();
  await accessible(wren, 'new record');
  await wren.close();
});

const fileForm = (name: string, contents: string): FormData => {
  const form = new FormData();
  form.append('files', new Blob([contents], { type: 'text/csv' }), name);
  return form;
};

async function tokenOf(email: string): Promise<string> {
  const pool = openPool(databaseUrl(databaseName()), 1);
  const token = await makeToken(pool, email, 'a program of the tests');
  await pool.end();
  return token;
}

test('a program does what a screen does: once for a key, with refusals it can read', async ({ browser }) => {
  const ida = await signIn(browser, 'ida');
  const records = `${origin()}/api/workspaces/outreach/tables/swarm_reports/records`;
  const counted = async (): Promise<number> =>
    (await (await ida.request.get(`${records}?count=exact&limit=1`)).json()).count as number;
  const before = await counted();
  const headers = { 'idempotency-key': 'the same twice' };
  const data = { records: [{ values: { place: 'well house', seen_on: '2026-05-14', size: 'melon', state: 'seen' } }] };
  const [first, second] = [
    await ida.request.post(records, { headers, data }),
    await ida.request.post(records, { headers, data }),
  ];
  expect(await second.json()).toEqual(await first.json());
  expect(await counted()).toBe(before + 1);
  const other = await ida.request.delete(records, { headers, data: { ids: [1] } });
  expect(other.status()).toBe(422);
  const changed = await ida.request.post(records, {
    headers,
    data: { records: [{ values: { place: 'mill pond', seen_on: '2026-05-15' } }] },
  });
  expect([changed.status(), await counted()]).toEqual([422, before + 1]);
  // A form on a page elsewhere would carry the person's cookies; it is not let in, and nor is one that does not say
  // where it is from.
  const multipart = { file: { name: 'swarm.txt', mimeType: 'text/plain', buffer: Buffer.from('on the old pear') } };
  for (const [from, status] of [
    [{ origin: 'https://elsewhere.example' }, 403],
    [{ origin: 'null' }, 403],
    [{ origin: origin() }, 200],
  ] as const)
    expect(
      (await ida.request.post(`${origin()}/api/workspaces/outreach/files`, { headers: from, multipart })).status(),
    ).toBe(status);
  // A program has no browser's headers: its token is enough to send files by.
  const token = await tokenOf('ida@alderfold.example');
  const program = await fetch(`${origin()}/api/workspaces/outreach/intakes`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}` },
    body: fileForm('seen.csv', 'Place,Seen on\nOld pear,2026-05-14\n'),
  });
  expect([program.status, Object.keys((await program.json()) as object)]).toEqual([
    200,
    expect.arrayContaining(['id', 'state']),
  ]);
  for (const [call, status, detail] of [
    [ida.request.post(records, { data: { records: [{ values: { size: 'giant' } }] } }), 422, 'none of the options'],
    [ida.request.post(records, { data: { records: 'many' } }), 400, 'must be an array'],
    [
      ida.request.post(records, { data: Buffer.from('{'), headers: { 'content-type': 'application/json' } }),
      400,
      'no JSON',
    ],
    [ida.request.get(`${records}?filter=plcae%20is%20null`), 422, 'no field “plcae”'],
    [ida.request.get(`${records}?after=nonsense`), 400, 'no place in the list'],
    [ida.request.get(`${records}/999999`), 404, 'no such record'],
    [ida.request.get(`${origin()}/api/workspaces/outreach/tables/moons/records`), 404, 'no such table'],
  ] as const) {
    const answer = await call;
    expect([answer.status(), answer.headers()['content-type']]).toEqual([status, 'application/problem+json']);
    expect((await answer.json()).detail).toContain(detail);
  }
  const nobody = await browser.newContext();
  const refused = await nobody.request.get(records);
  expect(refused.status()).toBe(401);
  const document = await (await nobody.request.get(`${origin()}/api/openapi.json`)).json();
  expect(Object.keys(document.paths)).toContain('/api/workspaces/{ws}/plans/{id}/apply');
  await nobody.close();
  await ida.close();
});

test('a filter is chosen row by row, is the same as what is written, and comes back with its address', async ({
  browser,
}) => {
  const page = await signIn(browser, 'pell');
  await page.goto('/w/apiaries/t/hives');
  await page.getByRole('gridcell').first().waitFor();
  await page.keyboard.press('Alt+f');
  await page.getByRole('button', { name: '+ condition' }).click();
  await page.getByLabel('Field').selectOption('type');
  await page.getByLabel('Test').selectOption('oneOf');
  await page.getByRole('button', { name: 'long hive' }).click();
  await page.getByRole('button', { name: '+ group' }).click();
  // A link is asked which record it is, found by what one types of it.
  await page.getByLabel('Field').nth(1).selectOption('apiary');
  await expect(page.getByLabel('Test').nth(1)).toHaveValue('is');
  await page.getByRole('combobox', { name: 'Compared with' }).fill('meadow');
  await page.getByRole('option', { name: 'Low Meadow' }).click();
  await page.getByLabel('Field').nth(2).selectOption('weight');
  await page.getByLabel('Test').nth(2).selectOption('above');
  await expect(page.getByText('Weight is more than … Say what it is compared with.')).toBeVisible();
  await page.getByRole('textbox', { name: 'Compared with' }).fill('45');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('filter', { exact: true })).toHaveValue(
    "type in ('long hive') and (apiary.name = 'Low Meadow' or weight > 45)",
  );
  await expect(page.getByText(/^\d+ records meet the filter/)).toBeVisible();
  const shown = await page.getByText(/records meet the filter/).innerText();
  await accessible(page, 'filter by choosing');
  await page.reload();
  await expect(page.getByText(shown)).toBeVisible();
  await page.keyboard.press('Alt+f');
  await expect(page.getByRole('textbox', { name: 'Compared with' })).toHaveValue('45');
  // What is written by hand and says more stays what it is.
  await page.getByLabel('filter', { exact: true }).fill('weight > 45 + 1');
  await page.keyboard.press('Enter');
  await expect(page.getByText('This formula says more than can be chosen here.')).toBeVisible();
  // One that is refused, as an old address may have it, says why, and does not stand above records that do not meet it.
  await page.goto(`/w/apiaries/t/hives?filter=${encodeURIComponent('wieght > 45')}`);
  await expect(page.getByRole('alert').filter({ hasText: 'Hives has no field “wieght”.' })).toContainText(
    'Shown is the view as it is saved.',
  );
  await expect(page.getByLabel('filter', { exact: true })).toHaveValue('');
  await page.close();
});
