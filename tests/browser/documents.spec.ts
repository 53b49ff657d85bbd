import { readFileSync } from 'node:fs';
import { getDocument as readPdf } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { Download } from '@playwright/test';
import { expect, test, type Page } from './watched';
import { accessible } from './accessible';
import { origin, signIn } from './person';

/** The words of a saved PDF, a page each. */
async function pagesOf(download: Download): Promise<string[]> {
  const loading = readPdf({ data: new Uint8Array(readFileSync(await download.path())), verbosity: 0 });
  const pdf = await loading.promise;
  const pages: string[] = [];
  for (let number = 1; number <= pdf.numPages; number++) {
    const { items } = await (await pdf.getPage(number)).getTextContent();
    pages.push(
      items
        .map((item) => ('str' in item ? item.str : ''))
        .join(' ')
        .replaceAll(/\s+/g, ' '),
    );
  }
  await loading.destroy();
  return pages;
}

const made = async (page: Page): Promise<Download> => {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Make and save' }).click(),
  ]);
  await expect(page.getByText(/the file is saved/)).toBeVisible();
  return download;
};

test('a document is written as on paper, tried beside it, saved, and made for chosen records', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/honey/t/lots/documents');
  await expect(page.getByText('No document yet.')).toBeVisible();
  await page.getByRole('link', { name: 'New document' }).click();
  // It begins with its name.
  await expect(page.getByLabel('Name', { exact: true })).toBeFocused();
  await page.keyboard.type('Lot sheet');
  const tried = page.frameLocator('iframe[title="The document with its values"]');
  const paper = page.getByRole('textbox', { name: 'Page', exact: true });
  await paper.click();
  await page.getByLabel('Kind of text').selectOption('Heading 1');
  await paper.focus();
  await page.keyboard.type('Lot ');
  await page.getByLabel('Put a field here').selectOption({ label: 'Number' });
  await expect(tried.getByRole('heading', { name: /^Lot LOT-2026-\d+$/ })).toBeVisible();
  // A table with a row for each harvest, and their sum.
  await page.keyboard.press('Enter');
  await page.getByLabel('Put something else here').selectOption('Table');
  await page.keyboard.type('Day');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Kg');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Tab');
  await page.getByLabel('Repeated for').selectOption('Harvests');
  await page.getByLabel('Put a field here').selectOption({ label: 'Day' });
  await page.keyboard.press('Tab');
  await page.getByLabel('Put a field here').selectOption({ label: 'Kg' });
  await expect(page.getByLabel('Put a field here')).toContainText('+ field of Harvests');
  await expect(tried.getByRole('row').nth(3)).toContainText(/\d{4}.*kg/);
  await page.getByLabel('In the order of').selectOption('Day, greatest first');
  await expect(page.getByText('for each').or(page.locator('tr.repeated')).first()).toBeVisible();
  // The foot of each page.
  await page.getByRole('textbox', { name: 'Footer of each page' }).click();
  await page.keyboard.type('page ');
  await page.getByLabel('Put something else here').selectOption('Page number');
  // In the frame beside it nothing runs, axe neither: it is looked at without.
  await page.keyboard.press('Alt+v');
  await accessible(page, 'a document while it is designed');
  await page.keyboard.press('Alt+v');
  await page.keyboard.press('Alt+v');
  await page.keyboard.press('Control+s');
  await expect(page.getByText('“Lot sheet” is saved.')).toBeVisible();
  await page.waitForURL(/documents\/a_/);
  await expect(page.getByRole('button', { name: 'Saved' })).toBeDisabled();
  // What is written further is kept by the page until it is saved, also when the structure is read anew.
  await paper.getByText('Lot').first().click();
  await page.keyboard.press('End');
  await page.keyboard.type(' of the year');
  await page.request.patch(`${origin()}/api/workspaces/honey/tables/lots/documents/${page.url().split('/').at(-1)}`, {
    data: { document: { description: 'What went into a lot' } },
  });
  await page.keyboard.type(' 2026');
  await expect(paper).toContainText('of the year 2026');
  await page.keyboard.press('Control+s');
  await expect(page.getByText(/Somebody else saved/)).toBeVisible();
  page.once('dialog', (dialog) => void dialog.accept());
  await page.reload();
  await expect(paper).not.toContainText('of the year');

  // From the grid, for two of them.
  await page.goto('/w/honey/t/lots');
  await page.getByRole('gridcell').first().click();
  await page.keyboard.press('Shift+ArrowDown');
  await page.getByRole('button', { name: 'Make a document' }).click();
  await expect(page.getByText('for the 2 selected records')).toBeVisible();
  await page.getByRole('menuitem', { name: 'Lot sheet' }).first().click();
  await expect(page.getByText('For the 2 records that you chose.')).toBeVisible();
  await accessible(page, 'a document being made');
  const pages = await pagesOf(await made(page));
  expect(pages.filter((one) => /Lot LOT-2026-\d+/.test(one)).length).toBe(2);
  for (const one of pages) expect(one).toMatch(/Day Kg/);
  await page.getByRole('radio', { name: /Text document/ }).check();
  const docx = await made(page);
  expect(docx.suggestedFilename()).toBe('Lot sheet.docx');
  expect(
    readFileSync(await docx.path())
      .subarray(0, 2)
      .toString(),
  ).toBe('PK');
  await page.goto('/w/honey/t/lots/documents');
  await page.getByRole('link', { name: 'Design Lot sheet' }).click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByText('No document yet.')).toBeVisible();
  await page.close();
});

