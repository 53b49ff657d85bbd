import { expect, test, type Page } from './watched';
import { accessible } from './accessible';
import { cell, origin, signIn } from './person';

test('a lost connection loses no edit: it is kept, said to be unsent, and sent once the server is there again', async ({
  browser,
}) => {
  const page = await signIn(browser, 'tom');
  await page.goto(`/w/apiaries/t/hives?filter=${encodeURIComponent("number in ('H-0101', 'H-0102')")}`);
  const weight = await cell(page, 'H-0101', 'Weight');
  const stored = async () =>
    (
      (await (await page.request.get(`${origin()}/api/workspaces/apiaries/tables/hives/records/101`)).json()) as {
        values: { weight: number };
        version: number;
      }
    ).values.weight;
  const before = await stored();
  // Once the answer is lost although the edit arrived, once the edit itself.
  await page.route(
    '**/records',
    async (route) => {
      await route.fetch();
      await route.abort('connectionreset');
    },
    { times: 1 },
  );
  await weight.click();
  await page.keyboard.type('11.1');
  await page.keyboard.press('Enter');
  await expect(page.getByText('1 edit not sent yet')).toBeVisible();
  await expect(weight.getByTitle('not sent yet')).toHaveText('11.1');
  await page.getByRole('button', { name: 'Try now' }).click();
  await expect(page.getByText('not sent yet')).toHaveCount(0);
  expect(await stored()).toBe(11.1);
  await expect(weight).toHaveText('11.1 kg');

  await page.route('**/api/**', (route) => route.abort('internetdisconnected'));
  const second = await cell(page, 'H-0102', 'Weight');
  await second.click();
  await page.keyboard.type('12.2');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Weight of H-0102: 12.2')).toBeVisible();
  await accessible(page, 'unsent');
  // It is there after a reload, too, and goes once the server is reached.
  await page.reload();
  await expect(page.getByText('Weight of H-0102: 12.2')).toBeVisible();
  await page.unroute('**/api/**');
  await expect(page.getByText('not sent yet')).toHaveCount(0);
  await page.reload();
  await expect(await cell(page, 'H-0102', 'Weight')).toHaveText('12.2 kg');
  // An edit that the server will not have when it comes is said, not dropped.
  await page.route('**/records', (route) => route.abort('internetdisconnected'), { times: 1 });
  await (await cell(page, 'H-0101', 'Weight')).click();
  await page.keyboard.type('13.3');
  await page.keyboard.press('Enter');
  await expect(page.getByText('1 edit not sent yet')).toBeVisible();
  await page.request.patch(`${origin()}/api/workspaces/apiaries/tables/hives/records`, {
    data: { records: [{ id: 101, values: { weight: before } }] },
  });
  await page.getByRole('button', { name: 'Try now' }).click();
  await expect(page.getByText(/Weight of H-0101: 13.3 was not taken/)).toBeVisible();
  await page.getByRole('button', { name: 'I have seen it' }).click();
  await expect(page.getByText('was not taken')).toHaveCount(0);
  expect(await stored()).toBe(before);
  await page.close();
});

test('one sees who else is here, and in which cell; records are found over a table and from anywhere', async ({
  browser,
}) => {
  const ida = await signIn(browser, 'ida');
  const wren = await signIn(browser, 'wren');
  await ida.goto('/w/apiaries/t/keepers');
  await wren.goto('/w/apiaries/t/keepers');
  await ida.getByRole('gridcell').first().waitFor();
  await wren.getByRole('gridcell').first().waitFor();
  await wren.locator('[data-cell="3.1"]').click();
  await expect(ida.locator('[data-cell="3.1"]')).toHaveAttribute('data-others', 'Wren Hollin');
  await expect(ida.getByRole('group', { name: 'Also here' }).getByTitle('Wren Hollin, in Keepers')).toBeVisible();
  await wren.close();
  await expect(ida.getByTitle(/^Wren Hollin/)).toHaveCount(0);

  // Over a table: where to look is offered as one types; a slip is forgiven.
  await ida.goto('/w/apiaries/t/hives');
  await ida.getByRole('gridcell').first().waitFor();
  await ida.getByRole('heading', { name: 'Hives' }).click();
  await ida.keyboard.press('/');
  await ida.keyboard.type('low mead');
  await expect(ida.getByRole('option', { name: /Apiary is Low Meadow/ })).toHaveAttribute('aria-selected', 'true');
  await accessible(ida, 'search');
  await ida.keyboard.press('Enter');
  await expect(ida.getByText(/\d+ records meet the filter/)).toBeVisible();
  await expect(ida.getByLabel('filter')).toHaveValue("apiary.name = 'Low Meadow'");
  await ida.keyboard.press('/');
  await ida.getByRole('combobox', { name: 'Search in Hives' }).fill('Tom Orin');
  await ida.getByRole('option', { name: /Keeper is Tom Orrin.*nearly/ }).click();
  await expect(ida.getByLabel('filter')).toHaveValue("(apiary.name = 'Low Meadow') and keeper.name = 'Tom Orrin'");
  // From anywhere, by the command line.
  await ida.keyboard.press('Control+k');
  await ida.keyboard.type('H-0123');
  await expect(ida.getByRole('option', { name: /H-0123.*Hives/ })).toBeVisible();
  await ida.keyboard.press('Enter');
  await expect(ida.getByRole('heading', { name: 'H-0123' })).toBeVisible();

  // Home has where one left off, and what one keeps.
  await ida.goto('/');
  await expect(ida.getByRole('region', { name: 'Recent' }).locator('a[href="/w/apiaries/t/hives"]')).toBeVisible();
  // Other tables may have the name and the purpose, too: hers is the one at this address.
  const queens = ida.getByRole('row').filter({ has: ida.locator('a[href="/w/apiaries/t/queens"]') });
  await queens.getByRole('button', { name: 'Favourite: Queens' }).click();
  await expect(ida.getByRole('region', { name: 'Favourites' }).getByRole('link', { name: 'Queens' })).toBeVisible();
  await accessible(ida, 'home');
  // A workspace of one's own goes to the bin and comes back.
  await ida.request.post(`${origin()}/api/workspaces`, { data: { label: 'Passing thought' } });
  await ida.reload();
  await ida.getByRole('button', { name: /^mine alone/ }).click();
  await ida.getByRole('button', { name: 'What can be done with Passing thought' }).click();
  await ida.getByRole('menuitem', { name: 'Put it in the bin' }).click();
  await expect(ida.getByRole('link', { name: 'Passing thought' })).toHaveCount(0);
  await ida.getByRole('button', { name: /^in the bin/ }).click();
  await ida.getByRole('button', { name: 'Bring it back' }).click();
  await ida.getByRole('button', { name: /^all/ }).click();
  await expect(ida.getByRole('link', { name: 'Passing thought' })).toBeVisible();
  await ida.close();
});

