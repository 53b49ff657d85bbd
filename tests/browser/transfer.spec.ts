import { accessible } from './accessible';
import { cell, signIn } from './person';
import { expect, test } from './watched';

test('duplicates are compared and joined by keyboard alone; what is not the same is remembered; the old address leads on', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida', { viewport: { width: 1280, height: 800 } });
  await page.goto('/w/apiaries/health');
  const way = page.getByRole('link', { name: 'Find duplicates' }).first();
  await way.waitFor();
  expect(await way.getAttribute('href')).toContain('/transfer/join?table=keepers');
  await page.goto('/w/apiaries/transfer/join?table=keepers&by=name&how=exact');
  const group = page.getByRole('region', { name: /^Group 1 of/ });
  await group.waitFor();
  await accessible(page, 'duplicates');
  const groups = Number(/of (\d+)/.exec((await group.getAttribute('aria-label')) ?? '')?.[1]);
  const titles = await group.getByRole('columnheader').allInnerTexts();
  const loser = Number(/#(\d+)$/.exec(titles.find((text) => /#\d+$/.test(text)) ?? '')?.[1]);
  await group.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByText('1 group confirmed')).toBeVisible();
  await page.keyboard.press('n');
  await expect(page.getByText(`${groups - 1} groups among`)).toBeVisible();
  await page.getByRole('button', { name: 'Join the duplicates' }).waitFor();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Tried and rolled back')).toBeVisible();
  await page.getByRole('button', { name: 'Join the duplicates' }).click();
  await expect(page.getByRole('heading', { name: 'What was done' })).toBeVisible();
  await page.goto(`/w/apiaries/t/keepers/r/${loser}`);
  await page.waitForURL(
    (url) => url.pathname.startsWith('/w/apiaries/t/keepers/r/') && !url.pathname.endsWith(`/${loser}`),
  );
  // Asked again, neither the joined nor those that are not the same are proposed.
  await page.goto('/w/apiaries/transfer/join?table=keepers&by=name&how=exact');
  await expect(page.getByText(`${groups - 2} groups among`)).toBeVisible();
  await page.goto('/w/apiaries/history');
  await page.getByText('1 duplicate joined in Keepers').first().waitFor();
});

test('selected hives are moved with what hangs on them, from the grid; two tables are merged and formulas follow; both are undone', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida', { viewport: { width: 1280, height: 800 } });
  await page.goto('/w/apiaries/t/hives?columns=number,frames&takesNew=no&sort=number');
  await (await cell(page, 'H-0001', 'Number')).click();
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowDown');
  await page.getByRole('button', { name: 'Transfer records' }).click();
  await page.getByRole('menuitem', { name: 'Move or copy the 3 selected' }).click();
  await page.getByText('3 records selected').waitFor();
  await page.getByRole('combobox', { name: 'To', exact: true }).selectOption('new');
  await page.getByLabel('Its name').fill('Old hives');
  await expect(page.getByText('re-pointed').first()).toBeVisible();
  await accessible(page, 'move');
  await page.getByRole('button', { name: 'Move the records' }).click();
  await expect(page.getByRole('heading', { name: 'What was done' })).toBeVisible();
  await page.goto('/w/apiaries/t/old_hives');
  await (await cell(page, 'H-0001', 'Number')).waitFor();
  await page.goto('/w/apiaries/history');
  await page.getByText('Records of Hives moved to Old hives').first().waitFor();

  await page.goto('/w/honey/transfer/merge?tables=harvests,movements');
  await page.getByLabel('Its name').fill('Stock');
  await expect(page.getByText("sum(stock.kg) filter (where stock.source = 'Harvests')").first()).toBeVisible();
  await accessible(page, 'merge');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Tried and rolled back')).toBeVisible();
  await expect(page.getByText('would differ')).toHaveCount(0);
  await page.getByRole('button', { name: 'Merge the tables' }).click();
  await expect(page.getByRole('heading', { name: 'What was done' })).toBeVisible();
  await page
    .getByRole('navigation', { name: 'Workspace' })
    .getByRole('link', { name: /^Stock/ })
    .waitFor();
  await page.getByRole('button', { name: 'Undo it' }).first().click();
  await page
    .getByRole('navigation', { name: 'Workspace' })
    .getByRole('link', { name: /^Harvests/ })
    .waitFor();
});

