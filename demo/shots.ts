import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync } from 'node:fs';
import type { Page } from '@playwright/test';
import { launchChromium } from './browser';
import { demoPassword } from './make';

/** Makes docs/screenshots/ anew from the demo data, each main view once at 1280 × 800. */
const port = 4990;
const origin = `http://127.0.0.1:${port}`;
const folder = 'docs/screenshots';

const server = spawn(process.execPath, ['build'], {
  env: {
    ...process.env,
    PORT: String(port),
    HOST: '127.0.0.1',
    ORIGIN: origin,
    SHUTDOWN_TIMEOUT: '1',
    LOG_LEVEL: 'error',
    BODY_SIZE_LIMIT: '1G',
  },
  stdio: 'ignore',
});
// Also where a picture cannot be taken: a server that is left behind would answer the next run.
process.on('exit', () => server.kill());
for (let tries = 0; tries < 100; tries++) {
  if (
    await fetch(`${origin}/sign-in`).then(
      (answer) => answer.ok,
      () => false,
    )
  )
    break;
  await new Promise((resolve) => setTimeout(resolve, 100));
}
mkdirSync(folder, { recursive: true });
const browser = await launchChromium();
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = (name: string) => page.screenshot({ path: `${folder}/${name}.png` });

async function signIn(): Promise<void> {
  await page.goto(`${origin}/sign-in`);
  await page.getByLabel('Email').fill('ida@alderfold.example');
  await page.getByLabel('Password').fill(demoPassword);
  await page.keyboard.press('Enter');
  await page.waitForURL(`${origin}/`);
}

/** A plan that has something in its way, with the ways past it; thrown away afterwards. */
async function plan(): Promise<void> {
  await page.goto(`${origin}/w/apiaries/t/hives/structure`);
  await page.getByRole('button', { name: 'Weight' }).click();
  await page.getByText('required').last().click();
  await page.getByRole('button', { name: 'Put the change in the plan' }).click();
  await page.getByRole('button', { name: 'Type', exact: true }).click();
  await page.getByLabel('Key, used in formulas').fill('build');
  await page.getByRole('button', { name: 'Put the change in the plan' }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: 'Fill the blanks with this' }).waitFor();
  await shot('plan');
}

async function formula(): Promise<void> {
  await page.goto(`${origin}/w/apiaries/t/hives/structure`);
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Label').fill('Strong visits');
  await page.getByRole('combobox', { name: 'Type' }).selectOption('formula');
  await page.locator('.cm-content').click();
  await page.keyboard.type('count(inspections) filter (where inspections.frames > 7');
  await page.keyboard.press('Escape');
  await page.getByText('gives a number').waitFor();
  await shot('formula');
}

/** Brought in to a workspace of its own that is gone afterwards. */
async function intake(on: Page): Promise<void> {
  const key = 'season_2026';
  const made = await on.request.post(`${origin}/api/workspaces`, {
    headers: { origin },
    data: { label: 'Season 2026', key },
  });
  if (!made.ok() && made.status() !== 409) throw new Error(await made.text());
  await on.goto(`${origin}/w/${key}/intake`);
  await on.getByLabel('Choose files').last().setInputFiles(['demo/sources/hives.csv', 'demo/sources/inspections.csv']);
  await on.getByText('things to look at').waitFor();
  await on.getByRole('button', { name: 'hive_no' }).last().click();
  await on.getByText('values find their record').waitFor();
  await on.getByRole('button', { name: 'Hives: new, 240' }).waitFor();
  await on.locator('.counts svg path').nth(3).waitFor({ state: 'attached' });
  await shot('intake');
  await on.getByRole('button', { name: 'Discard' }).click();
  await on.waitForURL(`${origin}/w/${key}/intake`);
}

/** What did not fit when letters about swarms came in, with the records it may mean. */
async function setAside(on: Page): Promise<void> {
  await on.goto(`${origin}/w/outreach/set-aside?table=swarm_reports&field=taken_by`);
  await on.getByRole('button', { name: 'K 007' }).click();
  await on.getByRole('combobox').waitFor();
  await shot('set-aside');
}

/** The form that anyone can fill in, while it is designed. */
async function forms(): Promise<void> {
  await page.goto(`${origin}/w/outreach/t/swarm_reports/forms`);
  await page.getByRole('link', { name: 'Design Report a swarm' }).click();
  await page.getByRole('button', { name: /^How large is it/ }).click();
  await page.getByRole('heading', { name: 'How large is it?' }).waitFor();
  await shot('form-design');
}

