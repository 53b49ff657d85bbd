import { expect, test, type Page } from './watched';
import { accessible } from './accessible';
import { cell, drag, origin, pasteText, signIn } from './person';

/** What copying gives, as Ctrl+C does. */
const copiedText = (page: Page) =>
  page.evaluate(() => {
    const data = new DataTransfer();
    document.activeElement?.dispatchEvent(
      new ClipboardEvent('copy', { clipboardData: data, bubbles: true, cancelable: true }),
    );
    return data.getData('text/plain');
  });

const countOf = async (page: Page, table: string): Promise<number> => {
  const answer = await page.request.get(
    `${origin()}/api/workspaces/apiaries/tables/${table}/records?limit=1&count=exact`,
  );
  return ((await answer.json()) as { count: number }).count;
};

test('thirty inspections are entered without the mouse; fills, series, undo and redo past a reload', async ({
  browser,
}) => {
  const page = await signIn(browser, 'tom');
  await page.goto('/w/apiaries/t/inspections?columns=day,hive,frames,stores,temper,seen,notes&takesNew=no');
  await page.getByRole('gridcell').first().waitFor();
  const before = await countOf(page, 'inspections');
  // To the last row by keyboard, and on from field to field.
  await page.getByRole('gridcell').first().focus();
  await page.keyboard.press('Control+End');
  await page.keyboard.press('Home');
  await expect(page.locator('[role=gridcell].draft').first()).toBeFocused();
  for (let index = 0; index < 30; index++) {
    await page.keyboard.type(`2026-05-${String(1 + (index % 15)).padStart(2, '0')}`);
    await page.keyboard.press('Tab');
    await page.keyboard.type(`H-00${String(10 + index)}`);
    await expect(page.getByRole('option', { name: `H-00${String(10 + index)}` })).toHaveAttribute(
      'aria-selected',
      'true',
    );
    await page.keyboard.press('Tab');
    await page.keyboard.type(String(3 + (index % 7)));
    await page.keyboard.press('Tab');
    await page.keyboard.type('40');
    await page.keyboard.press('Enter');
    await expect(page.getByText(`${index + 1} made just now`)).toBeVisible();
  }
  expect(await countOf(page, 'inspections')).toBe(before + 30);
  await accessible(page, 'grid');

  // Filled down, and as a series.
  await page.keyboard.press('ArrowUp');
  const notes = page.getByRole('columnheader', { name: /^Notes/ });
  const column = Number(await notes.getAttribute('aria-colindex'));
  for (let at = 1; at < column; at++) await page.keyboard.press('ArrowRight');
  for (let up = 0; up < 5; up++) await page.keyboard.press('ArrowUp');
  await page.keyboard.type('visit 1');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText(/^Notes of .* changed\.$/)).toBeVisible();
  await page.keyboard.press('ArrowUp');
  for (let down = 0; down < 5; down++) await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Control+Shift+d');
  await expect(page.getByText('6 cells written.')).toBeVisible();
  expect((await copiedText(page)).split('\r\n')).toEqual([
    'visit 1',
    'visit 2',
    'visit 3',
    'visit 4',
    'visit 5',
    'visit 6',
  ]);
  await page.keyboard.press('Control+d');
  await expect(page.getByText('5 cells filled.')).toBeVisible();
  expect((await copiedText(page)).split('\r\n')).toEqual(Array.from({ length: 6 }, () => 'visit 1'));

  // Each step is undone, also after a reload, and done again.
  await page.reload();
  await page.getByRole('gridcell').first().focus();
  // What concerns several records is asked about first.
  await page.keyboard.press('Control+z');
  await expect(
    page.getByText('This would undo an edit of 5 records: Notes changed on 5 records in Inspections.'),
  ).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('Undone.', { exact: true })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText(/This would undo an edit of 5 records: 6 cells pasted into Inspections/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo it' }).click();
  await expect(page.getByText('Undone.', { exact: true }).first()).toBeVisible();
  await page.keyboard.press('Control+y');
  await expect(page.getByText(/Done again: 6 cells pasted into Inspections/)).toBeVisible();
  await page.close();
});

