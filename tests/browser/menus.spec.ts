import { api, change, signIn } from './person';
import { expect, test, type Page } from './watched';

/** A workspace of its own, with enough in it for every screen to have something to show. */
async function workshop(page: Page, key: string): Promise<void> {
  await api(page, 'POST', '/api/workspaces', { label: 'Workshop', key });
  await change(
    page,
    key,
    { do: 'addTable', label: 'Shelves', fields: [{ label: 'Name', type: 'text', unique: true }] },
    {
      do: 'addTable',
      label: 'Tools',
      fields: [
        { label: 'Name', type: 'text', unique: true },
        { label: 'Price', type: 'money', currency: 'EUR' },
        { label: 'State', type: 'option', options: ['new', 'worn'] },
        { label: 'Bought', type: 'date' },
        { label: 'Shelf', type: 'link', to: 'shelves' },
        { label: 'Twice', type: 'formula', formula: 'price * 2' },
      ],
    },
  );
  await api(page, 'POST', `/api/workspaces/${key}/tables/shelves/records`, { records: [{ values: { name: 'Left' } }] });
  await api(page, 'POST', `/api/workspaces/${key}/tables/tools/records`, {
    records: ['Saw', 'Axe', 'Rope'].map((name, n) => ({
      values: { name, price: n + 1, state: 'new', bought: '2026-05-16', shelf: 1 },
    })),
  });
  await change(page, key, { do: 'addPart', kind: 'form', table: 'tools', part: { label: 'New tool' } });
  await api(page, 'POST', `/api/workspaces/${key}/tables/tools/views`, {
    view: { label: 'Dear ones', filter: 'price > 1' },
  });
}

/** The screens of a workspace, each with a thing that says that it stands. */
const screens = (key: string): readonly (readonly [string, string])[] => [
  [`/w/${key}/t/tools`, '[role=gridcell]'],
  [`/w/${key}/t/tools?kind=board&by=state`, '[role=option]'],
  [`/w/${key}/t/tools/r/1`, '.sheet'],
  [`/w/${key}/t/tools/structure`, '[role=row], tbody tr'],
  [`/w/${key}/t/tools/forms`, 'main, .stage'],
  [`/w/${key}/weave`, 'main, .stage'],
  [`/w/${key}`, 'main'],
  ['/', 'main'],
];

/** Words that bring all commands up take minutes as well: `LOOM_LONG=1` for them. */
const walked = <T>(all: readonly T[]): readonly T[] => (process.env.LOOM_LONG ? all : all.slice(0, 1));

/** Where it leads is another screen's matter, or the end of all. */
const left = /^Sign out/;

async function open(page: Page, [path, stands]: readonly [string, string]): Promise<void> {
  await page.goto(path);
  await page.locator(stands).first().waitFor();
  await page.waitForFunction(() => document.documentElement.dataset.ready !== undefined);
}

/**
 * The buttons that open a menu; those in heads of columns are seen only under the pointer, and pressed all the same.
 */
const openers = (page: Page) => page.locator('[aria-haspopup=menu]');
const opener = (page: Page, name: string) =>
  page.locator(`[aria-haspopup=menu][aria-label=${JSON.stringify(name)}]`).first();
const press = (page: Page, name: string) => opener(page, name).evaluate((button: HTMLElement) => button.click());

test('every entry of every menu of every screen can be pressed', async ({ browser }) => {
  test.skip(!process.env.LOOM_LONG, 'takes minutes: LOOM_LONG=1');
  test.setTimeout(400_000);
  const page = await signIn(browser, 'ida');
  page.setDefaultTimeout(8000);
  const key = `menus_${Date.now().toString(36)}`;
  await workshop(page, key);
  const pressed = new Set<string>();
  for (const screen of screens(key)) {
    await open(page, screen);
    const names = await openers(page).evaluateAll((buttons) => [
      ...new Set(buttons.map((button) => button.getAttribute('aria-label') ?? '')),
    ]);
    // The other workspaces are those of other tests.
    for (const name of names.filter((one) => one !== '' && (screen[0] !== '/' || one.includes('Workshop')))) {
      await open(page, screen);
      await press(page, name);
      const items = page.getByRole('menuitem');
      await expect(items.first(), `${name} on ${screen[0]}`).toBeVisible();
      for (const label of (await items.allInnerTexts()).map((text) => text.trim())) {
        // What columns have in common, and what stands on every screen, is pressed once.
        const place = name.endsWith('what can be done') ? `column: ${label}` : `${name}: ${label}`;
        if (left.test(label) || pressed.has(place)) continue;
        pressed.add(place);
        await open(page, screen);
        // An entry pressed before may have taken the menu, or this entry, away.
        if ((await opener(page, name).count()) === 0) break;
        await press(page, name);
        const item = items.filter({ hasText: label }).first();
        if ((await item.count()) > 0) await item.click();
        // What it sets going has had its time to fail; an error in the page fails the test (watched.ts).
        await page.waitForTimeout(150);
        await expect(page.locator('body'), place).not.toContainText('Internal Error');
      }
    }
  }
  // The walk met the menus that it is meant for.
  for (const wanted of ['Sort ascending', 'Hide column', 'Workbook (XLSX)', 'Add to favourites'])
    expect(
      [...pressed].some((place) => place.includes(`: ${wanted}`)),
      `${wanted} among ${[...pressed].join(' · ')}`,
    ).toBe(true);
  expect(pressed.size).toBeGreaterThan(25);
});

test('every command of the command line can be chosen', async ({ browser }) => {
  test.setTimeout(180_000);
  const page = await signIn(browser, 'ida');
  page.setDefaultTimeout(8000);
  const key = `commands_${Date.now().toString(36)}`;
  await workshop(page, key);
  const screen = screens(key)[0]!;
  await open(page, screen);
  await page.keyboard.press('Control+k');
  const list = page.getByRole('dialog').getByRole('option');
  await expect(list.first()).toBeVisible();
  // A dozen are shown at once; words bring the others up.
  const commands = new Map<string, readonly [string, number]>();
  for (const typed of walked(['', 'new', 'view', 'record', 'structure', 'workspace', 'dark', 'go', 'export', 'undo'])) {
    await page.getByRole('dialog').getByRole('combobox').fill(typed);
    await page.waitForTimeout(200);
    for (const [index, text] of (await list.allInnerTexts()).entries())
      if (!commands.has(text.trim())) commands.set(text.trim(), [typed, index]);
  }
  expect(commands.size).toBeGreaterThan(10);
  for (const [label, [typed, index]] of commands) {
    if (left.test(label)) continue;
    await open(page, screen);
    await page.keyboard.press('Control+k');
    await page.getByRole('dialog').getByRole('combobox').fill(typed);
    await page.waitForTimeout(150);
    await list.nth(index).click();
    await page.waitForTimeout(150);
    await expect(page.locator('body'), label).not.toContainText('Internal Error');
  }
});