test('labels of all hives; who only reads makes one of a record', async ({ browser }) => {
  const ida = await signIn(browser, 'ida');
  await ida.goto('/w/apiaries/t/hives/documents');
  await ida.getByRole('link', { name: 'Make Hive labels' }).click();
  await expect(ida.getByText('For all 240 records of Hives.')).toBeVisible();
  await expect(ida.getByText('10 sheets of 24 labels')).toBeVisible();
  await ida.getByLabel('Labels already used on the first sheet').fill('20');
  await expect(ida.getByText('11 sheets of 24 labels')).toBeVisible();
  const pages = await pagesOf(await made(ida));
  expect(pages.length).toBe(11);
  expect(pages.join(' ').match(/H-\d{4}/g)?.length).toBe(240);

  const pell = await signIn(browser, 'pell');
  await pell.goto('/w/apiaries/t/hives/documents');
  await expect(pell.getByRole('link', { name: 'Make Hive labels' })).toBeVisible();
  await expect(pell.getByRole('link', { name: /^Design/ })).toHaveCount(0);
  // Nor by its address.
  await ida.goto('/w/apiaries/t/hives/documents');
  await ida.getByRole('link', { name: 'Design Hive labels' }).click();
  await ida.waitForURL(/documents\/a_/);
  await pell.goto(new URL(ida.url()).pathname);
  await expect(pell.getByText(/are designed by those who may change its structure/)).toBeVisible();
  await expect(pell.getByRole('button', { name: 'Delete' })).toHaveCount(0);
  await ida.close();
  await pell.goto(`/w/apiaries/t/hives/r/17`);
  await pell.getByRole('button', { name: /^What can be done with/ }).click();
  await pell.getByRole('menuitem', { name: 'Make “Hive labels”' }).click();
  expect((await pagesOf(await made(pell))).map((one) => one.match(/H-\d{4}/)?.[0])).toEqual(['H-0017']);
  await pell.close();
});

test('what is left without being saved is found again, and what others rename is followed', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  const places: readonly [address: string, name: string | RegExp, away: string][] = [
    ['/w/honey/t/lots/documents/new', 'Name', 'Records'],
    ['/w/honey/t/lots/forms/new?for=inside', 'Name, which is its heading', 'Records'],
    ['/w/honey/routines/new?table=lots', 'Name of the routine', 'Summaries'],
    ['/w/honey/summaries/new', 'Name of the summary', 'Routines'],
  ];
  for (const [address, name, away] of places) {
    await page.goto(address);
    const field = page.getByLabel(name, { exact: true }).first();
    await field.fill('Half done');
    await page.getByRole('link', { name: away, exact: true }).first().click();
    await expect(field).toHaveCount(0);
    await page.goBack();
    await expect(page.getByText('What you changed here before is not saved yet.')).toBeVisible();
    await expect(field).toHaveValue('Half done');
    await page.getByRole('button', { name: 'Discard it' }).click();
    await expect(field).not.toHaveValue('Half done');
  }
  // A design that is open follows a field that is called otherwise now, and can be saved.
  const headers = { origin: origin() };
  const body = [{ type: 'paragraph', content: [{ type: 'field', attrs: { formula: 'kind' } }] }];
  const documents = '/api/workspaces/honey/tables/lots/documents';
  const made = await page.request.post(documents, { data: { document: { label: 'Kinds', body } }, headers });
  const { id } = (await made.json()) as { id: string };
  await page.goto(`/w/honey/t/lots/documents/${id}`);
  const paper = page.getByRole('textbox', { name: 'Page', exact: true });
  await expect(paper).toContainText('Kind');
  const set = async (label: string, key: string, was: string) => {
    const changes = [{ do: 'changeField', table: 'lots', field: was, set: { label, key } }];
    const plan = await page.request.post('/api/workspaces/honey/plans', { data: { changes }, headers });
    const { id: number } = (await plan.json()) as { id: number };
    expect((await page.request.post(`/api/workspaces/honey/plans/${number}/apply`, { data: {}, headers })).ok()).toBe(
      true,
    );
  };
  await set('Sort of honey', 'sort', 'kind');
  await expect(paper).toContainText('Sort of honey');
  await paper.click();
  await page.keyboard.press('End');
  await page.keyboard.type(' it is');
  await page.keyboard.press('Control+s');
  await expect(page.getByText('“Kinds” is saved.')).toBeVisible();
  await set('Kind', 'kind', 'sort');
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByText('No document yet.')).toBeVisible();
  await page.close();
});