test('a feed follows another’s edit at once, is typed into both ways, and keeps a note of what leaves and comes back', async ({
  browser,
}) => {
  const ida = await signIn(browser, 'ida', { viewport: { width: 1280, height: 800 } });
  const tom = await signIn(browser, 'tom', { viewport: { width: 1280, height: 800 } });
  const own = '/w/honey/t/stock_movements';
  const model = (await (await ida.request.get('/api/workspaces/honey/model')).json()) as {
    tables: { key: string; views: { id: string; label: string }[] }[];
  };
  const view = model.tables
    .find(({ key }) => key === 'stock_movements')
    ?.views.find(({ label }) => label === 'What is in stock');
  await ida.goto(`${own}?view=${view?.id}`);
  const foot = ida.locator('.foot[role=row]');
  const stock = async () => Number((await foot.innerText()).replace(/[^\d.-]/g, ''));
  await expect.poll(stock).toBeGreaterThan(100);
  const before = await stock();

  // Tom weighs an extraction again: Ida's total is another one without a touch.
  await tom.goto('/w/honey/t/extractions?columns=day,kg,extractor&takesNew=no&sort=day');
  const kg = tom.getByRole('row').nth(1).getByRole('gridcell').nth(1);
  const old = Number((await kg.innerText()).replace(/[^\d.]/g, ''));
  await kg.click();
  await tom.keyboard.type(String(old + 100));
  await tom.keyboard.press('Enter');
  await expect.poll(stock).toBe(before + 100);

  // Two ways: turned on in a plan, then typed into the feed, and it is written in the source.
  await ida.goto(`${own}/structure`);
  await ida.getByRole('button', { name: 'Check', exact: true }).click();
  await expect(ida.getByText('35 records compared with the sources: nothing differs.')).toBeVisible();
  await accessible(ida, 'feed');
  await ida.getByRole('checkbox', { name: 'Kg' }).check();
  await ida.getByRole('button', { name: 'See the plan' }).click();
  await ida.getByRole('button', { name: /^Apply/ }).click();
  await expect(ida.getByText('Done: the feed changed.')).toBeVisible();
  await ida.goto(`${own}?columns=day,kg,note,kind&takesNew=no&sort=day`);
  const first = ida.getByRole('row').nth(1);
  await first.getByRole('gridcell').nth(1).click();
  await ida.keyboard.type('41.5');
  await ida.keyboard.press('Tab');
  await ida.keyboard.type('weighed by Ida');
  await ida.keyboard.press('Enter');
  await expect(first.getByText('41.500 kg')).toBeVisible();
  await expect(tom.getByText('41.500 kg').first()).toBeVisible();

  // A filter under which it leaves says so before; taken back it is there with its note.
  const filter = async (formula: string, words: RegExp) => {
    await ida.goto(`${own}/structure`);
    await ida.getByLabel('Only records of Extractions for which').fill(formula);
    await ida.getByRole('button', { name: 'Put the filters in the plan' }).click();
    await ida.getByRole('button', { name: 'See the plan' }).click();
    await expect(ida.getByText(words).first()).toBeVisible();
    await ida.getByRole('button', { name: /^Apply/ }).click();
    await expect(ida.getByText('Done: the feed changed.')).toBeVisible();
  };
  await filter('kg > 50', /record of Extractions leaves/);
  await ida.goto(own);
  await expect(ida.getByText('34 records').first()).toBeVisible();
  await expect(ida.getByText('weighed by Ida')).toHaveCount(0);
  await filter('', /record of Extractions comes in/);
  await ida.goto(`${own}?columns=day,kg,note,kind&takesNew=no&sort=day`);
  await expect(ida.getByText('weighed by Ida')).toBeVisible();

  // Who keeps the source sees who feeds from it, and ends it; undone it is as it was.
  await ida.goto('/w/honey/t/fillings/structure');
  await ida
    .getByRole('listitem')
    .filter({ hasText: 'Stock movements' })
    .getByRole('button', { name: 'End it' })
    .click();
  await ida.getByText('Stock movements is fed from here no longer.').waitFor();
  await ida.getByRole('button', { name: 'Undo' }).first().click();
  await expect(ida.getByRole('heading', { name: 'Feeds that take these records' })).toBeVisible();
});
