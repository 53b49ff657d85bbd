import { readFileSync } from 'node:fs';
import { expect, test, type Page } from './watched';
import { accessible } from './accessible';
import { signIn } from './person';

const source = (name: string) => `demo/sources/${name}`;
const rail = (page: Page) => page.getByRole('navigation', { name: 'Workspace' });
const sheet = (page: Page, name: string) =>
  page.locator('.sheet').filter({ has: page.getByRole('heading', { name, exact: true }) });

test('all of the team’s files become the cooperative’s fifteen linked tables; misfits are corrected and fixed; the next file of a shape goes its way', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Team folder');
  await page.keyboard.press('Enter');
  await page.waitForURL(/\/w\//);
  await rail(page).getByRole('link', { name: 'Intake' }).click();
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles([source('register.xlsx'), source('colony book.ods'), source('inspections.csv')]);

  // What will stand is drawn, and each column's decision says its reason.
  await expect(page.getByRole('button', { name: 'Hives: new, 240' })).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText('100.0 % found in Stands, 48 blank')).toBeVisible();
  await expect(
    sheet(page, 'Apiaries').getByRole('row', { name: /^forage .*Forage → several of Plants$/ }),
  ).toBeVisible();
  await accessible(page, 'proposal');

  // Inspections call hives by their digits alone: what a formula makes of them becomes a link.
  await sheet(page, 'inspections').getByRole('button', { name: 'hive_no' }).click();
  await expect(page.getByText('How it spreads: the 20 most frequent')).toBeVisible();
  await page.getByText('Transform with a formula').click();
  await page.getByLabel('Make of it').selectOption({ label: 'put something before it' });
  await expect(page.getByRole('row', { name: '0184 H-0184' })).toBeVisible();
  await accessible(page, 'clean-up');
  await page.getByRole('button', { name: 'Use this formula' }).click();
  await expect(sheet(page, 'inspections').getByText('99.6 % found in Hives, 16 not')).toBeVisible();

  // Codes typed in a hurry: what they mean is confirmed by keyboard alone.
  await sheet(page, 'Hives').getByRole('button', { name: 'keeper', exact: true }).click();
  const near = page.getByRole('list', { name: 'Texts that may mean another one' });
  await near.getByRole('button').first().focus();
  await page.keyboard.press('1');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Delete');
  await expect(near.getByRole('button', { pressed: true })).toHaveCount(0);
  for (let text = 0; text < 12; text++) await page.keyboard.press('Enter');
  await expect(near.getByRole('button', { pressed: true })).toHaveCount(12);
  await accessible(page, 'near misses');
  await page.getByRole('button', { name: 'Use what is confirmed' }).click();
  await expect(page.getByText('15 rows of keeper match no Keepers')).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Load 4,776 rows' }).click();
  await expect(page.getByRole('row', { name: 'Hives → Hives 240 = 238 + 2 + 0 adds up' })).toBeVisible();
  await expect(
    page.getByRole('row', { name: 'inspections → Inspections 3,600 = 3,580 + 20 + 0 adds up' }),
  ).toBeVisible();
  await expect(page.getByRole('row', { name: 'Apiaries.Forage 75 0' })).toBeVisible();
  await accessible(page, 'receipt');

  // Misfits as a file: corrected and brought in again, it is recognised and fills the gaps.
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Misfits of Hives as a file' }).click(),
  ]);
  const misfits = readFileSync(await download.path(), 'utf8');
  expect(misfits).toContain('K-099: no record of Keepers has this key');
  await rail(page).getByRole('link', { name: 'Intake' }).click();
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles([
      { name: 'corrected.csv', mimeType: 'text/csv', buffer: Buffer.from(misfits.replaceAll('K-099,', 'K-009,')) },
    ]);
  await expect(page.getByText(/As it was mapped before \(Ida Vale/)).toBeVisible();
  await page.getByRole('button', { name: 'Load 2 rows' }).click();
  await expect(page.getByRole('row', { name: /corrected → Hives 2 = 0 \+ 0 \+ 2 \+ 0 \+ 0 adds up/ })).toBeVisible();

  // The rest is fixed where it is set aside: one text by its record, the others by leaving them blank; and undone.
  await rail(page)
    .getByRole('link', { name: /^Set aside/ })
    .click();
  await expect(page.getByText('20 values in 2 fields')).toBeVisible();
  await page.getByRole('link', { name: /Inspections · Hive/ }).click();
  await page.getByRole('button', { name: 'H-0777' }).click();
  await page.getByRole('combobox', { name: 'Record of Hives' }).fill('H-0077');
  await page.getByRole('option', { name: 'H-0077' }).click();
  await expect(page.getByText('18 values in 2 fields')).toBeVisible();
  await page.getByRole('link', { name: /Inspections · Visited/ }).click();
  await accessible(page, 'set aside');
  await page.getByRole('button', { name: 'Leave all 4 blank' }).click();
  await expect(page.getByText('14 values in 1 field')).toBeVisible();
  await page.getByRole('button', { name: 'Undo it' }).last().click();
  await expect(page.getByText('18 values in 2 fields')).toBeVisible();

  // Honey: lots with their harvests inside, extractions and fillings into one table, each marked.
  await rail(page).getByRole('link', { name: 'Intake' }).click();
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles(['lots.json', 'extractions.csv', 'fillings.csv', 'market.xlsx', 'swarm reports.csv'].map(source));
  await page.getByLabel('Table that fillings goes into').selectOption({ label: 'the same table as extractions' });
  await expect(page.getByLabel('Mark of the rows of fillings')).toHaveValue('fillings');
  await page.getByLabel('Mark of the rows of fillings').fill('filling');
  await page.keyboard.press('Tab');
  await expect(page.getByLabel('Mark of the rows of fillings')).toHaveValue('filling');
  await page.getByLabel('Name of the table').nth(2).fill('Movements');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('button', { name: 'Movements: new, 36' })).toBeVisible();
  for (const [column, field] of [
    ['filled_on', 'Extracted on'],
    ['kg', 'Kilograms'],
  ] as const) {
    await sheet(page, 'fillings').getByRole('button', { name: column, exact: true }).click();
    await page.getByLabel('Goes to').selectOption({ label: field });
    await expect(sheet(page, 'fillings').getByRole('row', { name: new RegExp(`^${column} .*${field}`) })).toBeVisible();
  }
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /^Load / }).click();
  await expect(page.getByRole('row', { name: /fillings → Movements 18 = 18 \+ 0 \+ 0 adds up/ })).toBeVisible();
  for (const [table, count] of [
    ['Keepers', '62'],
    ['Apiaries', '14'],
    ['Plants', '16'],
    ['Stands', '84'],
    ['Hives', '240'],
    ['Queens', '200'],
    ['Mite counts', '420'],
    ['Treatments', '140'],
    ['Inspections', '3,600'],
    ['Lots', '9'],
    ['Harvests', '260'],
    ['Movements', '36'],
    ['Market days', '24'],
    ['Sales lines', '198'],
    ['Swarm reports', '40'],
  ] as const)
    await expect(rail(page).getByRole('link', { name: new RegExp(`^${table} ${count}$`) })).toBeVisible();

  // The next file of the same shape goes where the last one went, marked as it was.
  await rail(page).getByRole('link', { name: 'Intake' }).click();
  const june = 'lot_no,filled_on,kg,jars\nLOT-2026-001,2026-06-11,7.5,15\n';
  await page
    .getByLabel('Choose files')
    .last()
    .setInputFiles([{ name: 'fillings of june.csv', mimeType: 'text/csv', buffer: Buffer.from(june) }]);
  await expect(page.getByText(/As it was mapped before/)).toBeVisible();
  await expect(page.getByLabel('Mark of the rows of fillings of june')).toHaveValue('filling');
  await page.getByRole('button', { name: 'Load 1 row' }).click();
  await expect(rail(page).getByRole('link', { name: 'Movements 37' })).toBeVisible();

  // From inside: the structure of a table that stands, without its records.
  await rail(page).getByRole('link', { name: 'Intake' }).click();
  await page.getByLabel('Table to take').selectOption({ label: 'Plants' });
  await page.getByRole('button', { name: 'Its structure, empty' }).click();
  await page.getByRole('button', { name: 'Load 0 rows' }).click();
  await expect(rail(page).getByRole('link', { name: 'Plants 2 0' })).toBeVisible();
});
