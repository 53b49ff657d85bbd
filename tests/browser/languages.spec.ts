import { readFile } from 'node:fs/promises';
import { expect, origin, test, watch } from './watched';
import { accessible } from './accessible';
import { cell, signIn } from './person';

const outreach = '/api/workspaces/outreach';

test('a form is read in the visitor’s language, and so is what came of it; a translator’s file comes in', async ({
  browser,
}) => {
  const ida = await signIn(browser, 'ida', { locale: 'de-AT' });
  const forms = await (await ida.request.get(`${outreach}/tables/swarm_reports/forms`)).json();
  const form = forms.items.find((one: { form: { label: string } }) => one.form.label === 'Report a swarm');
  const made = await ida.request.post(`${outreach}/tables/swarm_reports/forms/${form.id}/addresses`, {
    data: { label: 'For the villages over the border' },
  });
  const { path } = await made.json();

  // Somebody from over the border, at speed and with a mistake.
  const context = await browser.newContext({ baseURL: origin(), locale: 'de-DE' });
  watch(context);
  const visitor = await context.newPage();
  await visitor.goto(path);
  await expect(visitor.locator('html')).toHaveAttribute('lang', 'de');
  await visitor.getByRole('textbox', { name: 'Wo ist er?' }).fill('Kirchturm, Grenzdorf');
  await visitor.getByRole('textbox', { name: /Ihre E-Mail/ }).fill('keine Adresse');
  await visitor.getByRole('radio', { name: 'Melone' }).check();
  await accessible(visitor, 'a form in German');
  await visitor.getByRole('button', { name: 'Senden' }).click();
  await expect(visitor.getByRole('alert')).toContainText('„keine Adresse“ ist keine E-Mail-Adresse.');
  await visitor.getByRole('textbox', { name: /Ihre E-Mail/ }).fill('nachbar@alderfold.example');
  await visitor.getByRole('button', { name: 'Senden' }).click();
  await expect(visitor.getByText('Es ist angekommen.')).toBeVisible();
  // The other language is a choice, whatever the browser asks for.
  await visitor.goto(`${path}?language=en`);
  await expect(visitor.getByRole('radio', { name: 'melon' })).toBeVisible();
  await expect(visitor.getByRole('button', { name: 'Send', exact: true })).toBeVisible();
  await context.close();

  // What came of it: the value is the same for all, its word is that of whoever reads.
  const filter = encodeURIComponent(`place = 'Kirchturm, Grenzdorf'`);
  const read = async () =>
    (await (await ida.request.get(`${outreach}/tables/swarm_reports/records?filter=${filter}`)).json()).items[0];
  expect((await read()).values.size).toBe('melon');
  await ida.goto(`/w/outreach/t/swarm_reports?filter=${filter}`);
  const size = await cell(ida, 'Kirchturm, Grenzdorf', 'Größe');
  await expect(size).toHaveText('Melone');
  await size.click();
  await ida.keyboard.type('Korb');
  await ida.keyboard.press('Enter');
  await expect(size).toHaveText('Korb');
  await expect.poll(async () => (await read()).values.size).toBe('basket');
  await ida.keyboard.press('Control+z');
  await expect(size).toHaveText('Melone');
  await accessible(ida, 'a grid in German');

  // The texts go out as XLIFF, come back with what a translator wrote, and are read at once.
  await ida.goto('/w/outreach/languages');
  await ida.getByRole('checkbox', { name: 'Nur nicht übersetzte' }).uncheck();
  await accessible(ida, 'languages');
  const going = ida.waitForEvent('download');
  await ida.getByRole('link', { name: 'XLIFF' }).click();
  const file = await (await going).path();
  const texts = (await readFile(file, 'utf8')).replace('<target>Größe</target>', '<target>Umfang</target>');
  await ida
    .getByLabel('Übersetzte Datei hereinbringen')
    .setInputFiles({ name: 'outreach.de.xlf', mimeType: 'application/xliff+xml', buffer: Buffer.from(texts) });
  await expect(ida.getByText(/übernommen/)).toBeVisible();
  await ida.goto('/w/outreach/t/swarm_reports');
  await expect(ida.getByRole('columnheader', { name: 'Umfang' })).toBeVisible();

  // One chooses in one's account, and the whole page speaks it.
  await ida.goto('/account');
  await ida.getByLabel('Sprache, die Sie lesen').selectOption('en');
  await ida.getByRole('button', { name: 'Wählen' }).click();
  await expect(ida.getByRole('heading', { name: 'Second factor' })).toBeVisible();
  await ida.goto('/w/outreach/t/swarm_reports');
  await expect(ida.getByRole('columnheader', { name: 'Size' })).toBeVisible();
  await ida.goto('/account');
  await ida.getByLabel('Language that you read').selectOption('');
  await ida.getByRole('button', { name: 'Choose' }).click();
  await expect(ida.getByRole('heading', { name: 'Zweiter Faktor' })).toBeVisible();

  // As it was before, for whoever comes after.
  const back = { data: { texts: { Size: 'Größe' } } };
  expect((await ida.request.patch(`${outreach}/languages/de`, back)).ok()).toBe(true);
  await ida.close();
});

