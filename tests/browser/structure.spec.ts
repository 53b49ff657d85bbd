import { readFileSync } from 'node:fs';
import { accessible } from './accessible';
import { expect, test, type Page } from './watched';
import { cell, origin, signIn } from './person';

/** Sees the plan of what waits, and applies it. */
async function applyPlan(page: Page, words: RegExp) {
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: words }).click();
  await expect(page.getByRole('status').getByText(/^Done/).first()).toBeVisible();
}

test('a team’s tables are built by hand, filled, changed with data in them, and undone', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Seed exchange');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'New table', exact: true }).click();
  await page.getByLabel('Name', { exact: true }).fill('Growers');
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByRole('heading', { name: 'Growers' })).toBeVisible();

  // Several fields at once, pasted as a list.
  await page.keyboard.press('Alt+v');
  await page
    .getByLabel('One field a line')
    .fill(
      'Number: running number (G-{000})\nJoined: date\nTemper: option (patient, hasty)\nShare: percent\nPlot: place\nNickname',
    );
  await page.getByRole('button', { name: 'Add 6 fields to the plan' }).click();
  await expect(page.getByText('6 changes waiting:')).toBeVisible();
  await page.keyboard.press('Alt+p');
  await expect(page.getByText('new field Growers.Plot')).toBeVisible();
  await accessible(page, 'plan of six changes');
  await page.getByRole('button', { name: 'Apply these 6 changes' }).click();
  await expect(page.getByRole('status').getByText(/^Done/).first()).toBeVisible();
  await expect(page.getByRole('button', { name: 'Plot' })).toBeVisible();

  // Records by keyboard, each editor with what fits it.
  await page.keyboard.press('Alt+s');
  await expect(page.getByRole('button', { name: 'New record' })).toBeVisible();
  await page.keyboard.press('Alt+n');
  for (const values of [
    ['Anselm', '2026-05-01', 'patient', '12.5', 'Fell Gate', 'seventeen'],
    ['Brida', '2026-05-02', 'hasty', '40', 'Mill Race', '18'],
  ]) {
    for (const value of values) {
      await page.keyboard.type(value);
      await page.keyboard.press('Tab');
    }
    await page.keyboard.press('Control+Enter');
    await expect(page.getByRole('gridcell', { name: values[0] as string, exact: true })).toBeVisible();
  }
  await expect(await cell(page, 'Anselm', 'Number')).toHaveText('G-001');
  await expect(await cell(page, 'Brida', 'Share')).toHaveText('40 %');
  await expect(await cell(page, 'Anselm', 'Plot')).toContainText('Fell Gate');

  // A new type with a misfit: counted before, set aside, and the original text after the undo.
  await page.keyboard.press('Escape');
  await page.keyboard.press('Alt+s');
  await page.waitForURL(/\/structure$/);
  await page.getByRole('button', { name: 'Nickname', exact: true }).click();
  await page.getByLabel('Type').selectOption('number');
  await page.getByRole('button', { name: 'Put the change in the plan' }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await expect(page.getByText('1 value set aside')).toBeVisible();
  await expect(page.getByRole('row', { name: 'Anselm seventeen → set aside' })).toBeVisible();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByText('1 set aside')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).last().click();
  await expect(page.getByRole('row', { name: /Nickname.*text/ })).toContainText('seventeen');

  // A rule over what breaks it: listed, with ways to go on.
  await page.getByRole('button', { name: 'More to do with this table' }).click();
  await page.getByRole('menuitem', { name: 'Add a rule' }).click();
  await page.getByRole('combobox', { name: 'Field' }).selectOption({ label: 'Share' });
  await page.getByLabel('At most').fill('20');
  await page.getByRole('button', { name: 'Add to the plan' }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await expect(page.getByText('1 record breaks the rule “Share must be at most 20 %.”')).toBeVisible();
  await expect(page.getByRole('button', { name: /^Apply this change/ })).toBeDisabled();
  await page.getByRole('button', { name: 'Keep them; apply the rule from now on' }).click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByText('from now on')).toBeVisible();

  // The list of options becomes a table, linked from here; History undoes it.
  await page.getByRole('button', { name: 'Temper' }).click();
  await page.getByRole('button', { name: 'Turn the list into a table' }).click();
  await applyPlan(page, /^Apply these \d+ changes/);
  await expect(
    page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Temper list' }),
  ).toBeVisible();
  await expect(page.getByRole('row', { name: /Temper.*→ Temper list/ })).toBeVisible();
  await page.getByRole('link', { name: 'History' }).click();
  await page.getByRole('button', { name: 'What it changed' }).first().click();
  await expect(page.getByRole('complementary')).toContainText('Temper list');
  await accessible(page, 'history with a difference');
  // An undo of structure is looked at before it is done.
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click();
  await expect(page.getByRole('complementary')).toContainText('table Temper list to the bin');
  await page.getByRole('button', { name: 'Undo this' }).click();
  await expect(page.getByText(/^Undone: new table Temper list/).first()).toBeVisible();
  await expect(
    page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Temper list' }),
  ).toHaveCount(0);

  // The structure of before is drawn whole: the undone table stands in it, and in that of today it does not.
  await page.getByRole('link', { name: 'Structure then' }).nth(1).click();
  await expect(page.getByRole('status').filter({ hasText: 'The structure as it was after' })).toContainText(
    'Temper list',
  );
  await page.getByRole('button', { name: 'As a list' }).click();
  await page.getByRole('button', { name: 'Temper list', exact: true }).click();
  await expect(page.getByRole('complementary')).toContainText('This table is not there any more.');
  await expect(page.getByRole('button', { name: 'New table' })).toHaveCount(0);
  await accessible(page, 'earlier structure');
  await page.getByRole('link', { name: 'the step before' }).click();
  await expect(page.getByRole('heading', { name: 'Growers' })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Temper list' })).toHaveCount(0);
  await page.getByRole('link', { name: 'Today’s structure' }).click();
  await expect(page.getByRole('button', { name: 'New table' })).toBeVisible();

  // A field to the bin, and out of it.
  await page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Growers' }).click();
  await page.getByRole('link', { name: 'Structure' }).click();
  await page.waitForURL(/\/structure$/);
  await page.getByRole('button', { name: 'Plot' }).click();
  await page.getByRole('button', { name: 'To the bin' }).click();
  await applyPlan(page, /^Apply this change/);
  await page.getByRole('link', { name: 'Bin' }).click();
  await expect(page.getByRole('row', { name: /Plot field Growers/ })).toBeVisible();
  await accessible(page, 'bin');
  await page
    .getByRole('row', { name: /Plot field Growers/ })
    .getByRole('button', { name: 'Bring back' })
    .click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByText('Plot is back.')).toBeVisible();
  await page.getByRole('link', { name: 'Growers' }).click();
  await expect(await cell(page, 'Anselm', 'Plot')).toContainText('Fell Gate');
  await page.close();
});