test('two thousand rows are pasted: what does not fit is shown first, set aside, and all of it is undone', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/t/mite_counts?columns=day,hive,method,bees_sampled,mites,rate');
  await page.getByRole('gridcell').first().waitFor();
  const before = await countOf(page, 'mite_counts');
  const rows = Array.from({ length: 2000 }, (_, index) =>
    [
      `${(index % 28) + 1}/03/2026`,
      index % 500 === 3 ? 'H-9999' : `H-0${String(100 + (index % 100))}`,
      '',
      String(200 + (index % 90)),
      index === 7 ? 'a "few"\nor more' : String(index % 12),
    ].join('\t'),
  );
  const text = rows
    .map((row) => (row.includes('\n') ? row.replace(/[^\t]*$/, (last) => `"${last.replaceAll('"', '""')}"`) : row))
    .join('\r\n');
  await page.getByRole('gridcell').first().focus();
  await page.keyboard.press('Control+End');
  await page.keyboard.press('Home');
  await expect(page.locator('[role=gridcell].draft:focus')).toBeVisible();
  await pasteText(page, text);
  await expect(page.getByText('2,000 records made')).toBeVisible();
  await expect(page.getByText('5 cells do not fit')).toBeVisible();
  await expect(page.getByText('no record of Hives is called “H-9999”').first()).toBeVisible();
  await expect(page.getByLabel('Order of day and month in Day')).toHaveValue('dmy');
  expect(await countOf(page, 'mite_counts')).toBe(before);
  await accessible(page, 'paste');
  await page.getByRole('button', { name: 'Write 7,995, set 5 aside' }).click();
  await expect(page.getByText('7,995 cells written, 2,000 records made, 5 set aside.')).toBeVisible();
  expect(await countOf(page, 'mite_counts')).toBe(before + 2000);
  // The scroll bar reaches any place at once.
  await page.getByRole('grid').evaluate((grid) => (grid.scrollTop = grid.scrollHeight / 2));
  await expect(
    page
      .locator('.row .title')
      .filter({ hasText: /2026-03/ })
      .first(),
  ).toBeVisible();
  await page.getByRole('gridcell').first().focus();
  await page.keyboard.press('Control+z');
  await expect(
    page.getByText(/This would undo an edit of 2,000 records: 10,000 cells pasted into Mite counts/),
  ).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('Undone.', { exact: true })).toBeVisible();
  expect(await countOf(page, 'mite_counts')).toBe(before);
  await page.close();
});

