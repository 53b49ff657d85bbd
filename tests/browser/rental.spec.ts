import { api, cell, pasteText, signIn } from './person';
import { expect, test, type Page } from './watched';

/**
 * The first hour of a shop that hires out tools: four tables built by hand, filled by keyboard at speed and by paste,
 * changed with data in them, undone. What must stand is worked out here, beside the product, and read through its API.
 */

interface Customer {
  readonly name: string;
  readonly phone: string;
  readonly since: string;
}
interface Tool {
  readonly tag: string;
  readonly kind: string;
  readonly day: number;
  readonly depot: string;
}
interface Hire {
  readonly tool: string;
  readonly customer: string;
  readonly out: string;
  readonly back: string | null;
}

const customers: readonly Customer[] = Array.from({ length: 9 }, (_, n) => ({
  name: `${['Anselm', 'Brida', 'Corin', 'Dilys', 'Edwy', 'Fenella', 'Gareth'][n % 7]} ${n < 7 ? 'Fell' : 'Marsh'}`,
  phone: `0151 ${500 + n}`,
  since: `2025-0${(n % 9) + 1}-1${n % 10}`,
}));
const depots = ['Mill Yard', 'Quay Side', 'Top Barn'];
const kinds = ['Ladder', 'Mixer', 'Saw', 'Tent'];
const tools: readonly Tool[] = Array.from({ length: 24 }, (_, n) => ({
  tag: `T-${String(n + 1).padStart(2, '0')}`,
  // As people write it: twice in other letters.
  kind: n === 5 ? 'mixer ' : n === 9 ? 'MIXER' : (kinds[n % 4] ?? ''),
  day: 4 + (n % 5) * 2.5,
  depot: depots[n % 3] ?? '',
}));
const date = (n: number) => `2026-0${1 + (n % 3)}-${String(1 + ((n * 7) % 27)).padStart(2, '0')}`;
const after = (day: string, days: number) => new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10);
const hires: readonly Hire[] = Array.from({ length: 60 }, (_, n) => {
  const out = date(n);
  return {
    tool: tools[(n * 5) % 24]?.tag ?? '',
    customer: customers[(n * 2) % 9]?.name ?? '',
    out,
    back: n % 12 === 0 ? null : after(out, 1 + (n % 9)),
  };
});
const daysOf = ({ out, back }: Hire): number | null =>
  back === null ? null : (Date.parse(back) - Date.parse(out)) / 86_400_000;
const costOf = (hire: Hire): number | null => {
  const days = daysOf(hire);
  return days === null ? null : days * (tools.find(({ tag }) => tag === hire.tool)?.day ?? 0);
};

const key = 'tool_hire';
interface Row {
  readonly id: number;
  readonly values: Readonly<Record<string, unknown>>;
}
const rows = (page: Page, table: string) =>
  api<{ items: Row[] }>(page, 'GET', `/api/workspaces/${key}/tables/${table}/records?limit=500`).then(
    ({ items }) => items,
  );
const column = async (page: Page, table: string, field: string) =>
  (await rows(page, table)).map(({ values }) => values[field]);
const titleOf = (value: unknown) => (value as { title?: string } | null)?.title ?? null;

async function makeTable(page: Page, name: string, lines: string, look?: { colour: string; icon: string }) {
  await page
    .getByRole('link', { name: 'New table', exact: true })
    .or(page.getByRole('link', { name: '+ table' }))
    .first()
    .click();
  await page.getByLabel('Name', { exact: true }).fill(name);
  if (look) {
    await page.getByRole('radio', { name: look.colour, exact: true }).check();
    await page.getByRole('radio', { name: look.icon, exact: true }).check();
  }
  await page.getByLabel('One field a line').fill(lines);
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByRole('heading', { name, exact: true })).toBeVisible();
}

