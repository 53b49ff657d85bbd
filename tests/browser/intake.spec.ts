import { expect, test } from './watched';
import { accessible } from './accessible';
import { signIn } from './person';

test('one sheet for everything becomes linked tables; it is read another way and back; a pasted range comes in, too', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida', { permissions: ['clipboard-read', 'clipboard-write'] });
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Shared folder');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'Bring in files' }).click();
  await page.getByLabel('Choose files').last().setInputFiles(['demo/sources/everything.csv']);

  // What the sheet repeats is split off, each column to the thing it belongs to.
  await expect(
    page.getByText('split off everything: hive_no decides hive_type, keeper_code, apiary_name · 240 different ones'),
  ).toBeVisible();
  await expect(
    page.getByText('split off everything: keeper_code decides keeper, keeper_village · 62 different ones'),
  ).toBeVisible();
  await expect(
    page.getByText('split off everything: apiary_name decides apiary_height · 14 different ones'),
  ).toBeVisible();
  await page.getByText('5 rows disagree with what is kept').click();
  await expect(page.getByText('keeper “ULLA RIGG” in 2 rows, kept “Ulla Rigg”')).toBeVisible();
  await expect(page.getByText('“–”, “n/a” stand for blank')).toBeVisible();
  await accessible(page, 'splits');

  // What was not proposed says why.
  await page.getByRole('button', { name: 'notes', exact: true }).first().click();
  await page.getByLabel('Why not …').selectOption({ label: 'a table of its own' });
  await expect(page.getByText(/different values on 1,\d+ rows: each on/)).toBeVisible();
  await page.getByLabel('Why not …').selectOption({ label: 'the key' });
  await expect(page.getByText(/values stand on more than one row/)).toBeVisible();
  await accessible(page, 'why not');
  await page.keyboard.press('Escape');

  // Without its names the sheet is a heap of columns; read with them again, it is as before.
  await page.getByRole('button', { name: 'Read it another way' }).click();
  await page.getByLabel('Names go over').selectOption('0');
  await accessible(page, 'reading');
  await page.getByRole('button', { name: 'Read it again' }).click();
  await expect(page.getByRole('button', { name: 'Column 1', exact: true }).first()).toBeVisible();
  await page.getByRole('button', { name: 'Read it another way' }).click();
  await page.getByLabel('Names go over').selectOption('1');
  await page.getByRole('button', { name: 'Read it again' }).click();
  await expect(page.getByRole('button', { name: 'Leave it in everything' })).toHaveCount(3);

  // What is decided one after the other stays, however slowly the server answers.
  await page.route('**/proposal', (route) => void setTimeout(() => void route.continue(), 700));
  for (const labels of [
    ['Visits', 'Colonies'],
    ['Everything', 'Hives'],
  ]) {
    for (const [at, label] of labels.entries()) {
      await page.getByLabel('Name of the table').nth(at).fill(label);
      await page.keyboard.press('Tab');
    }
    await expect(page.getByText(`1,500 rows → ${labels[0]} 1,500, ${labels[1]} 240,`)).toBeVisible();
  }
  await page.unroute('**/proposal');

  // The apiaries stay on the hives: what depends on them stays with them.
  await page.getByRole('button', { name: 'Leave it in everything' }).last().click();
  await expect(page.getByText('not split off')).toBeVisible();
  await page.getByRole('button', { name: 'Split it off' }).click();
  await page.getByRole('button', { name: 'Load 1,500 rows' }).click();
  await expect(page.getByRole('heading', { name: /^Receipt/ })).toBeVisible();
  await expect(
    page.getByRole('row', { name: /everything → Everything 1,500 = 1,500 \+ 0 \+ 0 adds up/ }),
  ).toBeVisible();
  const rail = page.getByRole('navigation', { name: 'Workspace' });
  for (const [table, count] of [
    ['Everything', '1,500'],
    ['Hives', '240'],
    ['Keepers', '62'],
    ['Apiaries', '14'],
  ] as const)
    await expect(rail.getByRole('link', { name: new RegExp(`^${table} ${count}`) })).toBeVisible();

  // News of the keepers go into their table: found by their code, one changed, one new, one as it was.
  await rail.getByRole('link', { name: 'Intake' }).click();
  const news =
    'keeper_code;keeper;keeper_village\nK-017;Maren Kirkbride;Fellside\nK-001;Renamed Keeper;\nK-900;Added Keeper;Fellside\n';
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles([{ name: 'keepers.csv', mimeType: 'text/csv', buffer: Buffer.from(news) }]);
  await expect(page.getByText('2 rows are about records that stand in Keepers, 1 about new ones.')).toBeVisible();
  await expect(
    page.getByLabel('Field that records of Keepers are found by', { exact: true }).locator('option:checked'),
  ).toHaveText('Keeper code');
  await accessible(page, 'into');
  await page.getByRole('button', { name: 'Dry run' }).click();
  // One difference is not taken, and then taken after all.
  const renamed = page.getByRole('checkbox', { name: /^K-001 Keepers\.Keeper: .* → Renamed Keeper$/ });
  await renamed.uncheck();
  await page.getByRole('button', { name: 'Keep 1 value as it is' }).click();
  await expect(page.getByText('1 value of the table stays, whatever the rows say.')).toBeVisible();
  await expect(page.getByRole('heading', { name: 'What differs' })).toBeHidden();
  await page.getByRole('button', { name: 'Take what the rows say' }).click();
  await page.getByRole('button', { name: 'Dry run' }).click();
  await expect(renamed).toBeChecked();
  await page.getByRole('button', { name: 'Load 3 rows' }).click();
  await expect(page.getByRole('row', { name: /keepers → Keepers 3 = 1 \+ 0 \+ 1 \+ 1 \+ 0 adds up/ })).toBeVisible();
  await expect(rail.getByRole('link', { name: /^Keepers 63/ })).toBeVisible();
  await page.getByRole('button', { name: 'Undo the load' }).click();
  await expect(rail.getByRole('link', { name: /^Keepers 62/ })).toBeVisible();

  // A range out of a spreadsheet, by keyboard alone.
  await rail.getByRole('link', { name: 'Intake' }).click();
  await expect(page.getByText('press Ctrl+V here')).toBeVisible();
  await page.evaluate(() =>
    navigator.clipboard.writeText('plant\tflowers from\tkg\nlime\t2026-06-01\t1,5\nheather\t2026-08-01\t2,5\n'),
  );
  await page.locator('body').press('Control+v');
  await expect(page.getByText('2 of 2 are numbers with decimal comma')).toBeVisible();
  await page.getByRole('button', { name: 'Load 2 rows' }).click();
  await expect(page.getByRole('row', { name: 'Pasted range.Kg 4 4 difference 0' })).toBeVisible();
});