test('two people work in one grid: each sees the other’s edits, and a clash shows both values', async ({ browser }) => {
  const ida = await signIn(browser, 'ida');
  const tom = await signIn(browser, 'tom');
  const address = `/w/apiaries/t/hives?filter=${encodeURIComponent("number in ('H-0041', 'H-0042', 'H-0043')")}`;
  await Promise.all([ida.goto(address), tom.goto(address)]);
  await (await cell(tom, 'H-0042', 'Weight')).click();
  await tom.keyboard.type('33.3');
  await tom.keyboard.press('Enter');
  await expect(await cell(ida, 'H-0042', 'Weight')).toHaveText('33.3 kg');
  // Two cells of one record, the second written before the first is answered, are no clash with oneself.
  await tom.route('**/records', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 400));
    await route.continue();
  });
  await (await cell(tom, 'H-0043', 'Weight')).click();
  await tom.keyboard.type('30.5');
  await tom.keyboard.press('Tab');
  await tom.keyboard.type('2020-02-02');
  await tom.keyboard.press('Enter');
  await expect(await cell(ida, 'H-0043', 'Since')).toHaveText('2020-02-02');
  await expect(await cell(ida, 'H-0043', 'Weight')).toHaveText('30.5 kg');
  await expect(tom.getByRole('alert')).toHaveCount(0);
  await tom.unroute('**/records');
  // Ida begins to write; Tom is faster.
  const weight = await cell(ida, 'H-0041', 'Weight');
  await weight.click();
  await ida.route(
    '**/records',
    async (route) => {
      await tom.request.patch(`${origin()}/api/workspaces/apiaries/tables/hives/records`, {
        data: { records: [{ id: 41, values: { weight: 20 } }] },
      });
      await route.continue();
    },
    { times: 1 },
  );
  await ida.keyboard.type('21');
  await ida.keyboard.press('Enter');
  await expect(ida.getByRole('alert')).toContainText('theirs 20, yours 21');
  await ida.getByRole('button', { name: 'Write mine' }).click();
  await expect(weight).toHaveText('21.0 kg');
  await expect(await cell(tom, 'H-0041', 'Weight')).toHaveText('21.0 kg');
  // Rows move while one writes: what is written goes to the record one began with.
  await ida.getByRole('button', { name: 'no sorting' }).click();
  await ida.getByLabel('Sort by').selectOption({ label: 'Weight' });
  await expect(ida.locator('.row .title').first()).toHaveText('H-0041');
  await (await cell(ida, 'H-0041', 'Since')).click();
  await ida.keyboard.type('2019-09-09');
  await tom.request.patch(`${origin()}/api/workspaces/apiaries/tables/hives/records`, {
    data: { records: [{ id: 43, values: { weight: 1 } }] },
  });
  await expect(ida.locator('.row .title').first()).toHaveText('H-0043');
  await ida.keyboard.press('Enter');
  await expect(await cell(ida, 'H-0041', 'Since')).toHaveText('2019-09-09');
  await expect(await cell(ida, 'H-0043', 'Since')).toHaveText('2020-02-02');
  // A record that was just deleted is said to be gone; what was typed is named.
  await ida.goto('/w/apiaries/t/plants');
  const made = await tom.request.post(`${origin()}/api/workspaces/apiaries/tables/plants/records`, {
    data: { records: [{ values: { name: 'Aster' } }] },
  });
  const { records } = (await made.json()) as { records: { id: number }[] };
  await (await cell(ida, 'Aster', 'Flowers from')).click();
  await ida.route(
    '**/records',
    async (route) => {
      await tom.request.delete(`${origin()}/api/workspaces/apiaries/tables/plants/records`, {
        data: { ids: [records[0]?.id] },
      });
      await route.continue();
    },
    { times: 1 },
  );
  await ida.keyboard.type('2026-08-01');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText(/was deleted meanwhile/)).toBeVisible();
  // The row one types a new record into stays that row while others make records.
  await ida.getByRole('gridcell').first().click();
  await ida.keyboard.press('Control+End');
  await ida.keyboard.press('Home');
  await expect(ida.locator('[role=gridcell].draft').first()).toBeFocused();
  await ida.keyboard.type('Borage');
  await tom.request.post(`${origin()}/api/workspaces/apiaries/tables/plants/records`, {
    data: { records: [{ values: { name: 'Clary' } }] },
  });
  await expect(ida.getByRole('gridcell', { name: 'Clary' })).toBeVisible();
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('Borage made.')).toBeVisible();
  await expect(ida.getByRole('gridcell', { name: 'Clary' })).toBeVisible();
  await Promise.all([ida.close(), tom.close()]);
});

