import { api, change, signIn } from './person';
import { expect, test, type Page } from './watched';

/** How many records are typed, by the pause after each key in milliseconds. */
// A whole day of typing takes a minute and a half; the ordinary run types a good part of it. All 200: LOOM_LONG=1
// ./loom test.
const paces = [
  [0, 20],
  [10, process.env.LOOM_LONG ? 200 : 25],
  [110, 5],
] as const;
/** A key that no earlier try has taken. */
const fresh = (name: string) => `${name}_${Date.now().toString(36)}`;

/** A shop's items with a link, as one enters a day's list. */
async function shop(page: Page, key: string): Promise<void> {
  await api(page, 'POST', '/api/workspaces', { label: key, key });
  await change(
    page,
    key,
    { do: 'addTable', label: 'Shelves', fields: [{ label: 'Name', type: 'text', unique: true }] },
    {
      do: 'addTable',
      label: 'Items',
      fields: [
        { label: 'Name', type: 'text', unique: true },
        { label: 'Price', type: 'number', digits: 2 },
        { label: 'Since', type: 'date' },
        { label: 'Shelf', type: 'link', to: 'shelves' },
      ],
    },
  );
  await api(page, 'POST', `/api/workspaces/${key}/tables/shelves/records`, {
    records: ['Left', 'Left top', 'Right', 'Window'].map((name) => ({ values: { name } })),
  });
}

interface Item {
  readonly values: {
    readonly name: string;
    readonly price: number;
    readonly since: string;
    readonly shelf: { readonly title: string };
  };
}

const items = (page: Page, key: string) =>
  api<{ items: Item[] }>(page, 'GET', `/api/workspaces/${key}/tables/items/records?limit=500`).then((page) =>
    page.items.map(({ values }) => values),
  );

const shelves = ['Left', 'Rig', 'win', 'left t'];
const expected = (n: number, days: boolean) => ({
  name: `i${n}`,
  price: (n % 40) / 4,
  since: days ? `2026-0${(n % 9) + 1}-1${n % 10}` : null,
  shelf: ['Left', 'Right', 'Window', 'Left top'][n % 4],
});