/** Puts what the field's form says into the plan, sees the plan and applies it. */
async function apply(page: Page, words?: string | RegExp) {
  await page.getByRole('button', { name: /^(Add to the plan|Put the change in the plan)$/ }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  if (words) await expect(page.getByRole('complementary')).toContainText(words);
  await page.getByRole('button', { name: /^Apply (this|these)/ }).click();
  await expect(page.getByRole('complementary', { name: /^Plan/ })).toHaveCount(0);
}

async function openField(page: Page, table: string, field: string) {
  await page.goto(`/w/${key}/t/${table}/structure`);
  await page.getByRole('button', { name: field, exact: true }).click();
}

async function addFormula(page: Page, table: string, label: string, formula: string) {
  await page.goto(`/w/${key}/t/${table}/structure`);
  await page.getByRole('button', { name: 'Add a field' }).click();
  await page.getByLabel('Label').fill(label);
  await page.getByLabel('Type').selectOption('formula');
  await page.locator('.cm-content').click();
  await page.keyboard.type(formula);
  await page.keyboard.press('Escape');
  await apply(page);
}

async function typeRows(page: Page, table: string, lines: readonly (readonly string[])[]) {
  await page.goto(`/w/${key}/t/${table}`);
  await page.getByRole('grid').getByText('new …').click();
  for (const line of lines)
    for (const [at, text] of line.entries()) {
      await page.keyboard.type(text, { delay: 10 });
      await page.keyboard.press(at === line.length - 1 ? 'Enter' : 'Tab');
    }
  await expect.poll(async () => (await rows(page, table)).length).toBe(lines.length);
}

test('the first hour of a shop that hires out tools', async ({ browser }) => {
  test.setTimeout(240_000);
  const page = await signIn(browser, 'ida');
  page.setDefaultTimeout(20_000);
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Tool hire');
  await page.keyboard.press('Enter');
  await makeTable(page, 'Customers', 'Name*\nPhone\nSince: date', { colour: 'pink', icon: 'users' });
  await makeTable(page, 'Tools', 'Tag*\nKind\nDay price: number (EUR)\nDepot', { colour: 'brown', icon: 'hammer' });
  await makeTable(page, 'Hires', 'Tool: link to Tools\nCustomer: link to Customers\nOut: date\nBack: date');

  // Customers by keyboard, the next before the last is saved.
  await typeRows(
    page,
    'customers',
    customers.map(({ name, phone, since }) => [name, phone, since]),
  );
  expect((await rows(page, 'customers')).map(({ values }) => ({ ...values }))).toEqual(
    customers.map((one) => expect.objectContaining({ ...one })),
  );

  // Tools from a spreadsheet, by paste into the row for typing.
  await page.goto(`/w/${key}/t/tools`);
  await page.getByRole('grid').getByText('new …').click();
  await pasteText(
    page,
    tools.map(({ tag, kind, day, depot }) => [tag, kind, String(day).replace('.', ','), depot].join('\t')).join('\r\n'),
  );
  await expect.poll(async () => (await rows(page, 'tools')).length).toBe(24);
  expect(await column(page, 'tools', 'day_price')).toEqual(tools.map(({ day }) => day));
  expect(await column(page, 'tools', 'depot')).toEqual(tools.map(({ depot }) => depot));

  // Their tag is unique, from now on told where it is typed; a price has a least and a greatest.
  await openField(page, 'tools', 'Tag');
  await page.getByLabel('unique', { exact: true }).check();
  await page.getByLabel('Text pattern').fill('T-%');
  await apply(page, 'new rule “Tag must look like T-%.”');
  await openField(page, 'tools', 'Day price');
  await page.getByLabel('Minimum, EUR').fill('1');
  await page.getByLabel('Maximum, EUR').fill('50');
  await apply(page, 'Day price must be between 1 and 50');

  // Hires: the first six typed, with links by their name in small letters; the others pasted. What they are known by,
  // the day, leads.
  await typeRows(
    page,
    'hires',
    hires.slice(0, 6).map(({ tool, customer, out, back }) => [out, tool, customer.toLowerCase(), back ?? '']),
  );
  await pasteText(
    page,
    hires
      .slice(6)
      .map(({ tool, customer, out, back }) => [out, tool, customer, back ?? ''].join('\t'))
      .join('\n'),
  );
  await expect.poll(async () => (await rows(page, 'hires')).length).toBe(60);
  const made = await rows(page, 'hires');
  expect(
    made.map(({ values }) => ({
      tool: titleOf(values.tool),
      customer: titleOf(values.customer),
      out: values.out,
      back: values.back,
    })),
  ).toEqual(hires);

  // What is calculated.
  await addFormula(page, 'hires', 'Days', 'back - out');
  await addFormula(page, 'hires', 'Cost', 'days * tool.day_price');
  await addFormula(page, 'tools', 'Income', 'sum(hires.cost)');
  const income = (tag: string) => {
    const costs = hires.filter(({ tool }) => tool === tag).flatMap((hire) => costOf(hire) ?? []);
    return costs.reduce((sum, cost) => sum + cost, 0);
  };
  expect(await column(page, 'hires', 'cost')).toEqual(hires.map(costOf));
  expect(await column(page, 'tools', 'income')).toEqual(tools.map(({ tag }) => income(tag)));

  // Restructured with the data in it: the kinds become a list without their misspellings, the depots a table that is
  // linked.
  await openField(page, 'tools', 'Kind');
  await page.getByLabel('Type').selectOption('option');
  await expect(page.getByRole('list', { name: 'Options' }).getByRole('textbox')).not.toHaveCount(0);
  for (let join = page.getByRole('button', { name: /^Join/ }); (await join.count()) > 0;) await join.first().click();
  await apply(page);
  const tidy = (kind: string) => kinds.find((one) => one.toLowerCase() === kind.trim().toLowerCase());
  expect(await column(page, 'tools', 'kind')).toEqual(tools.map(({ kind }) => tidy(kind)));
  await makeTable(page, 'Depots', 'Name*');
  await openField(page, 'tools', 'Depot');
  await page.getByLabel('Type').selectOption('link');
  await page.getByLabel('Points at').selectOption({ label: 'Depots' });
  await page.getByLabel('Texts that name no record').selectOption('create');
  await apply(page);
  expect((await column(page, 'tools', 'depot')).map(titleOf)).toEqual(tools.map(({ depot }) => depot));
  expect((await column(page, 'depots', 'name')).sort()).toEqual([...depots].sort());
  expect(await column(page, 'tools', 'income')).toEqual(tools.map(({ tag }) => income(tag)));

  // A copy of a table for next season takes the same entries, and none that breaks its rules.
  await page.goto(`/w/${key}/t/tools/structure`);
  await page.getByRole('button', { name: 'More to do with this table' }).click();
  await page.getByRole('menuitem', { name: 'Copy the table' }).click();
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Tools copy');
  await expect(
    page.getByText('Not copied are Hires, Income: they come from links of other tables to Tools.'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByRole('heading', { name: 'Tools copy', exact: true })).toBeVisible();
  await expect(page.getByText('Tag must look like T-%.')).toBeVisible();

  // Undone one after the other: each value in the grid by Ctrl+Z, the structure from History.
  await page.goto(`/w/${key}/t/tools`);
  await (await cell(page, 'T-02', 'Day price')).click();
  await page.keyboard.type('40');
  await page.keyboard.press('Enter');
  await expect(await cell(page, 'T-02', 'Day price')).toContainText('40');
  await expect.poll(() => column(page, 'tools', 'income')).not.toEqual(tools.map(({ tag }) => income(tag)));
  await page.keyboard.press('Control+z');
  await expect.poll(() => column(page, 'tools', 'income')).toEqual(tools.map(({ tag }) => income(tag)));
  await page.goto(`/w/${key}/history`);
  const undoLatest = async (words: RegExp) => {
    await page.getByRole('row', { name: words }).first().getByRole('button', { name: 'Undo', exact: true }).click();
    await page.getByRole('button', { name: 'Undo this' }).click();
    await expect(page.getByRole('complementary')).toHaveCount(0);
  };
  await undoLatest(/Tools copy/);
  await undoLatest(/Tools\.Depot/);
  await expect.poll(() => column(page, 'tools', 'depot')).toEqual(tools.map(({ depot }) => depot));
  await undoLatest(/Tools\.Kind/);
  await expect.poll(() => column(page, 'tools', 'kind')).toEqual(tools.map(({ kind }) => kind.trim()));
  expect(await column(page, 'hires', 'cost')).toEqual(hires.map(costOf));
  await page.close();
});
