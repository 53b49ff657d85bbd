import { expect, test } from './watched';
import { accessible } from './accessible';
import { origin, signIn } from './person';

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
  const listed = (await (await asProgram('/api/workspaces')).json()) as { items: { key: string }[] };
  expect(listed.items.map((one) => one.key)).toEqual([key]);
  await page.reload();
  await expect(page.getByText(secret)).toBeHidden();
  await page.getByRole('button', { name: 'Revoke nightly load' }).click();
  await expect(page.getByRole('row').filter({ hasText: 'nightly load' })).toBeHidden();
  expect((await asProgram('/api/workspaces')).status()).toBe(401);
});

test('a role is made by conditions and fields, tried, looked through and given; somebody is invited, signs in, and is deactivated', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/people');
  await page.getByRole('link', { name: 'Roles: what each may see and do' }).click();
  await page.getByRole('button', { name: /^Editor/ }).click();
  await expect(page.getByText('Every workspace has this role as it is.')).toBeVisible();
  await page.getByRole('button', { name: 'New role from this' }).click();
  await page.getByLabel('Name').fill('Young queens');
  await page.getByLabel('See records of Keepers').selectOption('none');
  await page.getByLabel('See records of Hives').selectOption('some');
  await page.getByLabel('See the records for which').fill("number > 'H-0200'");
  const hives = page.getByRole('row').filter({ has: page.getByRole('button', { name: /Hives$/ }) });
  const seen = hives.first().getByRole('cell').last();
  await expect(seen).toHaveText(/^\d+ of 240$/);
  await expect(seen).not.toHaveText('240 of 240');
  await page.getByLabel('Type of Hives').selectOption('hidden');
  await accessible(page, 'roles');
  await page.getByRole('button', { name: 'Make the role' }).click();
  await expect(page.getByRole('button', { name: /^Young queens/ })).toHaveAttribute('aria-current', 'true');
  const count = (await seen.innerText()).split(' ')[0] ?? '';

  // Looked through as whoever has it: fewer records, no hidden field, nothing to change.
  await page.getByRole('button', { name: 'See as this role' }).click();
  await expect(page.getByText('You look at this workspace as')).toBeVisible();
  await page.getByRole('link', { name: /^Hives/ }).click();
  await expect(page.getByText(`${count} records`)).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Number' })).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Type' })).toBeHidden();
  await expect(page.getByRole('link', { name: /^Keepers/ })).toBeHidden();
  await page.getByRole('button', { name: 'Look as yourself again' }).click();
  await expect(page.getByText('240 records')).toBeVisible();

  // Somebody new is invited with it, opens the address of the message, and sets a password.
  await page.goto('/w/apiaries/people');
  await page.getByLabel('Role of the person to add').selectOption({ label: 'Young queens' });
  await page.getByLabel('Address of the person to invite').fill('nils.farrow@alderfold.example');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Role of nils.farrow')).toBeVisible();
  await page.goto('/outbox');
  await accessible(page, 'outbox');
  const invitation = page.getByRole('article').filter({ hasText: 'nils.farrow@alderfold.example' });
  await invitation.getByRole('button', { name: /invites you/ }).click();
  const address = await invitation.getByRole('link', { name: /invited/ }).getAttribute('href');
  const nils = await (await browser.newContext({ baseURL: origin() })).newPage();
  await nils.goto(address ?? '');
  await nils.getByLabel(/^Password/).fill('brood and comb');
  await nils.keyboard.press('Enter');
  await nils.getByRole('link', { name: 'Hives', exact: true }).click();
  await expect(nils.getByText(`${count} records`)).toBeVisible();
  await nils.goto(address ?? '');
  await expect(nils.getByText('This address was used, or has ended')).toBeVisible();

  // Out everywhere at once: the open page is told so.
  await nils.goto('/w/apiaries/t/hives');
  await expect(nils.getByText(`${count} records`)).toBeVisible();
  await page.goto('/directory');
  await accessible(page, 'directory');
  await page.getByRole('button', { name: 'Deactivate nils.farrow' }).click();
  await expect(page.getByRole('button', { name: 'Activate nils.farrow', exact: true })).toBeVisible();
  await nils.goto('/w/apiaries/t/hives');
  await expect(nils).toHaveURL(/\/sign-in/);
});

test('a table is made private by keyboard, is there for nobody else, and is shared; what somebody leaves is taken over', async ({
  browser,
}) => {
  const [ida, tom] = [await signIn(browser, 'ida'), await signIn(browser, 'tom')];
  await tom.goto('/w/honey');
  await ida.goto('/w/honey?new');
  const name = ida.getByLabel('Name', { exact: true });
  await expect(name).toBeFocused();
  await ida.keyboard.type('Prices to think over');
  await ida.getByLabel(/^Private/).focus();
  await ida.keyboard.press('Space');
  await accessible(ida, 'new private table');
  await ida.getByRole('button', { name: 'Make the table' }).press('Enter');
  await expect(ida.getByRole('heading', { name: 'Prices to think over' })).toBeVisible();
  await expect(ida.getByRole('banner').or(ida.locator('.stage header')).getByText('Private')).toBeVisible();
  const rail = (page: typeof ida) => page.getByRole('navigation', { name: 'Workspace' });
  const there = (page: typeof ida) => rail(page).getByRole('link', { name: /^Prices to think over/ });
  await expect(there(ida)).toBeVisible();
  await tom.reload();
  await expect(rail(tom).getByRole('link', { name: /^Lots/ })).toBeVisible();
  await expect(there(tom)).toHaveCount(0);
  const gone = await tom.goto('/w/honey/t/prices_to_think_over');
  expect(gone?.status()).toBe(404);

  // Shared, it comes to the open page of a colleague.
  await tom.goto('/w/honey');
  await ida.getByRole('button', { name: 'More' }).click();
  await ida.getByRole('menuitem', { name: 'Share the table with the workspace' }).click();
  await ida.getByRole('button', { name: 'See the plan' }).click();
  await expect(ida.getByText('shared with everybody in the workspace')).toBeVisible();
  await ida.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(there(tom)).toBeVisible();
  await expect(ida.locator('.stage header').getByText('Private')).toHaveCount(0);

  // What somebody leaves behind is nobody's until it is taken over.
  const by = (path: string) => `${origin()}/api/workspaces/honey${path}`;
  const { items } = (await (await ida.request.get(by('/members'))).json()) as {
    items: { id: number; email: string }[];
  };
  const toms = items.find(({ email }) => email.startsWith('tom'))?.id;
  await ida.request.patch(by(`/members/${toms}`), { data: { role: 'designer' } });
  await tom.goto('/w/honey?new');
  await tom.getByLabel('Name', { exact: true }).fill('Own notes');
  await tom.getByLabel(/^Private/).check();
  await tom.getByRole('button', { name: 'Make the table' }).click();
  await expect(tom.getByRole('heading', { name: 'Own notes' })).toBeVisible();
  await ida.goto('/w/honey/people');
  await ida.getByRole('button', { name: /^Remove Tom/ }).click();
  await ida.getByRole('button', { name: /^Really remove/ }).click();
  await ida.getByRole('button', { name: /^Take over/ }).click();
  await expect(ida.getByText(/only you see them now/)).toBeVisible();
  await expect(rail(ida).getByRole('link', { name: /^Own notes/ })).toBeVisible();
  await ida.request.post(by('/members'), { data: { person: toms, role: 'editor' } });
});
