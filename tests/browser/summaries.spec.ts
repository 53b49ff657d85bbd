import { accessible } from './accessible';
import { api, change, drag, signIn } from './person';
import { expect, test, type Page } from './watched';

const today = new Date();
const dayOf = (months: number, day: number) =>
  new Date(Date.UTC(today.getUTCFullYear(), months, day)).toISOString().slice(0, 10);

/** A small orchard: what was picked in each month of this year and the last. */
async function orchard(page: Page, key: string): Promise<void> {
  await api(page, 'POST', '/api/workspaces', { label: key, key });
  await change(
    page,
    key,
    { do: 'addTable', label: 'Trees', fields: [{ label: 'Name', type: 'text', unique: true }] },
    {
      do: 'addTable',
      label: 'Pickings',
      fields: [
        { label: 'Note', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number', digits: 1, unit: 'kg' },
        { label: 'Tree', type: 'link', to: 'trees' },
        { label: 'Wage', type: 'number', digits: 0, internal: true },
      ],
    },
  );
  const path = `/api/workspaces/${key}/tables`;
  await api(page, 'POST', `${path}/trees/records`, {
    records: [{ values: { name: 'Old' } }, { values: { name: 'Young' } }],
  });
  const records = Array.from({ length: 24 }, (_, n) => ({
    values: { note: `p${n}`, day: dayOf((n % 12) - (n < 12 ? 12 : 0), 3), kg: n + 1, tree: 1 + (n % 2), wage: 40 },
  }));
  await api(page, 'POST', `${path}/pickings/records`, { records });
}

test('kg by month and tree this season against last: by three choices, as a chart and as a table; a bar leads to its records, and moves', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  const key = `orchard_${Date.now().toString(36)}`;
  await orchard(page, key);
  await page.goto(`/w/${key}/summaries`);
  await page.getByRole('link', { name: 'New summary' }).click();
  await page.getByLabel('Name of the summary').fill('Season');
  await page.getByRole('button', { name: 'Add a block' }).click();
  await page.getByRole('menuitem', { name: 'Chart' }).click();
  await page.getByLabel('Table', { exact: true }).selectOption({ label: 'Pickings' });
  await page.getByLabel('Measure 1', { exact: true }).selectOption({ label: 'Sum' });
  await page.getByLabel('Measure 1: of').selectOption({ label: 'Kg' });
  await page.getByLabel('Group by').selectOption({ label: 'Day' });
  await page.getByLabel('Period', { exact: true }).selectOption({ label: 'this year' });
  await page.getByLabel('Compared with').selectOption({ label: 'last year' });
  const chart = page.getByRole('application', { name: /^Kg by Day, this year, bars/ });
  await expect(chart).toBeVisible();
  // What would mislead cannot be chosen.
  await expect(page.getByRole('radio', { name: 'Shares' })).toBeDisabled();
  await expect(page.getByRole('radio', { name: 'Lines' })).toBeEnabled();
  await accessible(page, 'a summary while it is made');
  await page.getByRole('button', { name: 'Add a block' }).click();
  await page.getByRole('menuitem', { name: 'Table' }).click();
  await page.getByLabel('Title', { exact: true }).fill('By month and tree');
  await page.getByLabel('Measure 1', { exact: true }).selectOption({ label: 'Sum' });
  await page.getByLabel('Measure 1: of').selectOption({ label: 'Kg' });
  await page.getByLabel('Group by').selectOption({ label: 'Day' });
  await page.getByLabel('Group by').selectOption({ label: 'Tree' });
  await page.getByLabel('Period', { exact: true }).selectOption({ label: 'this year' });
  await page.getByLabel('Compared with').selectOption({ label: 'last year' });
  const table = page.getByRole('table', { name: 'By month and tree' });
  await expect(table.getByRole('row').last()).toHaveText(/All\s*222\.0 kg\s*78\.0 kg/);
  await page.keyboard.press('Escape');
  await page.getByRole('region', { name: 'By month and tree' }).focus();
  for (const step of ['Shift+ArrowRight', 'Shift+ArrowDown', 'ArrowUp']) await page.keyboard.press(step);
  await page.keyboard.press('Control+s');
  await expect(page.getByText('“Season” is saved.')).toBeVisible();
  await expect(page).not.toHaveURL(/new/);
  await page.reload();
  await expect(table.getByRole('row').last()).toHaveText(/All\s*222\.0 kg\s*78\.0 kg/);

  // From bar to bar by keyboard, heard, and to the records of one.
  await chart.focus();
  for (const step of ['ArrowRight', 'ArrowRight', 'ArrowDown']) await page.keyboard.press(step);
  await expect(page.locator('p[aria-live]').filter({ hasText: 'Feb · Kg, this year: 14.0 kg' })).toHaveCount(1);
  await page.keyboard.press('Enter');
  const beside = page.getByRole('complementary', { name: /Feb · Kg, this year/ });
  await expect(beside.getByText('1 record', { exact: true })).toBeVisible();
  await expect(beside.getByRole('link', { name: 'p13' })).toBeVisible();
  await page.keyboard.press('Escape');
  // Its bar is chosen by mouse, too: the one that is drawn where it stands.
  const bars = chart.locator('svg path');
  await expect(bars.first()).toBeAttached();

  // A picking is changed elsewhere; the sums follow by themselves.
  const other = await signIn(browser, 'ida');
  await api(other, 'PATCH', `/api/workspaces/${key}/tables/pickings/records`, {
    records: [{ id: 14, values: { kg: 114 } }],
  });
  await expect(table.getByRole('row').last()).toHaveText(/All\s*322\.0 kg\s*78\.0 kg/);

  // So is what somebody makes of the summary itself, where it is not changed.
  const own = await api<{ items: { id: string }[] }>(other, 'GET', `/api/workspaces/${key}/summaries`);
  const address = `/api/workspaces/${key}/summaries/${own.items[0]?.id}`;
  await api(other, 'PATCH', address, { personal: false });
  await api(other, 'PATCH', address, { summary: { label: 'Seasons' } });
  await expect(page.getByRole('heading', { name: 'Seasons' })).toBeVisible();

  // The block is dragged, the page gets a filter, and is sent as it is filtered.
  await page.getByRole('button', { name: 'Change', exact: true }).first().click();
  const first = page.getByRole('region', { name: 'By month and tree' });
  const before = await first.boundingBox();
  await drag(first.locator('.grip'), page.locator('.page'), { x: 20, y: 440 });
  await expect.poll(async () => (await first.boundingBox())?.y).not.toBe(before?.y);
  await page.getByRole('button', { name: 'Page and filters' }).click();
  await page.getByLabel('Add a filter').selectOption({ label: 'Tree' });
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('button', { name: 'Saved' })).toBeVisible();
  await page.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('group', { name: 'Filters of the page' }).getByText('Tree').click();
  await page.getByRole('checkbox', { name: 'Old' }).check();
  await expect(table.getByRole('row').last()).toHaveText(/All\s*108\.0 kg\s*36\.0 kg/);
  await expect(page).toHaveURL(/filters=/);
  await accessible(page, 'a summary');
  await page.setViewportSize({ width: 390, height: 844 });
  await expect(chart).toBeVisible();
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
});