test('a view is built, saved, sent, and opened by a colleague who may only read', async ({ browser }) => {
  const ida = await signIn(browser, 'ida');
  await ida.goto('/w/apiaries/t/hives');
  await ida.getByRole('gridcell').first().waitFor();
  // By choosing: order, groups, a total, a hidden column, a colour.
  await ida.getByRole('button', { name: 'no sorting' }).click();
  await ida.getByLabel('Sort by').selectOption({ label: 'Next due' });
  await expect(ida.getByText('Not saved: order.')).toBeVisible();
  await ida.getByRole('button', { name: 'no grouping' }).click();
  await ida.getByLabel('Group by').selectOption({ label: 'Apiary' });
  await expect(ida.getByRole('gridcell', { name: /Apiary.*Beck Side.*records/ })).toBeVisible();
  await ida.getByRole('button', { name: 'all fields' }).click();
  await ida.getByRole('checkbox', { name: 'Queen' }).uncheck();
  await ida.getByLabel('Total of Weight').selectOption('avg');
  await expect(ida.getByRole('columnheader', { name: /^Queen/ })).toHaveCount(0);
  await ida.getByRole('button', { name: 'no colours' }).click();
  await ida.getByRole('button', { name: 'a colour …' }).click();
  await ida.getByLabel('Condition for the colour').fill("condition = 'overdue'");
  await ida.getByRole('button', { name: 'Colour these' }).click();
  await ida.getByLabel('filter').fill('weight > 25');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('Not saved: columns, filter, order, grouping, colours.')).toBeVisible();
  await accessible(ida, 'view in the making');
  await ida.getByRole('button', { name: 'Save as a new view' }).click();
  await ida.getByLabel('Name of the view').fill('Heavy by apiary');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText('“Heavy by apiary” is kept.')).toBeVisible();
  await expect(ida.getByText('Not saved:')).toHaveCount(0);
  await ida.waitForURL(/view=/);
  // A head is walked to and its column moved and made wider by keyboard; that is unsaved again.
  await ida.getByRole('columnheader', { name: /^Type/ }).focus();
  await ida.keyboard.press('Control+Shift+ArrowRight');
  await expect(ida.getByText('Not saved: columns.')).toBeVisible();
  const sent = ida.url();
  await ida.getByRole('button', { name: 'Discard changes' }).click();
  await expect(ida.getByText('Not saved:')).toHaveCount(0);

  const reader = await signIn(browser, 'pell');
  await reader.goto(sent);
  await expect(reader.getByText('Not saved: columns.')).toBeVisible();
  await expect(reader.getByRole('button', { name: /^Save for everybody/ })).toHaveCount(0);
  await expect(reader.getByRole('gridcell', { name: /Apiary.*Beck Side.*records/ })).toBeVisible();
  await expect(reader.getByText('sorted by Next due')).toBeVisible();
  await reader.getByRole('button', { name: 'Save as a new view' }).click();
  await reader.getByLabel('Name of the view').fill('My heavy ones');
  await reader.keyboard.press('Enter');
  await expect(reader.getByText('“My heavy ones” is kept.')).toBeVisible();
  await ida.reload();
  await ida.getByRole('button', { name: 'Views of Hives' }).click();
  await expect(ida.getByRole('menuitem', { name: 'Heavy by apiary' })).toBeVisible();
  await expect(ida.getByRole('menuitem', { name: 'My heavy ones' })).toHaveCount(0);
  await ida.keyboard.press('Escape');
  // What it shows is what it exports, in its order.
  const [file] = await Promise.all([
    ida.waitForEvent('download'),
    (async () => {
      await ida.getByRole('button', { name: 'Export what is shown' }).click();
      await ida.getByRole('menuitem', { name: 'CSV', exact: true }).click();
    })(),
  ]);
  const { readFileSync } = await import('node:fs');
  const [head, first] = readFileSync(await file.path(), 'utf8').split('\r\n');
  expect(head).not.toContain('Queen');
  expect(first).toContain('Beck Side');
  await Promise.all([ida.close(), reader.close()]);
});

