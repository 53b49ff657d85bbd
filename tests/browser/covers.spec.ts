import { api, change, signIn } from './person';
import { expect, test, type Locator, type Page } from './watched';

/** Where something is on the screen, in pixels. */
async function edges(one: Locator) {
  const box = await one.boundingBox();
  if (!box) throw new Error('it is not on the screen');
  return { left: box.x, top: box.y, right: box.x + box.width, bottom: box.y + box.height };
}
type Edges = Awaited<ReturnType<typeof edges>>;
const meet = (a: Edges, b: Edges) =>
  a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 3 && b.top < a.bottom - 3;

async function within(page: Page, one: Locator, what: string) {
  const { left, top, right, bottom } = await edges(one);
  const { width, height } = page.viewportSize() ?? { width: 0, height: 0 };
  expect(
    [left >= 0, top >= 0, right <= width, bottom <= height],
    `${what}: ${left} ${top} ${right} ${bottom} in ${width} × ${height}`,
  ).toEqual([true, true, true, true]);
}
const noWider = async (page: Page, what: string) =>
  expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth), what).toBeLessThanOrEqual(0);

const long = 'The cooperative of the seven valleys and of the marsh below them, with all of its neighbours';

test('menus, editors, lists and panels stay in the window and do not cover what they are about', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  page.setDefaultTimeout(15_000);
  const key = `covers_${Date.now().toString(36)}`;
  await api(page, 'POST', '/api/workspaces', { label: long, key });
  await change(page, key, {
    do: 'addTable',
    label: `Reports of ${long.toLowerCase()}`,
    key: 'reports',
    fields: [
      { label: 'Title', type: 'text' },
      { label: 'N', type: 'number', digits: 0 },
      { label: 'Text', type: 'longText' },
      { label: 'Kind', type: 'option', options: ['one', 'two', 'three'] },
    ],
  });
  await api(page, 'POST', `/api/workspaces/${key}/tables/reports/records`, {
    records: [{ values: { title: 'One', text: 'word '.repeat(60), n: 1 } }, { values: { title: 'Two', n: 2 } }],
  });
  for (const width of [1280, 390]) {
    await page.setViewportSize({ width, height: 780 });
    await page.goto(`/w/${key}/t/reports`);
    await page.getByRole('gridcell').first().waitFor();
    await noWider(page, `the page at ${width}`);
    const menus = page.getByRole('banner').locator('[aria-haspopup=menu]');
    for (let menu = 0; menu < (await menus.count()); menu++) {
      await menus.nth(menu).click();
      await within(page, page.getByRole('menu'), `menu ${menu} at ${width}`);
      await page.keyboard.press('Escape');
    }
    if (width > 800) {
      const [name, rail] = [
        await edges(page.locator('.rail .home .name')),
        await edges(page.getByRole('navigation', { name: 'Workspace' })),
      ];
      expect(name.right).toBeLessThanOrEqual(rail.right);
    }
  }

  // The panel stands beside; an editor opened meanwhile stays out from under and over it, also in the last column.
  await page.setViewportSize({ width: 1280, height: 780 });
  await page.goto(`/w/${key}/t/reports`);
  await page.getByRole('gridcell', { name: 'One' }).click();
  await page.keyboard.press('Space');
  const panel = page.getByRole('complementary');
  await expect(panel).toBeVisible();
  // What gives way for it is the search, not the words of a button.
  expect(
    await page
      .getByRole('button', { name: 'Export what is shown' })
      .locator('.text')
      .evaluate((one) => one.scrollWidth - one.clientWidth),
  ).toBe(0);
  for (const column of [2, 3]) {
    await page.getByRole('row').nth(2).getByRole('gridcell').nth(column).click();
    await page.keyboard.press('Enter');
    const editor = page.getByRole('grid').locator('textarea, [role=combobox]').first();
    await expect(editor).toBeVisible();
    await within(page, editor, `the editor of column ${column}`);
    expect(meet(await edges(editor), await edges(panel)), `editor of column ${column} and panel`).toBe(false);
    await page.keyboard.press('Escape');
  }

  // What completes a formula stands below the line one writes in, or above it.
  await page.goto(`/w/${key}/t/reports/structure`);
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Type').selectOption('formula');
  await page.locator('.cm-content').click();
  await page.keyboard.type('n + ti', { delay: 40 });
  const completion = page.locator('.cm-tooltip-autocomplete');
  await expect(completion).toBeVisible();
  await within(page, completion, 'the completion');
  expect(meet(await edges(completion), await edges(page.locator('.cm-line').first())), 'completion and line').toBe(
    false,
  );
  await page.close();
});