test('how the values of a column are spread is shown beside the grid, over what the filter shows', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/t/hives');
  await page.getByRole('gridcell').first().waitFor();
  const spreadOf = async (column: string) => {
    await page.getByRole('columnheader', { name: new RegExp(`^${column}`) }).focus();
    await page.keyboard.press('Alt+ArrowDown');
    await page.getByRole('menuitem', { name: 'Show how values are spread' }).click();
    await expect(page.getByRole('application', { name: new RegExp(`How ${column} is spread`) })).toBeVisible();
    return page.getByRole('table', { name: `How ${column} is spread` });
  };
  const all = await spreadOf('Weight');
  await expect(all.getByRole('row', { name: /^All 240$/ })).toBeVisible();
  // Of steps, and of what has no value; together all.
  const counts = (await all.locator('tbody td').allInnerTexts()).map(Number);
  expect(counts.reduce((sum, one) => sum + one, 0)).toBe(240);
  await expect(page.getByText(/Not shown: \d+ records? without Weight/)).toBeVisible();
  await accessible(page, 'how values are spread');
  await page.getByLabel('filter').fill('weight > 40');
  await page.keyboard.press('Enter');
  const few = await spreadOf('Apiary');
  await expect(page.getByText('Of the records that the filter shows.')).toBeVisible();
  await expect(few.getByRole('row', { name: /^All 240$/ })).toHaveCount(0);
  // All that can be done stays in sight beside it.
  await expect(page.getByRole('link', { name: 'Structure', exact: true })).toBeInViewport({ ratio: 1 });
  await page.keyboard.press('Escape');
  await page.close();
});

test('what somebody may not see is in no summary of theirs; the demo’s pages open for whom they are', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  const key = `wages_${Date.now().toString(36)}`;
  await orchard(page, key);
  await api(page, 'POST', `/api/workspaces/${key}/members`, { person: 'pell@alderfold.example', role: 'reader' });
  const block = { kind: 'number', table: 'pickings', place: { x: 0, y: 0, w: 3, h: 2 } };
  await api(page, 'POST', `/api/workspaces/${key}/summaries`, {
    summary: {
      label: 'Costs',
      blocks: [
        { ...block, title: 'Wages', measures: [{ total: 'sum', of: 'wage' }] },
        { ...block, title: 'Picked', place: { x: 3, y: 0, w: 3, h: 2 }, measures: [{ total: 'sum', of: 'kg' }] },
      ],
    },
    personal: false,
  });
  const reader = await signIn(browser, 'pell');
  await reader.goto(`/w/${key}/summaries`);
  await reader.getByRole('link', { name: 'Costs' }).click();
  await expect(reader.getByRole('region', { name: 'Picked' })).toContainText('300.0 kg');
  await expect(reader.getByRole('region')).toHaveCount(1);
  await expect(reader.getByText('Wages', { exact: true })).toHaveCount(0);
  await expect(reader.getByRole('button', { name: 'Change' })).toHaveCount(0);
  await page.goto('/w/honey/summaries');
  await page.getByRole('link', { name: 'The market' }).click();
  await expect(page.getByRole('application', { name: /Takings by village and weather/ })).toBeVisible();
  await expect(
    page.getByRole('region', { name: 'The next visits that are due' }).getByRole('link').first(),
  ).toBeVisible();
  await expect(page.getByText('This cannot be shown')).toHaveCount(0);
  await page.evaluate(() => document.documentElement.classList.add('dark'));
  await accessible(page, 'a summary in the dark');
});
