import { expect, test, type Page } from './watched';
import { cell, origin, signIn } from './person';

/** Every table of the cooperative as a person types it: a name, and its fields one a line. */
const model: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'Valley',
    [
      [
        'Keepers',
        'Code*\nName*\nVillage\nEmail: email\nPhone: phone\nJoined: date\nMentor: link to Keepers (Looks after)',
      ],
      ['Plants', 'Name*\nFlowers from: date\nFlowers to: date'],
      [
        'Apiaries',
        'Name*\nPlace: place\nLand owner\nSteward: link to Keepers (Steward of)\nForage: links to Plants (Apiaries)',
      ],
      ['Stands', 'Code*\nApiary: link to Apiaries\nShade: option (full sun, half, shade)'],
      [
        'Queens',
        'Mark: running number (Q-{000})\nMother: link to Queens (Daughters)\nBorn on: date\nLine: option (valley, fell, …)\nTemper: rating',
      ],
      [
        'Hives',
        'Number: running number (H-{0000})\nType: option (long hive, ten-frame)\nApiary: link to Apiaries\nKeeper: link to Keepers\nStand: link to Stands\nQueen: link to Queens (Hive)',
      ],
      [
        'Inspections',
        'Day*: date\nHive: link to Hives\nKeeper: link to Keepers (Visits)\nFrames of brood: whole\nStores: progress\nSeen: options (queen, eggs, cups, …)\nTemper: rating\nPicture: pictures\nNotes: markdown\nNext due: = day + 14',
      ],
      [
        'Mite counts',
        'Day*: date\nHive: link to Hives\nMethod: option (wash, board)\nBees sampled: whole\nMites: whole\nRate: = round(mites / bees_sampled, 4)',
      ],
      [
        'Treatments',
        'Product: option (thymol, oxalic drip)\nBegins*: date\nEnds: date\nHive: link to Hives\nWait until: = ends + 14',
      ],
    ],
  ],
  [
    'Valley honey',
    [
      ['Lots', 'Number: running number (LOT-{year}-{000})\nKind: option (blossom, heather)\nPrice per kg: money (EUR)'],
      ['Harvests', 'Day*: date\nHive: link to valley.hives\nLot: link to Lots\nKg: number (kg)\nMoisture: percent'],
      [
        'Movements',
        "Day*: date\nLot: link to Lots\nKind: option (extraction, filling, sample, loss)\nKg: number (kg)\nSigned kg: = case kind when 'extraction' then kg else -kg end",
      ],
      ['Market days', 'Day*: date\nVillage\nStall keeper: link to valley.keepers\nWeather: option (sun, rain)'],
      [
        'Sales lines',
        "Market day: link to Market days (Lines)\nLot: link to Lots (Sales)\nJar: option (small, large)\nJars: whole\nPrice each: = case jar when 'small' then 0.125 else 0.5 end * lot.price_per_kg\nAmount: = jars * price_each",
      ],
    ],
  ],
  [
    'Valley outreach',
    [
      [
        'Swarm reports',
        'Place: place\nSeen at: date and time\nSize: option (fist, melon, basket)\nPicture: picture\nReporter’s phone: phone\nTaken by: link to valley.keepers (Swarms taken)\nState: option (seen, taken, gone)',
      ],
    ],
  ],
];

async function makeWorkspace(page: Page, name: string, tables: readonly (readonly [string, string])[]) {
  await page.goto('/');
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill(name);
  await page.keyboard.press('Enter');
  for (const [label, lines] of tables) {
    await page
      .getByRole('link', { name: 'New table' })
      .or(page.getByRole('link', { name: '+ table' }))
      .first()
      .click();
    await page.getByLabel('Name', { exact: true }).fill(label);
    await page.getByLabel('One field a line').fill(lines);
    await page.getByRole('button', { name: 'Make the table' }).click();
    await expect(page.getByRole('heading', { name: label, exact: true })).toBeVisible();
  }
}

/** Pastes more fields into the structure that is open, sees the plan, and applies it. */
async function addFields(page: Page, path: string, lines: string) {
  await page.goto(path);
  await expect(page.getByRole('button', { name: 'Add a field' })).toBeVisible();
  await page.keyboard.press('Alt+v');
  await page.getByLabel('One field a line').fill(lines);
  await page.getByRole('button', { name: /^Add \d+ fields? to the plan/ }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: /^Apply (this change|these)/ }).click();
  await expect(page.getByRole('status').getByText(/^Done/).first()).toBeVisible();
}

/** Fills a new record, the fields in the order in which they stand. */
async function enter(page: Page, path: string, values: readonly string[], shown: string) {
  await page.goto(path);
  await expect(page.getByRole('button', { name: 'New record' })).toBeVisible();
  await page.keyboard.press('Alt+n');
  await expect(page.getByRole('complementary')).toBeVisible();
  for (const value of values) {
    if (value !== '') await page.keyboard.type(value);
    await page.keyboard.press('Tab');
  }
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('gridcell', { name: shown }).first()).toBeVisible();
}