test('records as list, cards, board and calendar; moved by keyboard, opened, followed and printed', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/t/hives');
  await page.getByRole('gridcell').first().waitFor();
  // A board: a card goes to the next column by keyboard, and back by undo.
  await page.getByLabel('Shown as').selectOption('board');
  const lane = (name: string) => page.getByRole('listbox', { name, exact: true });
  await expect(lane('long hive').getByRole('option').first()).toBeVisible();
  const moved = (await lane('long hive').getByRole('option').first().locator('b').innerText()).trim();
  await accessible(page, 'board');
  await lane('long hive').focus();
  await page.keyboard.press('Control+ArrowRight');
  await expect(page.getByText(`Type of ${moved} changed.`)).toBeVisible();
  await expect(lane('ten-frame').getByText(moved, { exact: true })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(lane('long hive').getByText(moved, { exact: true })).toBeVisible();
  // A card is dragged, too, once it lies where it was.
  await expect(lane('long hive').getByRole('option').first()).toContainText(moved);
  await drag(lane('long hive').getByText(moved, { exact: true }), lane('top-bar'));
  await expect(lane('top-bar').getByText(moved, { exact: true })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(lane('long hive').getByText(moved, { exact: true })).toBeVisible();

  await page.getByLabel('Shown as').selectOption('cards');
  await page.getByRole('listbox', { name: 'Hives' }).focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('complementary').getByRole('heading', { name: 'H-0002' })).toBeVisible();
  await accessible(page, 'cards');
  await page.keyboard.press('Escape');

  // The list beside a record; its linked records are edited in place, new ones are linked with it.
  await page.getByLabel('Shown as').selectOption('beside');
  await page.getByRole('listbox', { name: 'Hives' }).focus();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('heading', { name: 'H-0002' })).toBeVisible();
  const visits = page.getByRole('region', { name: 'Mite counts' });
  await expect(visits.getByText(/\d+ records?/)).toBeVisible();
  const counted = await visits.locator('.count').innerText();
  await visits.locator('[role=gridcell].draft').first().click();
  await page.keyboard.type('2026-05-15');
  await page.keyboard.press('Enter');
  await expect(page.getByText('2026-05-15 made.')).toBeVisible();
  await accessible(page, 'list beside record');
  await page.getByRole('link', { name: 'Open full page' }).click();
  await expect(page.getByText('2 of 240')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Mite counts' }).locator('.count')).not.toHaveText(counted);
  await page.getByRole('button', { name: 'Change Weight' }).click();
  await page.keyboard.type('12.3');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'History of this record' }).click();
  await expect(page.getByText('Ida Vale changed it').first()).toBeVisible();
  await accessible(page, 'record');
  // On paper nothing scrolls: all that the list holds is there.
  const printed = page.getByRole('region', { name: 'Inspections' });
  const many = Number(/\d+/.exec(await printed.locator('.count').innerText())?.[0]);
  await page.evaluate(() => dispatchEvent(new Event('beforeprint')));
  await expect(printed.locator('table tbody tr')).toHaveCount(many);
  await page.evaluate(() => dispatchEvent(new Event('afterprint')));
  await expect(printed.locator('table')).toHaveCount(0);
  await page.getByRole('button', { name: 'Write the earlier value of Weight again' }).first().click();
  await expect(page.getByRole('button', { name: 'Change Weight' })).not.toContainText('12.3');
  await page.keyboard.press('Alt+ArrowDown');
  await expect(page.getByText('3 of 240')).toBeVisible();
  // However fast the keys come, each of them counts.
  for (let n = 0; n < 7; n++) await page.keyboard.press('Alt+ArrowDown');
  for (let n = 0; n < 2; n++) await page.keyboard.press('Alt+ArrowUp');
  await expect(page.getByText('8 of 240')).toBeVisible();

  // A calendar: a record is taken up, carried to another day and put down.
  await page.goto('/w/apiaries/t/treatments?kind=calendar&by=begins&until=ends');
  await page.getByRole('button', { name: /To the latest/ }).click();
  const day = (await page.getByRole('heading', { level: 2 }).innerText()).trim();
  expect(day).toMatch(/2026/);
  await expect(page.locator('.piece').first()).toBeVisible();
  await page.getByRole('application').focus();
  await page.keyboard.press('m');
  await expect(page.getByRole('status').filter({ hasText: 'taken up' })).toBeVisible();
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/ moved\.$/)).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText(/^Undone: Begins, Ends changed on 1 record/)).toBeVisible();
  await accessible(page, 'calendar');
  await page.close();
});