test.describe('records typed one after the other', () => {
  for (const [delay, count] of paces)
    test(`${count} at ${delay} ms a key stand as they were typed, in their order`, async ({ browser }) => {
      test.setTimeout(240_000);
      const page = await signIn(browser, 'ida');
      const key = fresh('typing');
      // Most of the time goes into the keys, so the many are short.
      const days = count < 100;
      await shop(page, key);
      await page.goto(`/w/${key}/t/items`);
      const grid = page.getByRole('grid');
      await grid.getByText('new …').click();
      for (let n = 1; n <= count; n++) {
        const { name, price, since } = expected(n, days);
        for (const [text, end] of [
          [name, 'Tab'],
          [String(price).replace('.', n % 3 === 0 ? ',' : '.'), 'Tab'],
          [since ?? '', 'Tab'],
          [shelves[n % 4] ?? '', 'Enter'],
        ] as const) {
          await page.keyboard.type(text, { delay });
          await page.keyboard.press(end);
          if (delay) await page.waitForTimeout(delay);
        }
        if (n % 20 === 0)
          expect(
            await page.evaluate(() => document.activeElement?.getAttribute('role') ?? document.activeElement?.tagName),
            'where the focus is',
          ).toBe('gridcell');
      }
      await expect.poll(async () => (await items(page, key)).length, { timeout: 60_000 }).toBe(count);
      const stored = await items(page, key);
      expect(stored.map(({ name, price, since, shelf }) => ({ name, price, since, shelf: shelf?.title }))).toEqual(
        Array.from({ length: count }, (_, index) => expected(index + 1, days)),
      );
    });

  test('go behind more records than are drawn, whatever others change, and wherever one looks meanwhile', async ({
    browser,
  }) => {
    const [page, other] = [await signIn(browser, 'ida'), await signIn(browser, 'ida')];
    const key = fresh('far');
    await shop(page, key);
    const names = (of: number, word: string) =>
      Array.from({ length: of }, (_, n) => ({ values: { name: `${word}${n}` } }));
    const records = `/api/workspaces/${key}/tables/items/records`;
    await api(page, 'POST', records, { records: names(260, 'w') });
    await page.goto(`/w/${key}/t/items`);
    const grid = page.getByRole('grid');
    await grid.getByRole('gridcell').first().click();
    await page.keyboard.press('Control+End');
    await page.keyboard.press('Home');
    for (let n = 0; n < 6; n++) {
      await page.keyboard.type(`far ${n}`, { delay: 10 });
      await page.keyboard.press('Enter');
      if (n % 2 === 0) await api(other, 'PATCH', records, { records: [{ id: 3, values: { name: `changed ${n}` } }] });
      else await api(other, 'POST', records, { records: names(1, `between ${n} `) });
      // Away with the wheel, so that the row is drawn no more, and on with the keys.
      if (n === 3) for (const way of [-4000, 4000, -4000]) await grid.hover().then(() => page.mouse.wheel(0, way));
      await page.waitForTimeout(300);
    }
    const far = async () => (await items(page, key)).map(({ name }) => name).filter((name) => name.startsWith('far '));
    await expect.poll(far).toEqual(Array.from({ length: 6 }, (_, n) => `far ${n}`));
    await Promise.all([page.close(), other.close()]);
  });

  test('what cannot be saved stays in its row with the reason, and the others go on', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('wrong');
    await shop(page, key);
    await page.goto(`/w/${key}/t/items`);
    await page.getByRole('grid').getByText('new …').click();
    await page.keyboard.type('One');
    await page.keyboard.press('Enter');
    await page.keyboard.type('One');
    await page.keyboard.press('Enter');
    await page.keyboard.type('Three');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await page.keyboard.type('Nowhere');
    await page.keyboard.press('Enter');
    await page.keyboard.type('Four');
    await page.keyboard.press('Enter');
    await expect(page.getByText(/Not saved: Name must be unique, and “One” is taken/)).toBeVisible();
    await expect(page.getByText(/Not saved: Nothing in Shelves is called “Nowhere”/)).toBeVisible();
    expect((await items(page, key)).map(({ name }) => name)).toEqual(['One', 'Four']);
    // Nothing was made in the other table, and what was typed is still there after the page was read again.
    const made = await api<{ items: unknown[] }>(page, 'GET', `/api/workspaces/${key}/tables/shelves/records?limit=50`);
    expect(made.items).toHaveLength(4);
    // A second window, in which something is typed and saved meanwhile, takes none of it away.
    const second = await page.context().newPage();
    await second.goto(`/w/${key}/t/shelves`);
    await second.getByRole('grid').getByText('new …').click();
    await second.keyboard.type('Cellar');
    await second.keyboard.press('Enter');
    await expect(second.getByRole('gridcell', { name: 'Cellar' })).toBeVisible();
    await second.close();
    await page.reload();
    await expect(page.getByText(/Not saved: Name must be unique/)).toBeVisible();
    const row = page.getByRole('row').filter({ hasText: 'Not saved: Name must be unique' });
    await row.getByRole('gridcell').first().click();
    await page.keyboard.type('Two');
    await page.keyboard.press('Enter');
    await expect.poll(async () => (await items(page, key)).map(({ name }) => name)).toEqual(['One', 'Four', 'Two']);
  });

  test('what is pressed before the page’s scripts are there is done once they are', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('early');
    await shop(page, key);
    await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
    // As over a slow line.
    await page.route(/_app\/.*\.js/, async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 1500));
      await route.continue();
    });
    await page.goto(`/w/${key}/t/items/structure`, { waitUntil: 'commit' });
    await page.getByRole('button', { name: 'Add a field' }).click();
    expect(await page.evaluate(() => document.documentElement.dataset.ready ?? 'not yet')).toBe('not yet');
    await expect(page.getByLabel('Label')).toBeVisible();
    await page.goto(`/w/${key}/intake`, { waitUntil: 'commit' });
    await page.getByText('press Ctrl+V here').waitFor();
    await page.evaluate(() => navigator.clipboard.writeText('plant\tkg\nlime\t1.5\nheather\t2.5\n'));
    await page.keyboard.press('Control+v');
    await expect(page.getByRole('button', { name: 'Load 2 rows' })).toBeVisible();
  });

  test('a day or a number that cannot be read stays in its editor with the reason', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('days');
    await shop(page, key);
    await api(page, 'POST', `/api/workspaces/${key}/tables/items/records`, { records: [{ values: { name: 'Saw' } }] });
    await page.goto(`/w/${key}/t/items`);
    const since = page.getByRole('row').filter({ hasText: 'Saw' }).getByRole('gridcell').nth(2);
    for (const [typed, shown] of [
      ['31/12/2025', '2025-12-31'],
      ['5.9.26', '2026-09-05'],
      ['9 Aug 2026', '2026-08-09'],
    ] as const) {
      await since.click();
      await page.keyboard.type(typed);
      await page.keyboard.press('Enter');
      await expect(since).toHaveText(shown);
    }
    await since.click();
    await page.keyboard.type('soon');
    await page.keyboard.press('Enter');
    await expect(since.getByRole('alert')).toContainText('“soon” is no date.');
    await expect(since.getByRole('textbox')).toHaveValue('soon');
    await page.keyboard.press('Escape');
    await expect(since).toHaveText('2026-08-09');
    // Left by the pointer, it is kept beside, with its reason.
    await since.click();
    await page.keyboard.type('soon');
    await page.getByRole('row').filter({ hasText: 'Saw' }).getByRole('gridcell').first().click();
    await expect(since).toHaveText('soon');
    await expect(page.getByText('“soon” is no date.')).toBeVisible();
  });

  test('what is typed while a changed table is read anew goes where one is', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('anew');
    await shop(page, key);
    await api(page, 'POST', `/api/workspaces/${key}/tables/items/records`, { records: [{ values: { name: 'Saw' } }] });
    await page.goto(`/w/${key}/t/items`);
    const row = page.getByRole('row').filter({ hasText: 'Saw' });
    await row.getByRole('gridcell').nth(2).click();
    // The records with the new field come late.
    let arrive = () => {};
    const late = new Promise<void>((resolve) => (arrive = resolve));
    await page.route(/records\?.*extra/, async (route) => {
      await late;
      await route.continue();
    });
    await page.keyboard.type('2026-0');
    await change(page, key, { do: 'addField', table: 'items', field: { label: 'Extra', type: 'text' } });
    await expect(page.getByRole('columnheader', { name: 'Extra' })).toBeVisible();
    await page.keyboard.type('5-02');
    await page.keyboard.press('Enter');
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.type('Window');
    await page.keyboard.press('Enter');
    await page.keyboard.type('Plane');
    await page.keyboard.press('Escape');
    await expect
      .poll(() => items(page, key))
      .toMatchObject([{ name: 'Saw', since: '2026-05-02', shelf: { title: 'Window' } }]);
    arrive();
    await expect(row.getByRole('gridcell').nth(3)).toHaveText('Window');
    await expect(page.getByRole('row')).toHaveCount(3);
  });

  for (const [what, address, name, begin] of [
    ['forms', 't/items/forms/new?for=inside', 'Name, which is its heading', async () => undefined],
    [
      'forms',
      't/items/forms/new?from=',
      'Name, which is its heading',
      async (page: Page, key: string) => {
        const path = `/api/workspaces/${key}/tables/items/forms`;
        const form = { label: 'Zero', audience: 'inside', sections: [{ items: [{ field: 'name' }] }] };
        const { id } = await api<{ id: string }>(page, 'POST', path, { form });
        await page.goto(`/w/${key}/t/items/forms/new?for=inside&from=${id}`);
      },
    ],
    [
      'routines',
      'routines/new?table=items',
      'Name of the routine',
      async (page: Page, _key: string) => {
        await page.getByLabel('Add a step').selectOption({ label: 'Set fields' });
        await page.getByLabel('Fields to set: one more field').selectOption({ label: 'Price' });
        await page.getByRole('combobox', { name: 'Price', exact: true }).selectOption({ label: 'this value:' });
        await page.getByLabel('Price: value').fill('1');
        await page.keyboard.press('Tab');
      },
    ],
  ] as const)
    test(`what is typed while one of ${what} is saved stays (${address}), and it is saved once`, async ({
      browser,
    }) => {
      const page = await signIn(browser, 'ida');
      const key = fresh(what);
      await shop(page, key);
      await page.goto(`/w/${key}/${address}`);
      await begin(page, key);
      // Somebody changes the structure meanwhile.
      const renewed = page.waitForResponse(/__data\.json/);
      await page.getByLabel(name).fill('Fir');
      await change(page, key, { do: 'addField', table: 'items', field: { label: 'Extra', type: 'text' } });
      await renewed;
      await page.waitForTimeout(300);
      await expect(page.getByLabel(name)).toHaveValue('Fir');
      await page.route(new RegExp(`/${what}(/p\\w+)?$`), async (route) => {
        await new Promise((resolve) => setTimeout(resolve, 700));
        await route.continue();
      });
      const field = page.getByLabel(name);
      await field.fill('First');
      await field.press('Control+s');
      await field.press('Control+s');
      for (const letter of ' and more') {
        await page.keyboard.type(letter);
        await page.waitForTimeout(300);
      }
      await expect(page).not.toHaveURL(/new/);
      await expect(field).toHaveValue('First and more');
      await field.press('Control+s');
      await expect(page.getByRole('button', { name: 'Saved' })).toBeVisible();
      await page.reload();
      await expect(field).toHaveValue('First and more');
      await page.goto(`/w/${key}/${what === 'forms' ? 't/items/forms' : 'routines'}`);
      await expect(page.getByRole('link', { name: /^First/ })).toHaveCount(1);
    });

  test('Ctrl+Z takes back what was typed last, however soon it is pressed', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('undone');
    await shop(page, key);
    const path = `/api/workspaces/${key}/tables/items/records`;
    for (const name of ['Saw', 'Axe']) await api(page, 'POST', path, { records: [{ values: { name, price: 1 } }] });
    await page.goto(`/w/${key}/t/items`);
    const price = page.getByRole('row').filter({ hasText: 'Saw' }).getByRole('gridcell').nth(1);
    await price.click();
    // Each write takes a while to get there.
    await page.route(new RegExp(`${path}$`), async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 600));
      await route.continue();
    });
    for (const text of ['2', '3']) {
      await page.keyboard.type(text);
      await page.keyboard.press('Enter');
      await page.keyboard.press('ArrowUp');
    }
    await page.keyboard.press('Control+z');
    await expect(price).toHaveText('2.00');
    await page.keyboard.press('Control+z');
    await page.keyboard.press('Control+y');
    await page.keyboard.press('Control+y');
    await page.keyboard.press('Control+z');
    await expect.poll(() => items(page, key)).toMatchObject([{ price: 2 }, { price: 1 }]);
    await page.keyboard.press('Control+End');
    await page.keyboard.press('Home');
    for (const name of ['File', 'Plane']) {
      await page.keyboard.type(name);
      await page.keyboard.press('Enter');
    }
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+z');
    await expect(page.getByText('Undone', { exact: false }).first()).toBeVisible();
    await expect.poll(async () => (await items(page, key)).map(({ name }) => name)).toEqual(['Saw', 'Axe', 'File']);
  });

  test('what an edit asks is asked wherever records are edited: in a grid, a list beside, a record beside', async ({
    browser,
  }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('asked');
    await shop(page, key);
    const path = `/api/workspaces/${key}/tables`;
    const window = { id: 4, title: 'Window' };
    await api(page, 'POST', `${path}/items/records`, {
      records: [{ values: { name: 'Saw', price: 1, shelf: window } }],
    });
    const all = Array.from({ length: 101 }, (_, n) => `m${n}@alderfold.example`).join(' ');
    const steps = [{ do: 'write', to: [{ formula: `'${all}'` }], subject: 'Changed', text: 'Look.' }];
    for (const [table, field, record] of [
      ['items', 'price', 1],
      ['shelves', 'name', 4],
    ] as const) {
      const routine = { label: `Tell of ${table}`, on: true, when: { on: 'changed', fields: [field] }, steps };
      const { id } = await api<{ id: string }>(page, 'POST', `${path}/${table}/routines`, { routine });
      await api(page, 'POST', `${path}/${table}/routines/try`, { routine: id, record });
    }
    const question = (of: string) => page.getByRole('alert').filter({ hasText: `“Tell of ${of}” would write to 101` });
    const retype = async (text: string) => {
      await page.keyboard.type(text);
      await page.keyboard.press('Enter');
    };
    const price = page.getByRole('row').filter({ hasText: 'Saw' }).getByRole('gridcell', { name: /\.00$/ });
    for (const [at, address, to] of [
      ['the grid', 't/items', '2'],
      ['a list', 't/shelves/r/4', '3'],
    ] as const) {
      await page.goto(`/w/${key}/${address}`);
      await price.click();
      await retype(to);
      await question('items').getByRole('button', { name: 'Change it and send' }).click();
      await expect(price, at).toHaveText(`${to}.00`);
    }
    await page.goto(`/w/${key}/t/items`);
    await page.getByRole('row').filter({ hasText: 'Saw' }).getByRole('gridcell').nth(3).click();
    await page.keyboard.press('Alt+Enter');
    const panel = page.getByRole('complementary', { name: /Record of/ });
    await panel.getByRole('button', { name: 'Change Name' }).click();
    await page.keyboard.press('Control+a');
    await retype('Door');
    await question('shelves').getByRole('button', { name: 'Leave it as it was' }).click();
    await expect(panel.getByRole('heading', { name: 'Window' })).toBeVisible();
    await panel.getByRole('button', { name: 'Change Name' }).click();
    await page.keyboard.press('Control+a');
    await retype('Door');
    await question('shelves').getByRole('button', { name: 'Change it and send' }).click();
    await expect(panel.getByRole('heading', { name: 'Door' })).toBeVisible();
  });

  test('what is half typed stays as it is when the structure or its record changes meanwhile', async ({ browser }) => {
    const page = await signIn(browser, 'ida');
    const key = fresh('half');
    await shop(page, key);
    await api(page, 'POST', `/api/workspaces/${key}/tables/items/records`, { records: [{ values: { name: 'Saw' } }] });
    await page.goto(`/w/${key}/t/items`);
    let serial = 0;
    /** Somebody adds a field and changes the record; the open page shows both. */
    const others = async () => {
      const label = `Extra ${++serial}`;
      await change(page, key, { do: 'addField', table: 'items', field: { label, type: 'text' } });
      const values = { price: serial, [`extra_${serial}`]: 'seen' };
      await api(page, 'PATCH', `/api/workspaces/${key}/tables/items/records`, { records: [{ id: 1, values }] });
      await expect(page.getByRole('gridcell', { name: `${serial}.00`, exact: true })).toBeVisible();
    };
    const typed = async (name: string, [first, rest]: readonly [string, string], shown: string) => {
      await page.keyboard.type(first);
      await others();
      await page.keyboard.type(rest);
      await expect(page.locator('input:focus'), name).toHaveValue(shown);
    };
    const row = page.getByRole('row').filter({ hasText: 'Saw' });
    await row.getByRole('gridcell').nth(2).click();
    await typed('Since', ['2026-0', '5-02'], '2026-05-02');
    await page.keyboard.press('Enter');
    await expect(row.getByRole('gridcell').nth(2)).toHaveText('2026-05-02');
    await row.getByRole('gridcell').nth(3).click();
    await typed('Shelf', ['Win', 'dow'], 'Window');
    await page.keyboard.press('Enter');
    await expect(row.getByRole('gridcell').nth(3)).toContainText('Window');
    await page.keyboard.press('Alt+n');
    await typed('Name', ['Pla', 'ne'], 'Plane');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await typed('Since', ['2026-0', '6-03'], '2026-06-03');
    await page.keyboard.press('Control+Enter');
    await expect(page.getByRole('row').filter({ hasText: 'Plane' }).getByRole('gridcell').nth(2)).toHaveText(
      '2026-06-03',
    );
  });
});