test('the weave is walked and built by keyboard, read as a list, and saved as a drawing', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/weave');
  const hives = page.getByRole('group', { name: /^Hives, / });
  await expect(hives).toBeVisible();
  await expect(page.getByText('12 tables · 16 links')).toBeVisible();
  // What a field comes from and what comes of it.
  await page.getByRole('searchbox').or(page.getByLabel('Find a table or a field')).fill('last seen');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Hives.Last seen').first()).toBeVisible();
  await expect(page.locator('.strip')).toContainText('Inspections.Day');
  await expect(page.locator('.strip')).toContainText('Apiaries.Last inspection');
  await accessible(page, 'weave');
  await page.keyboard.press('Escape');

  // From table to table by the arrow keys; moved, it stays where it was put.
  await hives.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('complementary').getByRole('heading', { name: 'Hives' })).toBeVisible();
  await hives.focus();
  const before = await hives.getAttribute('transform');
  await Promise.all([
    page.waitForResponse((answer) => answer.url().endsWith('/weave') && answer.request().method() === 'PUT'),
    page.keyboard.press('Alt+ArrowDown'),
  ]);
  const after = await hives.getAttribute('transform');
  expect(after).not.toBe(before);
  await page.reload();
  await expect(hives).toHaveAttribute('transform', after ?? '');
  await page.getByRole('button', { name: 'Lay out again' }).click();
  await expect(hives).not.toHaveAttribute('transform', after ?? '');

  // A table and a link, made here as one plan, and undone.
  await page.keyboard.press('Alt+t');
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('Tools');
  await page.keyboard.press('Enter');
  // What waits is drawn before it is made.
  await expect(page.getByRole('group', { name: 'Tools, 1 field, will be created' })).toBeVisible();
  await expect(page.getByText('12 tables · 16 links')).toBeVisible();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByText('13 tables')).toBeVisible();
  const tools = page.locator('[data-table]').filter({ hasText: 'Tools' });
  await tools.focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Add a link' }).click();
  await page.getByLabel('Label', { exact: true }).fill('Kept by');
  await page.getByLabel('Points at').selectOption('keepers');
  await page.getByRole('button', { name: 'Add to the plan' }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByText('17 links')).toBeVisible();

  const [drawing] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'SVG' }).click(),
  ]);
  const svg = readFileSync(await drawing.path(), 'utf8');
  expect(svg).toMatch(/^<svg xmlns=/);
  expect(svg.match(/<g>/g)).toHaveLength(13);
  await page.keyboard.press('Alt+l');
  await expect(page.getByRole('listitem').filter({ hasText: 'Kept by: to one of Keepers' })).toBeVisible();
  await accessible(page, 'weave as a list');
  for (const _ of [1, 2]) {
    const { items: batches } = await (await page.request.get(`${origin()}/api/workspaces/apiaries/history`)).json();
    const open = (batches as { id: number; kind: string; undoneBy: number | null }[]).find(
      ({ kind, undoneBy }) => kind === 'plan' && undoneBy === null,
    );
    expect((await page.request.post(`${origin()}/api/workspaces/apiaries/batches/${open?.id}/undo`)).ok()).toBe(true);
  }
  await page.close();
});