test('linked records are opened beside, one after the other, and changed there; a colleague’s list shows it', async ({
  browser,
}) => {
  const [ida, tom] = [await signIn(browser, 'ida'), await signIn(browser, 'tom')];
  for (const page of [ida, tom]) {
    await page.goto('/w/apiaries/t/hives?columns=number,apiary,keeper&takesNew=no');
    await page.getByRole('gridcell').first().waitFor();
  }
  // Tom has them by the steward of their apiary, which is no field of hives.
  await tom.getByRole('button', { name: 'no grouping' }).click();
  await tom.getByLabel('Group by').selectOption({ label: 'Apiary › Steward' });
  await expect(tom.getByRole('button', { name: 'grouped by Apiary › Steward' })).toBeVisible();
  const heads = tom.getByRole('gridcell', { name: /Apiary › Steward.*records/ });
  await expect(heads.first()).toContainText('Dessa Dunmere');
  await tom.getByRole('button', { name: 'no sorting' }).click();
  await tom.getByLabel('Sort by').selectOption({ label: 'Keeper › Name' });
  await expect(tom.getByRole('button', { name: 'sorted by Keeper › Name' })).toBeVisible();

  const name = ida.getByRole('gridcell', { name: /Long Acre/ }).first();
  const hive = await ida.getByRole('row').filter({ hasText: 'Long Acre' }).first().locator('.title').innerText();
  await name.click();
  await ida.keyboard.press('Alt+Enter');
  const panel = ida.getByRole('complementary', { name: /Record of/ });
  await expect(panel.getByRole('heading', { name: 'Long Acre' })).toBeVisible();
  await accessible(ida, 'linked record');
  await panel.getByRole('link', { name: 'Dessa Dunmere' }).click();
  await expect(panel.getByRole('heading', { name: 'Dessa Dunmere' })).toBeVisible();
  await panel.getByRole('button', { name: 'Change Name' }).click();
  await ida.keyboard.press('Control+a');
  await ida.keyboard.type('Zora Dunmere');
  await ida.keyboard.press('Enter');
  await expect(panel.getByRole('heading', { name: 'Zora Dunmere' })).toBeVisible();
  await panel.getByRole('button', { name: '← Long Acre' }).click();
  await expect(panel.getByRole('link', { name: 'Zora Dunmere' })).toBeVisible();
  await panel.getByRole('button', { name: `← ${hive}` }).click();
  await expect(panel.getByRole('heading', { name: hive })).toBeVisible();
  // Nothing of Hives was written, and yet the list is in another order now.
  await expect(heads.first()).not.toContainText('Dunmere');
  await tom.keyboard.press('Escape');
  await tom.getByRole('grid').focus();
  await tom.keyboard.press('Control+End');
  await expect(tom.getByText('Zora Dunmere').first()).toBeVisible();
  // By mouse: the button in the cell, then to its own page.
  await ida.keyboard.press('Escape');
  await name.hover();
  await name.getByRole('button', { name: 'Open Apiary beside' }).click();
  await expect(panel.getByRole('heading', { name: 'Long Acre' })).toBeVisible();
  await panel.getByRole('link', { name: 'Open full page' }).click();
  await ida.waitForURL(/apiaries\/r\/\d+$/);
  await ida.getByRole('link', { name: 'Zora Dunmere' }).click();
  await ida.waitForURL(/keepers\/r\/\d+$/);
  await Promise.all([ida.close(), tom.close()]);
});