test('pages that are made at once for people of different languages each speak their own', async ({ request }) => {
  const spoken = {
    de: 'Passwort',
    en: 'Password',
    fr: 'Password',
    'de-CH, en;q=0.5': 'Passwort',
    'x;q=,,': 'Password',
  };
  const asked = Array.from({ length: 12 }, () => Object.entries(spoken)).flat();
  const said = await Promise.all(
    asked.map(async ([language]) => {
      const page = await (
        await request.get(`${origin()}/sign-in`, { headers: { 'accept-language': language } })
      ).text();
      return [/<html lang="(\w+)"/.exec(page)?.[1], ['Passwort', 'Password'].find((word) => page.includes(`>${word}`))];
    }),
  );
  expect(said).toEqual(asked.map(([, word]) => [word === 'Passwort' ? 'de' : 'en', word]));
  // A program is answered in English, whatever it says that it reads.
  const refused = await request.get(`${origin()}/api/workspaces`, { headers: { 'accept-language': 'de' } });
  expect([refused.status(), (await refused.json()).detail]).toEqual([401, expect.stringMatching(/^[A-Z][a-z ]+/)]);
  expect((await refused.json()).detail).not.toMatch(/[äöüß]|Sie|melden/);
});

test('the first minutes: an empty workspace, the tour by keyboard, left and gone on with; a package in its place', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Beginnings');
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.waitForURL(/\/w\/beginnings/);
  for (const way of ['Bring in files', 'New table', 'From a template'])
    await expect(page.getByRole('main').getByRole('link', { name: way })).toBeVisible();
  await page.getByRole('button', { name: 'Take the tour' }).click();
  const card = page.getByRole('region', { name: 'Tour' });
  const rail = page.getByRole('navigation', { name: 'Workspace' });
  await expect(card).toContainText('Step 1 of 6');
  await expect(rail.getByRole('link', { name: 'Intake' })).toHaveClass(/toured/);
  await accessible(page, 'the tour');
  await page.keyboard.press('ArrowRight');
  await expect(rail.getByRole('link', { name: 'Weave' })).toHaveClass(/toured/);
  await expect(rail.getByRole('link', { name: 'Intake' })).not.toHaveClass(/toured/);
  // It goes on over pages, and after a reload.
  await rail.getByRole('link', { name: 'Weave' }).click();
  await expect(card).toContainText('Step 2 of 6');
  await page.reload();
  await expect(card).toContainText('Step 2 of 6');
  for (let step = 3; step <= 6; step++) {
    await card.getByRole('button', { name: 'Next' }).click();
    await expect(card).toContainText(`Step ${step} of 6`);
  }
  await card.getByRole('button', { name: 'Back' }).click();
  await page.keyboard.press('Escape');
  await expect(card).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole('heading', { name: 'Weave' }).or(rail)).not.toHaveCount(0);
  await expect(card).toHaveCount(0);
  // From anywhere, by keyboard.
  await page.keyboard.press('Control+k');
  await page.keyboard.type('tour');
  await page.keyboard.press('Enter');
  await expect(card).toContainText('Step 1 of 6');
  await card.getByRole('button', { name: 'Leave the tour' }).click();

  // A workspace goes out as one file, and comes in as it was.
  await page.goto('/w/outreach/package');
  await accessible(page, 'taking a package out');
  await page.getByRole('checkbox', { name: 'With the workspaces that it is linked with' }).check();
  const going = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Download the package' }).click();
  const file = await (await going).path();
  await page.goto('/');
  await page.getByRole('link', { name: 'From a package' }).click();
  await page
    .getByLabel('Package')
    .setInputFiles({ name: 'outreach.zip', mimeType: 'application/zip', buffer: await readFile(file) });
  await page.getByRole('button', { name: 'Bring it in' }).click();
  const loaded = page.getByRole('listitem').filter({ hasText: 'outreach.zip' });
  await expect(loaded.getByText(/records in \d workspaces/)).toBeVisible({ timeout: 60_000 });
  await accessible(page, 'a package that came in');
  const again = loaded.getByRole('link', { name: /^outreach/ });
  const key = await again.innerText();
  await again.click();
  await page.waitForURL(`**/w/${key}`);
  await expect(rail.getByRole('link', { name: /^Swarm reports/ })).toBeVisible();
  // What another test looks for is there once: the copies go.
  await page.goto('/packages');
  const keys = await loaded.getByRole('link').allInnerTexts();
  for (const one of [...keys, 'beginnings'])
    expect((await page.request.patch(`/api/workspaces/${one}`, { data: { deleted: true } })).ok()).toBe(true);
  await page.close();
});