test('at 390 px and at 200 % the grid, a record and the board can be read and entered', async ({ browser }) => {
  for (const [name, options] of [
    ['phone', { viewport: { width: 390, height: 844 } }],
    ['twice as large', { viewport: { width: 640, height: 400 }, deviceScaleFactor: 2 }],
  ] as const) {
    const page = await signIn(browser, 'tom', options);
    await page.goto('/w/apiaries/t/hives');
    await (await cell(page, 'H-0004', 'Weight')).click();
    await page.keyboard.type('40.4');
    await page.keyboard.press('Enter');
    await expect(await cell(page, 'H-0004', 'Weight')).toHaveText('40.4 kg');
    // Nothing is wider than the screen: what is, scrolls by itself.
    const fits = async (by: Page, path: string) => {
      await by.goto(path);
      await by.locator('[role=gridcell], [role=option], .sheet, main table, main h2').first().waitFor();
      expect(
        await by.evaluate(() => document.documentElement.scrollWidth - innerWidth),
        `${name} ${path}`,
      ).toBeLessThanOrEqual(0);
    };
    for (const path of [
      '/w/apiaries/t/hives',
      '/w/apiaries/t/hives/r/4',
      '/w/apiaries/t/hives?kind=board&by=type',
      '/w/apiaries/t/hives?kind=cards',
      '/',
    ])
      await fits(page, path);
    const ida = await signIn(browser, 'ida', options);
    const long = `What everybody of the cooperative wanted to have said before the season ends, ${name}`;
    expect((await ida.request.post(`${origin()}/api/workspaces`, { data: { label: long } })).status()).toBe(200);
    const label = `What the weigh-house reads at night, ${name}`;
    const data = { label, workspace: 'apiaries', tables: ['hives', 'inspections'] };
    expect((await ida.request.post(`${origin()}/api/tokens`, { data })).status()).toBe(200);
    for (const path of [
      '/',
      '/directory',
      '/w/apiaries/people',
      '/w/apiaries/people/roles',
      '/w/apiaries/programs',
      '/tokens',
      '/account',
    ])
      await fits(ida, path);
    await ida.close();
    await page.goto('/w/apiaries/t/hives/r/4');
    await expect(page.getByRole('button', { name: 'Change Weight' })).toHaveText('40.4 kg');
    await accessible(page, name);
    await page.request.post(`${origin()}/api/workspaces/apiaries/undo`);
    await page.close();
  }
  // In the dark, too.
  const dark = await signIn(browser, 'pell', { colorScheme: 'dark' });
  for (const path of [
    '/w/apiaries/t/hives',
    '/w/apiaries/t/hives?groups=apiary&columns=number,apiary,weight::avg',
    '/w/apiaries/t/hives/r/4',
    '/w/apiaries/t/hives?kind=board&by=type',
    '/w/apiaries/t/treatments?kind=calendar&by=begins',
    '/',
  ]) {
    await dark.goto(path);
    await dark.locator('[role=gridcell], [role=option], .sheet, .piece, .calendar, main table').first().waitFor();
    await dark.evaluate(() => document.documentElement.classList.add('dark'));
    await accessible(dark, `dark ${path}`);
  }
  await dark.close();
});
