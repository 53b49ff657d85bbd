import { once } from 'node:events';
import { createServer } from 'node:net';
import pg from 'pg';
import { Secret, TOTP } from 'otpauth';
import { startProvider } from '../../demo/provider';
import { databaseUrl } from '../server/database';
import { accessible } from './accessible';
import { signIn } from './person';
import { serve } from './server';
import { databaseName, expect, test, watch, type Page } from './watched';

/** Another weight for a hive, as its keeper types it. */
async function weigh(page: Page, weight: string): Promise<void> {
  await page.goto('/w/apiaries/t/hives?columns=number,weight&takesNew=no');
  const cell = page.locator('[data-cell="6.1"]');
  await cell.click();
  await page.keyboard.type(weight);
  await page.keyboard.press('Enter');
  await expect(cell).toContainText(weight);
}

test('a webhook is made, watched where it arrives, made to fail, and replayed; an analyst and a calendar read with programs of their own', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/apiaries/programs');
  await page.getByRole('button', { name: 'Log of Label printer' }).waitFor();
  await page.getByLabel('Name', { exact: true }).fill('Scales');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Hiv');
  await page.getByLabel('Address').fill('http://127.0.0.1:1/hook');
  await page.keyboard.press('Enter');
  await expect(page.getByText('of this machine or a private network').first()).toBeVisible();
  await page.getByLabel('Address').fill('/stand-ins/web/scales');
  await page.keyboard.press('Enter');
  const secret = await page.locator('code', { hasText: 'whsec_' }).innerText();
  await accessible(page, 'programs');
  await weigh(page, '51.5');

  // Where it arrives: the message, whose signature is right for the secret that was shown.
  await page.goto('/stand-ins/web');
  const scales = page.locator('section').filter({ hasText: 'stand-ins/web/scales' });
  await expect(scales.getByText('"weight":51.5')).toBeVisible();
  await scales.getByLabel('Secret, to look at signatures').fill(secret);
  await page.getByLabel('How scales answers').selectOption({ label: 'fails (500)' });
  await scales.getByRole('button', { name: 'Set' }).click();
  await expect(scales.getByText('signature is right')).toBeVisible();
  await accessible(page, 'web stand-in');
  await weigh(page, '52.5');

  // It fails there: said here, and what waits goes once it is taken again.
  await page.goto('/w/apiaries/programs');
  const row = page.getByRole('row').filter({ hasText: 'Scales' });
  await expect(row.getByText('tries again, 1 waiting')).toBeVisible();
  await expect(row.getByText('500: answers 500')).toBeVisible();
  await page.goto('/stand-ins/web');
  await page.getByLabel('How scales answers').selectOption({ label: 'takes it (200)' });
  await scales.getByRole('button', { name: 'Set' }).click();
  await expect(scales.getByText('answered 200')).toHaveCount(2, { timeout: 30_000 });
  await page.goto('/w/apiaries/programs');
  await expect(row.getByText('on', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Log of Scales' }).click();
  const log = page.getByRole('region', { name: 'Log of Scales' });
  await expect(log.getByRole('listitem')).toHaveCount(2);
  await log
    .getByRole('button', { name: /^Send again/ })
    .first()
    .click();
  await expect(log.getByText('delivered')).toHaveCount(2);
  await page.goto('/stand-ins/web');
  await expect(scales.getByText('answered 200')).toHaveCount(3);
  await weigh(page, '37.1');

  // An analyst connects with what is shown once, and is out when it is taken away.
  await page.goto('/w/apiaries/programs');
  await page.getByLabel('For', { exact: true }).fill('Dessa Millbeck');
  await page.keyboard.press('Enter');
  const client = new pg.Client({ connectionString: await page.locator('code', { hasText: 'postgres:' }).innerText() });
  client.on('error', () => undefined);
  await client.connect();
  const { rows } = await client.query<{ n: number }>(
    `select count(*)::int as n from "Hives" where "Apiary" = 'Chapel Field'`,
  );
  expect(rows[0]?.n).toBeGreaterThan(0);
  await page.getByRole('button', { name: 'Take away from Dessa Millbeck' }).click();
  await page.getByRole('button', { name: 'Really take away from Dessa Millbeck' }).click();
  await expect(page.getByText('Dessa Millbeck has no way into the database any more.')).toBeVisible();
  await expect(client.query('select 1')).rejects.toThrow();

  // A calendar program reads a view at an address of its own, signed in or not.
  await page.goto('/w/apiaries/t/treatments');
  const calendar = await page.request.post('/api/workspaces/apiaries/tables/treatments/views', {
    headers: { origin: new URL(page.url()).origin },
    data: { view: { label: 'Days', kind: 'calendar', by: await firstDay(page) }, personal: true },
  });
  const { id } = (await calendar.json()) as { id: string };
  await page.goto(`/w/apiaries/t/treatments?view=${id}`);
  await page.getByRole('button', { name: 'Subscribe' }).click();
  const address = await page.locator('code', { hasText: '/api/calendars/' }).innerText();
  const ics = await (await fetch(address)).text();
  expect(ics.match(/BEGIN:VEVENT/g)?.length).toBeGreaterThan(100);
  await page.close();
});

/** The key of the first day among a table's fields. */
async function firstDay(page: Page): Promise<string> {
  const model = (await (await page.request.get('/api/workspaces/apiaries/model')).json()) as {
    tables: { key: string; fields: { key: string; type: string }[] }[];
  };
  const fields = model.tables.find(({ key }) => key === 'treatments')?.fields ?? [];
  return fields.find(({ type }) => type === 'date')?.key ?? '';
}

test('one signs in with the organisation, and with a second factor where it is set up', async ({ browser }) => {
  const free = createServer().listen(0, '127.0.0.1');
  await once(free, 'listening');
  const { port } = free.address() as { port: number };
  free.close();
  const settings = {
    LOOM_OIDC_ISSUER: `http://127.0.0.1:${port}`,
    LOOM_OIDC_CLIENT: 'loom',
    LOOM_OIDC_SECRET: 'of the tests',
    LOOM_OIDC_LABEL: 'Alderfold',
  };
  Object.assign(process.env, settings);
  const server = await serve(databaseUrl(databaseName()));
  for (const key of Object.keys(settings)) Reflect.deleteProperty(process.env, key);
  const provider = await startProvider({
    port,
    client: 'loom',
    secret: 'of the tests',
    back: [`${server.origin}/sign-in/back`],
    people: [{ name: 'Wren Hollin', email: 'wren@alderfold.example', groups: [] }],
  });
  try {
    const context = await browser.newContext({ baseURL: server.origin });
    watch(context);
    const page = await context.newPage();
    // What was kept of another way, or by somebody else, leads nowhere.
    await context.addCookies([{ name: 'going', value: '{"to":1}', url: `${server.origin}/sign-in` }]);
    const astray = await page.goto('/sign-in/back?code=x&state=y');
    expect(astray?.status()).toBe(401);
    await page.goto('/w/apiaries/t/hives');
    await page.getByRole('link', { name: 'Sign in with Alderfold' }).click();
    await page.getByRole('link', { name: 'Wren Hollin' }).click();
    await expect(page).toHaveURL(`${server.origin}/w/apiaries/t/hives`);
    await expect(page.getByText('240 records')).toBeVisible();

    // A second factor is for the password.
    await page.goto('/account');
    await accessible(page, 'account');
    const factor = await page.locator('code').innerText();
    const number = (steps: number) =>
      new TOTP({ secret: Secret.fromBase32(factor) }).generate({ timestamp: Date.now() + steps * 30_000 });
    await page.getByLabel(/Type the number/).fill(number(-1));
    await page.keyboard.press('Enter');
    await expect(page.getByText('From now on you are asked for a number')).toBeVisible();
    await context.clearCookies();
    await page.goto('/sign-in');
    await page.getByLabel('Email').fill('wren@alderfold.example');
    await page.getByLabel('Password').fill('meadow-and-fell');
    await page.keyboard.press('Enter');
    await page.getByLabel('Number of your authenticator').fill('000000');
    await page.keyboard.press('Enter');
    await expect(page.getByText('This number is not right')).toBeVisible();
    await page.getByLabel('Number of your authenticator').fill(number(0));
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(`${server.origin}/`);
    await page.goto('/account');
    await page.getByLabel('Your password').fill('meadow-and-fell');
    await page.getByRole('button', { name: 'Remove it' }).click();
    await expect(page.getByText('You are not asked for a number any more.')).toBeVisible();
    await context.close();
  } finally {
    await server.stop();
    provider.closeAllConnections();
    provider.close();
  }
});
