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