/** Templates that ship, and the cooperative’s own. */
async function gallery(): Promise<void> {
  await page.goto(`${origin}/templates`);
  await page.getByRole('link', { name: 'Lending library' }).waitFor();
  await shot('templates');
}

/** Records as somebody sees them who reads German. */
async function german(): Promise<void> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, locale: 'de-DE' });
  await context.addCookies(await page.context().cookies());
  const read = await context.newPage();
  await read.goto(`${origin}/w/outreach/t/swarm_reports`);
  await read.getByRole('gridcell', { name: 'eingefangen' }).first().waitFor();
  await read.screenshot({ path: `${folder}/german.png` });
  await context.close();
}

/** Two tables that become one, tried: what reads them is written anew and gives the same. */
async function transfer(): Promise<void> {
  await page.goto(`${origin}/w/honey/transfer/merge?tables=extractions,fillings`);
  await page.getByLabel('Its name').fill('Honey moved');
  await page.getByRole('button', { name: 'Try it' }).click();
  await page.getByText('Tried and rolled back').waitFor();
  await shot('transfer');
}

/** A page of charts for those at the stall. */
async function summary(): Promise<void> {
  await page.goto(`${origin}/w/honey/summaries`);
  await page.getByRole('link', { name: 'The market' }).click();
  await page.locator('.drawing svg path').nth(20).waitFor({ state: 'attached' });
  await shot('summary');
}

/** A delivery note while it is designed, beside a market day. */
async function document(): Promise<void> {
  await page.goto(`${origin}/w/honey/t/market_days/documents`);
  await page.getByRole('link', { name: 'Design Delivery note' }).click();
  await page.frameLocator('iframe').getByText('Together').waitFor();
  await page.getByRole('textbox', { name: 'Page', exact: true }).getByText('Lot › Number').click();
  await page.getByLabel('Repeated for').waitFor();
  await shot('document');
}

/** A routine that is tried on a real record. */
async function routine(): Promise<void> {
  await page.goto(`${origin}/w/apiaries/routines`);
  await page.getByRole('link', { name: 'The wait is nearly over' }).click();
  await page.getByLabel('Record to try it on').fill('oxalic');
  await page.getByRole('listbox', { name: 'Record to try it on' }).getByRole('option').first().click();
  await page.getByRole('button', { name: 'Try it' }).last().click();
  await page.getByText('It works. This would be done:').waitFor();
  await shot('routine');
}

await signIn();
await page.getByRole('table').getByRole('link', { name: 'Inspections' }).waitFor();
await shot('home');
await page.goto(`${origin}/w/apiaries/t/hives`);
await page.getByRole('gridcell', { name: 'H-0012', exact: true }).click();
await page.keyboard.press('Space');
await page.getByRole('complementary').getByText('Mean temper').waitFor();
await shot('records');
await page.goto(`${origin}/w/apiaries/t/hives/r/12`);
await page.getByRole('region', { name: 'Inspections' }).getByRole('gridcell').nth(8).waitFor();
await shot('record');
await page.goto(`${origin}/w/apiaries/t/hives/structure`);
// The facts of the fields come one after the other.
await page.getByRole('row').filter({ hasText: 'Kg brought' }).getByText('%').waitFor();
await shot('structure');
await page.goto(`${origin}/w/apiaries/weave`);
await page.locator('[data-table]').filter({ hasText: 'Condition' }).waitFor();
await page.locator('.thread').first().waitFor();
await page.getByRole('button', { name: 'Last seen' }).click();
await page.locator('.strip').waitFor();
await shot('weave');

await page.goto(`${origin}/w/apiaries/people`);
await page.getByLabel('Role of Ida Vale').waitFor();
await page.getByRole('heading', { name: 'Audit trail' }).waitFor();
await shot('people');
await page.goto(`${origin}/w/apiaries/health`);
await page.getByText(/findings? in \d+ tables?/).waitFor();
await shot('health');
await page.goto(`${origin}/w/outreach/history`);
await page.getByRole('row').nth(1).waitFor();
await shot('history');
await gallery();
await german();
await routine();
await summary();
await document();
await transfer();
await forms();
await plan();
await formula();
await intake(page);
await setAside(page);
await browser.close();
server.kill();
await once(server, 'exit');