test('the whole cooperative is built by hand in three workspaces, and calculates across them', async ({ browser }) => {
  const page = await signIn(browser, 'ida');
  // A second try has workspaces of its own.
  const tried = test.info().retry;
  const [mark, key] = tried === 0 ? ['', ''] : [` ${tried}`, `_${tried}`];
  for (const [name, tables] of model)
    await makeWorkspace(
      page,
      name + mark,
      tables.map(([label, lines]) => [label, lines.replaceAll('valley.', `valley${key}.`)] as const),
    );
  await addFields(
    page,
    `/w/valley${key}/t/hives/structure`,
    'Last inspected: = max(inspections.day)\nMite rate: = avg(mite_counts.rate)\nKg brought: = sum(harvests.kg)',
  );
  await addFields(page, `/w/valley${key}/t/keepers/structure`, 'Kg this year: = sum(hives.kg_brought)');
  await addFields(
    page,
    `/w/valley${key}/t/apiaries/structure`,
    'Hives in use: = count(hives)\nLast inspection: = max(hives.last_inspected)',
  );
  await addFields(
    page,
    `/w/valley_honey${key}/t/lots/structure`,
    'Kg in: = sum(harvests.kg)\nKg left: = sum(movements.signed_kg)',
  );
  await addFields(page, `/w/valley_honey${key}/t/market_days/structure`, 'Takings: = sum(lines.amount)');
  await page.goto(`/w/valley${key}/weave`);
  await expect(page.getByText(/12 tables · \d+ links/)).toBeVisible();

  // A stand is offered only where its apiary is the hive's; a sum reaches from the honey to the keeper.
  await page.goto(`/w/valley${key}/t/hives/structure`);
  await page.getByRole('button', { name: 'Stand', exact: true }).click();
  await page.getByRole('textbox', { name: 'Only records for which' }).fill('stand.apiary = apiary');
  await expect(page.getByText('gives a yes/no')).toBeVisible();
  await page.getByRole('button', { name: 'Put the change in the plan' }).click();
  await page.getByRole('button', { name: 'See the plan' }).click();
  await page.getByRole('button', { name: /^Apply this change/ }).click();
  await expect(page.getByRole('status').getByText(/^Done/).first()).toBeVisible();

  const api = page.request;
  const make = async (workspace: string, table: string, values: object) => {
    const answer = await api.post(`${origin()}/api/workspaces/${workspace}/tables/${table}/records`, {
      data: { records: [{ values }] },
    });
    expect(answer.ok(), `${table}: ${await answer.text()}`).toBe(true);
    return ((await answer.json()) as { records: { id: number }[] }).records[0]?.id ?? 0;
  };
  const [low, high] = [
    await make(`valley${key}`, 'apiaries', { name: 'Low Field' }),
    await make(`valley${key}`, 'apiaries', { name: 'High Field' }),
  ];
  const nearby = await make(`valley${key}`, 'stands', { code: 'LF-1', apiary: low });
  const far = await make(`valley${key}`, 'stands', { code: 'HF-1', apiary: high });
  const keeper = await make(`valley${key}`, 'keepers', { code: 'K-001', name: 'Ida Vale' });
  const hive = await make(`valley${key}`, 'hives', { apiary: low, keeper, stand: nearby });
  const wrong = await api.patch(`${origin()}/api/workspaces/valley${key}/tables/hives/records`, {
    data: { records: [{ id: hive, values: { stand: far } }] },
  });
  expect(wrong.status()).toBe(422);
  await enter(
    page,
    `/w/valley${key}/t/inspections`,
    ['2026-05-04', 'H-0001', 'Ida Vale', '6', '40', 'eggs'],
    '2026-05-04',
  );
  await expect(await cell(page, '2026-05-04', 'Hive')).toHaveText('H-0001');
  await expect(await cell(page, '2026-05-04', 'Next due')).toHaveText('2026-05-18');
  await enter(page, `/w/valley_honey${key}/t/harvests`, ['2026-07-02', 'H-0001', '', '12.5', '17'], '2026-07-02');
  await page.goto(`/w/valley${key}/t/keepers`);
  await expect(await cell(page, 'Ida Vale', 'Kg this year')).toHaveText('12.5 kg');
  await page.goto(`/w/valley${key}/t/apiaries`);
  await expect(await cell(page, 'Low Field', 'Last inspection')).toHaveText('2026-05-04');
  await page.close();
});

test('a structure is carried to another workspace as a file: shown as a plan, applied, and undone', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  const exported = await page.request.get(`${origin()}/api/workspaces/honey/export?format=structure`);
  expect(exported.ok()).toBe(true);
  await page.getByRole('button', { name: 'New workspace' }).click();
  await page.getByLabel('Name of the workspace').fill('Second honey');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'From a structure' })).toBeVisible();
  await page
    .getByLabel('Structure to build')
    .setInputFiles({ name: 'broken.json', mimeType: 'application/json', buffer: Buffer.from('{"tables": [') });
  await expect(page.getByText('broken.json is no JSON.')).toBeVisible();
  await page
    .getByLabel('Structure to build')
    .setInputFiles({ name: 'honey.json', mimeType: 'application/json', buffer: await exported.body() });
  await expect(page.getByRole('complementary')).toContainText('new table Lots');
  await page.getByRole('button', { name: /^Apply (this change|these)/ }).click();
  await expect(page.getByText('The structure of honey.json stands.')).toBeVisible();
  await expect(
    page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Sales lines' }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).last().click();
  await expect(
    page.getByRole('navigation', { name: 'Workspace' }).getByRole('link', { name: 'Sales lines' }),
  ).toHaveCount(0);
  await page.close();
});
