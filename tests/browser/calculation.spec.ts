import { accessible } from './accessible';
import { expect, test, type Page } from './watched';
import { cell, origin, signIn } from './person';

/** What a program sends, by the session of the page. */
async function send(page: Page, path: string, data: unknown): Promise<Record<string, unknown>> {
  const answer = await page.request.post(`${origin()}/api/workspaces${path}`, { data });
  const body = (await answer.json()) as Record<string, unknown>;
  expect(answer.ok(), JSON.stringify(body).slice(0, 500)).toBe(true);
  return body;
}

async function change(page: Page, key: string, changes: readonly unknown[]): Promise<void> {
  const plan = await send(page, `/${key}/plans`, { changes });
  await send(page, `/${key}/plans/${String(plan.id)}/apply`, {});
}

const formulaText = (page: Page) => page.getByRole('textbox', { name: 'Formula', exact: true });

async function write(page: Page, text: string): Promise<void> {
  await formulaText(page).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type(text);
  await page.keyboard.press('Escape');
}

async function apply(page: Page): Promise<void> {
  await page.getByRole('button', { name: /^(Add to the plan|Put the change in the plan)$/ }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByRole('status').getByText(/^Done/).first()).toBeVisible();
}

test('a formula is written, fixed, read, chosen and followed; what is wrong is found; what reaches far is asked about', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await send(page, '', { label: 'Queen line', key: 'queen_line' });
  const key = 'queen_line';
  await change(page, key, [
    {
      do: 'addTable',
      label: 'Queens',
      fields: [
        { label: 'Mark', type: 'text' },
        { label: 'Born on', type: 'date' },
        { label: 'Mother', type: 'link', to: 'queens', counterpart: { label: 'Daughters' }, onDelete: 'clear' },
      ],
    },
    {
      do: 'addTable',
      label: 'Weighings',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number', digits: 1, unit: 'kg' },
        { label: 'Frames', type: 'number', digits: 0 },
        { label: 'Queen', type: 'link', to: 'queens', counterpart: { label: 'Weighings' } },
      ],
      title: 'day',
    },
  ]);
  await send(page, `/${key}/tables/queens/records`, {
    records: [
      { values: { mark: 'Q-1', born_on: '2024-05-01' } },
      { values: { mark: 'Q-2', born_on: '2025-05-01', mother: 1 } },
      { values: { mark: 'Q-3', born_on: '2026-05-01', mother: 2 } },
    ],
  });
  await send(page, `/${key}/tables/weighings/records`, {
    records: [
      { values: { day: '2026-05-01', kg: 12.5, frames: 5, queen: 2 } },
      { values: { day: '2026-05-09', kg: 14, frames: 0, queen: 2 } },
    ],
  });

  // Written with a slip, which is fixed by what stands beside it; read back; seen by labels; the same as chosen.
  await page.goto(`/w/${key}/t/queens/structure`);
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Label').fill('Last weighed');
  await page.getByLabel('Type').selectOption('formula');
  await write(page, 'max(weighings.dya)');
  await expect(page.getByText('Weighings has no field “dya”.')).toBeVisible();
  await page.getByRole('complementary').getByRole('button', { name: 'Write day' }).first().click();
  await expect(
    page.getByText('The latest day of the weighings linked here, blank when there are none', { exact: false }),
  ).toBeVisible({ timeout: 20_000 });
  await page.getByRole('button', { name: 'Show labels' }).click();
  await expect(formulaText(page)).toHaveText('max("Weighings"."Day")');
  await page.getByRole('button', { name: 'Show keys' }).click();
  await expect(formulaText(page)).toHaveText('max(weighings.day)');
  await page.getByRole('button', { name: 'Choose a rollup' }).click();
  await page.getByRole('combobox', { name: 'gather' }).selectOption('sum');
  await page.getByRole('combobox', { name: /^field/ }).selectOption('kg');
  await expect(formulaText(page)).toHaveText('sum(weighings.kg)');
  await page.getByRole('button', { name: '+ condition' }).click();
  await page.getByRole('combobox', { name: 'Field', exact: true }).selectOption('frames');
  await page.getByRole('combobox', { name: 'Test' }).selectOption('above');
  await page.getByRole('textbox', { name: 'Compared with' }).fill('2');
  await page.keyboard.press('Tab');
  await expect(formulaText(page)).toHaveText('sum(weighings.kg) filter (where weighings.frames > 2)');
  await accessible(page, 'the formula editor');
  await apply(page);

  // Over a hierarchy it may read itself.
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Label').fill('Generation');
  await page.getByLabel('Type').selectOption('formula');
  await write(page, 'coalesce(mother.generation + 1, 0)');
  await expect(page.getByText('It goes over a hierarchy')).toBeVisible();
  await apply(page);
  await page.goto(`/w/${key}/t/weighings/structure`);
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Label').fill('Kg a frame');
  await page.getByLabel('Type').selectOption('formula');
  await write(page, 'round(kg / frames, 2)');
  await expect(page.getByText('gives a number')).toBeVisible();
  await apply(page);

  // The field says what it comes from and where it goes, and leads there.
  await page.goto(`/w/${key}/t/queens/structure?field=mother`);
  await page.getByRole('complementary').getByRole('link', { name: 'Queens.Generation' }).click();
  await expect(page.getByRole('heading', { name: 'Generation' })).toBeVisible();

  // Sums have their unit; the ring of mothers and the division by zero are found, with the records.
  await page.goto(`/w/${key}/t/queens`);
  await expect(await cell(page, 'Q-2', 'Last weighed')).toHaveText('12.5 kg');
  await expect(await cell(page, 'Q-3', 'Generation')).toHaveText('2');
  const patched = await page.request.patch(`${origin()}/api/workspaces/${key}/tables/queens/records`, {
    data: { records: [{ id: 1, values: { mother: 3 } }] },
  });
  expect(patched.ok()).toBe(true);
  await expect(await cell(page, 'Q-3', 'Generation')).toHaveText('');
  await page.getByRole('link', { name: /^Health/ }).click();
  await expect(page.getByRole('row', { name: /3 Generation the records are linked in a ring/ })).toBeVisible();
  await accessible(page, 'Health');
  // What is as it should be is accepted, by keyboard, and found again when that is undone.
  const zero = page.getByRole('row', { name: /1 Kg a frame it divides by 0/ });
  await zero.getByRole('button', { name: 'Accept' }).focus();
  await page.keyboard.press('Enter');
  await page.getByLabel('records that meet a condition').check();
  await page.getByRole('button', { name: '+ condition' }).click();
  await page.getByLabel('Field', { exact: true }).selectOption('frames');
  await page.getByLabel('Test').selectOption('is');
  await page.getByLabel('Compared with').fill('0');
  await page.getByLabel('Why is this fine?').fill('Not opened yet');
  await page.getByRole('button', { name: 'Accept', exact: true }).click();
  await expect(zero).toHaveCount(0);
  await page.getByText('1 accepted finding').click();
  await expect(page.getByText('(where frames = 0)')).toBeVisible();
  await page.getByRole('button', { name: 'Undo accepting' }).click();
  await expect(zero).toBeVisible();
  await page
    .getByRole('row', { name: /1 Kg a frame it divides by 0: kg \/ frames/ })
    .getByRole('link', { name: 'Show these records' })
    .click();
  await expect(page.getByText('1 record meet the filter')).toBeVisible();

  // What reaches very many records is asked about first.
  const many = 10_000;
  for (let part = 0; part < 3; part++)
    await send(page, `/${key}/tables/weighings/records`, {
      records: Array.from({ length: many }, () => ({ values: { day: '2026-05-10', kg: 1, frames: 3, queen: 1 } })),
    });
  await change(page, key, [
    { do: 'addField', table: 'weighings', field: { label: 'Of', type: 'formula', formula: 'queen.mark' } },
  ]);
  await page.goto(`/w/${key}/t/queens`);
  await (await cell(page, 'Q-1', 'Mark')).click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Q-one');
  await page.keyboard.press('Enter');
  await expect(
    page.getByText('Up to 30,000 records would be calculated anew: 30,000 of Weighings', { exact: false }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Leave it as it was' }).click();
  await expect(await cell(page, 'Q-1', 'Mark')).toHaveText('Q-1');
  await (await cell(page, 'Q-1', 'Mark')).click();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Q-one');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Change it and calculate' }).click();
  await expect(await cell(page, 'Q-one', 'Mark')).toBeVisible();
  await page.goto(`/w/${key}/t/weighings?filter=${encodeURIComponent("of = 'Q-one'")}`);
  await expect(page.getByText('30,000 records meet the filter')).toBeVisible();
  await page.close();
});
