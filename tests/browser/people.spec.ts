import { expect, test } from './watched';
import { accessible } from './accessible';
import { signIn } from './person';

test('a workspace is given to a colleague by keyboard, who is put out again; a program comes in by a token until it is revoked', async ({
  browser,
  request,
}) => {
  const page = await signIn(browser, 'ida');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Wax and candles');
  await page.keyboard.press('Enter');
  await page.waitForURL(/\/w\//);
  const key = /\/w\/([^/?]+)/.exec(page.url())?.[1] ?? '';
  await page.keyboard.press('Control+k');
  await page.keyboard.type('people');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('row', { name: /^Ida Vale \(you\)/ })).toBeVisible();

  // A stranger finds nothing until they are in, and at once when they are.
  const tom = await signIn(browser, 'tom');
  await tom.goto(`/w/${key}`);
  await expect(tom.getByText('There is no such workspace here.')).toBeVisible();
  await page.getByLabel('Person to add', { exact: true }).focus();
  await page.keyboard.type('Tom');
  await page.keyboard.press('Tab');
  await page.keyboard.type('reader');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Role of Tom Orrin')).toHaveValue('reader');
  await expect(page.getByText('Ida Vale added Tom Orrin as reader')).toBeVisible();
  await accessible(page, 'people');
  await tom.reload();
  await expect(tom.getByRole('link', { name: 'People' })).toBeVisible();
  await tom.getByRole('link', { name: 'People' }).click();
  await expect(tom.getByRole('row', { name: /^Tom Orrin \(you\)/ })).toBeVisible();
  await expect(tom.getByRole('heading', { name: 'Audit trail' })).toBeHidden();

  // Another role is seen on the open page of whom it is given to; who is out is out.
  await page.getByLabel('Role of Tom Orrin').selectOption('administrator');
  await expect(tom.getByRole('heading', { name: 'Audit trail' })).toBeVisible();
  await page.getByRole('button', { name: 'remove Tom Orrin' }).click();
  await page.getByRole('button', { name: 'Really remove Tom Orrin' }).click();
  await expect(page.getByLabel('Role of Tom Orrin')).toBeHidden();
  await expect(page.getByText('Ida Vale removed Tom Orrin (administrator before)')).toBeVisible();
  await tom.goto(`/w/${key}/people`);
  await expect(tom.getByText('There is no such workspace here.')).toBeVisible();

  // The only administrator stays.
  await page.getByLabel('Role of Ida Vale').selectOption('reader');
  await expect(page.getByText('Ida Vale is the only administrator here.')).toBeVisible();

  await page.goto('/tokens');
  await page.getByLabel('Name').fill('nightly load');
  await page.getByLabel('What the token may do').selectOption('reader');
  await page.getByLabel('Where the token may do it').selectOption({ label: 'Wax and candles' });
  await page.getByRole('button', { name: 'Make a token' }).click();
  const secret = await page.locator('.secret code').innerText();
  await accessible(page, 'tokens');
  const asProgram = (path: string) =>
    request.get(new URL(path, page.url()).href, { headers: { authorization: `Bearer ${secret}` } });
  const listed = (await (await asProgram('/api/workspaces')).json()) as { workspaces: { workspace: string }[] };
  expect(listed.workspaces.map(({ workspace }) => workspace)).toEqual([key]);
  await page.reload();
  await expect(page.getByText(secret)).toBeHidden();
  await page.getByRole('button', { name: 'Revoke nightly load' }).click();
  await expect(page.getByRole('row').filter({ hasText: 'nightly load' })).toBeHidden();
  expect((await asProgram('/api/workspaces')).status()).toBe(401);
});
