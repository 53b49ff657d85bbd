import { expect, test, type Page } from './watched';
import { accessible } from './accessible';
import { cell, drag, origin, signIn } from './person';

const fits = (page: Page) => page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
const png = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);

test('a form is designed by keyboard and by dragging; an outsider fills it in on a phone; the entry arrives in an open grid', async ({
  browser,
}) => {
  // Another name at a second try, as the form of the first one may stand.
  const name = `A swarm in my garden${test.info().retry > 0 ? ', again' : ''}`;
  const ida = await signIn(browser, 'ida');
  await ida.goto('/w/outreach/t/swarm_reports/forms');
  await accessible(ida, 'forms of a table');
  await ida.getByRole('link', { name: 'New form for outsiders' }).click();
  await expect(ida.getByLabel('Name, which is its heading')).toBeFocused();
  await ida.keyboard.type(name);
  const shelf = ida.getByRole('complementary', { name: 'Fields that are not on the form' });
  const piece = (label: string) =>
    ida.getByRole('group', { name: 'The form' }).getByRole('button', { name: new RegExp(`^${label}, `) });
  // An internal field is not to be had.
  await expect(shelf.getByText('is internal')).toBeVisible();
  await expect(shelf.getByRole('button', { name: /phone/ })).toHaveCount(0);
  // By keyboard: put on, moved, described, made to depend on another. In a low window the form scrolls, and nothing
  // else does.
  await ida.setViewportSize({ width: 1280, height: 420 });
  for (const one of ['Size', 'Words', 'Place']) {
    await shelf.getByRole('button', { name: new RegExp(`^${one} `) }).focus();
    await ida.keyboard.press('Enter');
  }
  await expect(ida.getByRole('navigation', { name: 'Sides of the table' })).toBeInViewport();
  expect(
    await ida.locator('main .stage, .stage').evaluateAll((stages) => stages.map(({ scrollTop }) => scrollTop)),
  ).toEqual([0, 0]);
  await ida.setViewportSize({ width: 1280, height: 800 });
  await piece('Place').focus();
  await ida.keyboard.press('Alt+ArrowUp');
  await expect(piece('Place')).toBeFocused();
  await ida.keyboard.press('Alt+ArrowUp');
  await expect(ida.getByText('Moved to place 1 of section 1.')).toBeAttached();
  await ida.keyboard.press('Enter');
  await expect(ida.getByLabel('Label', { exact: true })).toBeFocused();
  await ida.keyboard.type('Where is it?');
  await ida.getByText('required').click();
  await piece('Words').click();
  await ida.getByRole('group', { name: 'Shown only if' }).getByRole('button', { name: 'write it instead' }).click();
  await ida.getByRole('textbox', { name: 'Shown only if, written' }).fill("size = 'basket'");
  await ida.keyboard.press('Tab');
  await expect(ida.getByText('shown if size')).toBeVisible();
  // By the pointer: from beside the form to between two that stand on it.
  await drag(shelf.getByRole('button', { name: /^Picture/ }), piece('Size'), { x: 60, y: 6 });
  await expect(piece('Picture')).toHaveAccessibleName(/2 of 4/);
  await drag(piece('Picture'), piece('Words'), { x: 60, y: 60 });
  await expect(piece('Picture')).toHaveAccessibleName(/4 of 4/);
  // A link says which records outsiders may see, or is not saved.
  await shelf.getByRole('button', { name: /^Taken by/ }).click();
  await expect(ida.getByText('nothing says which records outsiders may choose from')).toBeVisible();
  await expect(ida.getByRole('button', { name: 'Save the form' })).toBeDisabled();
  await ida.getByLabel('those where').check();
  await ida
    .getByRole('group', { name: 'Records that can be chosen' })
    .getByRole('button', { name: 'write it instead' })
    .click();
  await ida
    .getByRole('textbox', { name: 'Records that can be chosen, written' })
    .fill("name = 'Tom Orrin' or name = 'Ida Vale'");
  await ida.keyboard.press('Tab');
  await ida.getByRole('button', { name: 'Settings' }).click();
  await ida.getByLabel('Thank-you message').fill('Somebody will come.');
  await ida.getByLabel('Follow-up link: its text').fill('About swarms');
  await ida.getByLabel('… and its address').fill('https://alderfold.example/swarms');
  await ida.getByLabel('Message when closed').fill('The season is over.');
  await accessible(ida, 'designing a form');
  const turn = (page: Page, dark: boolean) =>
    page.evaluate((on) => document.documentElement.classList.toggle('dark', on), dark);
  await turn(ida, true);
  await accessible(ida, 'designing a form in the dark');
  await turn(ida, false);
  await ida.keyboard.press('Control+s');
  await expect(ida.getByText(`“${name}” is saved.`)).toBeVisible();
  // As it will be on a phone, where trying it writes nothing.
  await ida.getByRole('button', { name: 'Phone', exact: true }).click();
  const preview = ida.getByRole('region', { name: 'Preview' });
  expect((await preview.boundingBox())?.width).toBeLessThanOrEqual(390);
  await preview.getByRole('button', { name: 'Send' }).click();
  await expect(preview.getByText('“Where is it?” is required.').first()).toBeVisible();
  await ida.getByRole('button', { name: 'Addresses (0)' }).click();
  await ida.getByLabel('Whom or what it is for').fill('The village board');
  await ida.getByRole('button', { name: 'Make the address' }).click();
  const path =
    (await ida.getByRole('link', { name: 'Open the address for The village board' }).getAttribute('href')) ?? '';
  expect(path).toMatch(/^\/f\/[\w-]{27}$/);

  const tom = await signIn(browser, 'tom');
  await tom.goto(`/w/outreach/t/swarm_reports?filter=${encodeURIComponent("words = '=cmd|calc'")}`);
  await expect(tom.getByText('No record meets this filter.')).toBeVisible();

  // Somebody who is nobody here.
  const phone = await browser.newContext({ baseURL: origin(), viewport: { width: 390, height: 844 }, hasTouch: true });
  const page = await phone.newPage();
  const faults: string[] = [];
  page.on('pageerror', (error) => faults.push(error.message));
  page.on('dialog', () => faults.push('a dialog opened'));
  expect((await page.goto('/f/not-an-address-of-any-form'))?.status()).toBe(404);
  await page.goto(path);
  expect(await fits(page)).toBeLessThanOrEqual(0);
  await accessible(page, 'a form on a phone');
  expect((await page.request.get(`${origin()}/api/workspaces`)).status()).toBe(401);
  // What is wrong stands beside its field, and one is taken there.
  await page.getByRole('button', { name: 'Send' }).tap();
  await expect(page.getByText('“Where is it?” is required.')).toHaveCount(2);
  await expect(page.getByLabel('Where is it?')).toBeFocused();
  await accessible(page, 'a form with a problem');
  await turn(page, true);
  await accessible(page, 'a form with a problem in the dark');
  await turn(page, false);
  const nasty = '<img src=x onerror=alert(1)>';
  await page.keyboard.type(nasty);
  await expect(page.getByLabel('Words')).toHaveCount(0);
  await page.getByText('basket').tap();
  await page.getByLabel('Words').fill('=cmd|calc');
  await page.getByRole('combobox', { name: 'Taken by' }).fill('ida');
  await page.getByRole('option', { name: 'Ida Vale' }).first().tap();
  await page.getByLabel('Picture').setInputFiles({ name: 'swarm.png', mimeType: 'image/png', buffer: png });
  await page
    .getByLabel('Picture')
    .setInputFiles({ name: 'film.png', mimeType: 'image/png', buffer: Buffer.alloc(21 * 1024 * 1024) });
  await expect(page.getByText('“film.png” is larger than 20 MB.')).toBeVisible();
  // Without a line it is kept, and sent once.
  await phone.setOffline(true);
  await page.getByRole('button', { name: 'Send' }).tap();
  await expect(page.getByText('What you wrote is kept here.')).toBeVisible();
  await phone.setOffline(false);
  await page.getByRole('button', { name: 'Send' }).tap();
  await expect(page.getByRole('heading', { name: 'It has arrived.' })).toBeFocused();
  await expect(page.getByText('Somebody will come.')).toBeVisible();
  await expect(page.getByRole('link', { name: 'About swarms' })).toHaveAttribute(
    'href',
    'https://alderfold.example/swarms',
  );
  await accessible(page, 'thanks');

  // It is in the open grid, as text.
  const shown = await cell(tom, nasty, 'Words');
  await expect(shown).toHaveText('=cmd|calc');
  await expect(await cell(tom, nasty, 'Taken by')).toContainText('Ida Vale');
  expect(await tom.locator('img[src="x"]').count()).toBe(0);
  const csv = await (
    await tom.request.get(`${origin()}/api/workspaces/outreach/tables/swarm_reports/export?format=csv`)
  ).text();
  expect(csv).toContain("'=cmd|calc");
  await tom.goto('/w/outreach/history');
  await expect(tom.getByRole('row', { name: new RegExp(`somebody outside.*by the form “${name}”`) })).toBeVisible();

  // A reload keeps what is being written; the end is said.
  await page.getByRole('button', { name: 'Fill it in again' }).tap();
  await page.getByLabel('Where is it?').fill('behind the mill');
  await page.reload();
  await expect(page.getByLabel('Where is it?')).toHaveValue('behind the mill');
  await ida.getByRole('button', { name: 'Close: The village board' }).click();
  await expect(ida.getByText('closed', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Send' }).tap();
  await expect(page.getByText('The season is over.')).toBeVisible();
  await page.reload();
  await expect(page.getByText('The season is over.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Send' })).toHaveCount(0);
  await turn(page, true);
  await accessible(page, 'a closed form in the dark');
  expect(faults).toEqual([]);
  await Promise.all([ida, tom, page].map((one) => one.close()));
});

test('inside, a form makes one record after the other by keyboard, and holds the list that belongs to a record', async ({
  browser,
}) => {
  const page = await signIn(browser, 'tom');
  await page.goto('/w/apiaries/t/hives');
  await page.getByRole('gridcell').first().waitFor();
  await page.keyboard.press('Control+k');
  await page.keyboard.type('fill in at the hive');
  await page.keyboard.press('Enter');
  await page.waitForURL(/\/fill$/);
  await accessible(page, 'a form inside');
  for (const hive of ['H-0123', 'H-0124']) {
    await page.getByRole('combobox', { name: 'Hive' }).focus();
    await page.keyboard.type(hive);
    await expect(page.getByRole('option', { name: hive })).toBeVisible();
    await page.keyboard.press('Tab');
    await expect(page.getByRole('button', { name: `Take ${hive} out` })).toBeVisible();
    await page.getByLabel('Day').fill('2026-05-16');
    await page.getByLabel('Frames of brood').fill('7');
    await page.getByLabel('Stores').fill('62,5');
    await expect(page.getByLabel('A picture of the cups')).toHaveCount(0);
    await page.getByLabel('cups').focus();
    await page.keyboard.press('Space');
    await expect(page.getByLabel('A picture of the cups')).toBeVisible();
    await page.getByLabel('Notes').focus();
    await page.getByLabel('Stores').focus();
    await page.keyboard.press('Enter');
    await expect(page.getByLabel('Frames of brood')).toHaveValue('');
  }
  await expect(page.getByText('2 made')).toBeVisible();
  const { items: records } = (await (
    await page.request.get(
      `${origin()}/api/workspaces/apiaries/tables/inspections/records?limit=500&filter=${encodeURIComponent("hive.number = 'H-0124'")}`,
    )
  ).json()) as { items: { values: Record<string, unknown> }[] };
  expect(records.some(({ values }) => values.stores === 0.625 && values.frames === 7)).toBe(true);
  // One's own entries are undone as any edit of one's own.
  await page.goto('/w/apiaries/history');
  await expect(page.getByRole('row', { name: /Tom Orrin.*by the form “At the hive”/ }).first()).toBeVisible();

  // A record with its list: the lines come once it is there, linked with it from the start.
  await page.goto('/w/honey/t/market_days/forms');
  await page.getByRole('link', { name: 'Fill in A day at the stall' }).click();
  await page.getByRole('form').getByLabel(/^Day/).fill('2026-08-01');
  await page
    .getByRole('form')
    .getByLabel(/^Village/)
    .fill('Low Fell');
  await page.getByLabel('rain').check();
  await expect(page.getByText('Jars of honey are entered once the record is saved.')).toBeVisible();
  await page.getByRole('button', { name: 'Save, then go on' }).click();
  await page.waitForURL(/record=\d+$/);
  const list = page.getByRole('region', { name: 'Jars of honey' });
  await list.getByRole('gridcell').nth(2).click();
  await page.keyboard.type('12');
  await page.keyboard.press('Enter');
  await expect(list.getByText('1 record', { exact: true })).toBeVisible();
  // What is pressed in the list is the list's.
  await list.getByRole('button', { name: 'filter', exact: true }).click();
  await list.getByLabel('filter', { exact: true }).fill('jars > 20');
  await page.keyboard.press('Enter');
  await expect(list.getByText('0 records meet the filter')).toBeVisible();
  await list.getByRole('button', { name: 'show all' }).click();
  await expect(list.getByText('1 record', { exact: true })).toBeVisible();
  // Somebody else changes it meanwhile: what one has not touched follows, what both wrote is asked about.
  const id = Number(new URL(page.url()).searchParams.get('record'));
  const change = (values: object) =>
    page.request.patch(`${origin()}/api/workspaces/honey/tables/market_days/records`, {
      data: { records: [{ id, values }] },
    });
  const village = page.getByRole('form').getByLabel(/^Village/);
  await village.fill('High Fell');
  await change({ weather: 'wind' });
  await expect(page.getByRole('form').getByLabel('wind')).toBeChecked();
  await expect(village).toHaveValue('High Fell');
  await change({ village: 'Nether Fell' });
  await page.getByRole('button', { name: 'Save the changes' }).click();
  await expect(page.getByText('Somebody else wrote “Nether Fell” meanwhile. Save again to keep yours.')).toBeVisible();
  await expect(village).toHaveValue('High Fell');
  await page.getByRole('button', { name: 'Save the changes' }).click();
  await expect(page.getByText('Saved.', { exact: true })).toBeVisible();
  await accessible(page, 'a form with a list');
  await page.reload();
  await expect(page.getByRole('form').getByLabel(/^Village/)).toHaveValue('High Fell');
  await expect(list.getByText('12', { exact: true })).toBeVisible();
  await page.setViewportSize({ width: 390, height: 844 });
  expect(await fits(page)).toBeLessThanOrEqual(0);
  await page.close();
  // Who may only read has no forms.
  const pell = await signIn(browser, 'pell');
  await pell.goto('/w/apiaries/t/inspections');
  await expect(pell.getByRole('link', { name: 'Structure' })).toBeVisible();
  await expect(pell.getByRole('link', { name: 'Forms' })).toHaveCount(0);
  expect((await pell.goto('/w/apiaries/t/inspections/forms'))?.status()).toBe(403);
  await pell.close();
});