test('honey by month becomes rows and columns again; what is left out, seen and taken is said', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Season by month');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'Bring in files' }).click();
  await page.getByLabel('Choose files').last().setInputFiles(['demo/sources/honey by month.csv']);

  await expect(page.getByText('6 columns became rows: Apr … Sep')).toBeVisible();
  await expect(page.getByText('is left out, as it is the sum of 6 of them')).toBeVisible();
  await expect(page.getByText('2 rows left out, as they are no records')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Load 79 rows' })).toBeVisible();
  await accessible(page, 'columns to rows');

  // Back to columns, and rows by hand, with names of one's own.
  await page.getByRole('button', { name: 'Keep them as columns' }).click();
  await expect(page.getByRole('button', { name: 'Load 14 rows' })).toBeVisible();
  await page.getByRole('button', { name: 'Turn columns into rows' }).click();
  const form = page.getByRole('form', { name: 'Columns of honey by month that become rows' });
  for (const month of ['Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep']) await form.getByLabel(month, { exact: true }).check();
  await form.getByLabel('Their names go to').fill('Month');
  await form.getByLabel('Their cells go to').fill('Honey');
  await accessible(page, 'choosing columns');
  await form.getByRole('button', { name: 'Turn 6 columns into rows' }).click();
  await expect(page.getByRole('button', { name: 'Load 79 rows' })).toBeVisible();

  // A condition leaves rows out, and is taken back.
  const condition = page.getByRole('form', { name: 'Leave out rows of honey by month by a condition' });
  await condition.getByLabel('Column').selectOption('Month');
  await condition.getByLabel('Test').selectOption('is');
  await condition.getByLabel('Text').fill('apr');
  await condition.getByRole('button', { name: 'Leave out' }).click();
  await expect(page.getByRole('button', { name: 'Load 70 rows' })).toBeVisible();
  await page.getByRole('button', { name: 'Take them in' }).click();
  await expect(page.getByRole('button', { name: 'Load 79 rows' })).toBeVisible();
  await page.getByRole('button', { name: 'Load 79 rows' }).click();
  await expect(page.getByRole('heading', { name: /^Receipt/ })).toBeVisible();
  await expect(page.getByText('18 rows in the file = 16 with values in columns')).toBeVisible();
  await expect(page.getByRole('row', { name: /Honey 7,786\.5 7,786\.5/ })).toBeVisible();
});