test('pictures are sent, shown small, and served so that nothing in them runs', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  const png = Buffer.from(
    'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
    'base64',
  );
  await page.goto('/w/apiaries/t/inspections');
  const picture =
    (await page.getByRole('gridcell').first().waitFor(), page.getByRole('row').nth(1).locator('[aria-colindex="9"]'));
  await picture.click();
  await page.keyboard.press('Enter');
  await page.getByLabel('Add to Picture').setInputFiles({ name: 'frame.png', mimeType: 'image/png', buffer: png });
  await page.getByRole('button', { name: 'Keep these files' }).click();
  await expect(picture.getByRole('img', { name: 'frame.png' })).toBeVisible();
  const href = (await picture.getByRole('link').getAttribute('href')) ?? '';
  const answer = await page.request.get(origin() + href);
  expect(answer.headers()).toMatchObject({
    'content-type': 'image/png',
    'x-content-type-options': 'nosniff',
    'content-security-policy': "default-src 'none'; sandbox",
  });
  const html = await page.request.post(`${origin()}/api/workspaces/apiaries/files`, {
    headers: { origin: origin() },
    multipart: { file: { name: 'x.html', mimeType: 'image/png', buffer: Buffer.from('<script>alert(1)</script>') } },
  });
  const { files } = await html.json();
  expect(files[0]).toMatchObject({ type: 'application/octet-stream' });
  const served = await page.request.get(`${origin()}/api/workspaces/apiaries/files/${files[0].file}`);
  expect(served.headers()['content-disposition']).toMatch(/^attachment/);
  expect((await page.request.get(`${origin()}/api/workspaces/outreach/files/${files[0].file}`)).status()).toBe(404);
  await page.close();
});
