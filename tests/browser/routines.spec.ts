import { accessible } from './accessible';
import { cell, signIn } from './person';
import { expect, test } from './watched';

test('a routine is built by choosing, tried, and switched on; it runs as one types; its run is looked at, and undone with the edit', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/w/honey/routines');
  await page.getByRole('link', { name: 'Close the lot' }).waitFor();
  await accessible(page, 'routines');
  await page.getByLabel('New routine for').selectOption({ label: 'Lots' });
  await page.getByLabel('Name of the routine').fill('Sample of a lot');
  await page.getByRole('button', { name: '+ condition' }).first().click();
  await page.getByRole('button', { name: '+ condition' }).first().click();
  await page.getByLabel('Field', { exact: true }).selectOption({ label: 'Kind' });
  await page.getByLabel('Compared with').selectOption('linden');
  await page.getByLabel('Add a step').selectOption({ label: 'Set fields' });
  await page.getByLabel('Fields to set: one more field').selectOption({ label: 'Price per kg' });
  await page.getByRole('combobox', { name: 'Price per kg', exact: true }).selectOption({ label: 'this value:' });
  await page.getByLabel('Price per kg: value').fill('12.50');
  await page.keyboard.press('Tab');
  await page.getByLabel('Add another step').selectOption({ label: 'Make a record' });
  await page.getByLabel('in the table').selectOption({ label: 'Movements' });
  const more = page.getByLabel('Fields of the new record: one more field');
  const values = {
    Lot: 'this record of Lots',
    Kind: 'sample',
    Day: 'today',
  };
  for (const [field, value] of Object.entries(values)) {
    await more.selectOption({ label: field });
    await page.getByRole('combobox', { name: field, exact: true }).selectOption({ label: value });
  }
  await more.selectOption({ label: 'Kg' });
  // What is not finished says so where it is.
  await expect(page.getByRole('listitem', { name: 'Step 2: Make a record' }).getByRole('status')).toBeVisible();
  await page.getByRole('combobox', { name: 'Kg', exact: true }).selectOption({ label: 'by a formula' });
  await page.getByRole('textbox', { name: 'Kg: formula' }).click();
  await page.keyboard.type('1 / 4.0');
  await page.getByLabel('Add another step').selectOption({ label: 'Write a message' });
  await page.getByLabel('One more recipient').selectOption({ label: 'an address' });
  await page.getByLabel('Addresses').fill('office@alderfold.example');
  await page.getByLabel('Subject', { exact: true }).fill('New: ');
  await page.getByLabel('Put a field into Subject').selectOption({ label: 'Number' });
  await page.getByLabel('Put a field into Text of the message').selectOption({ label: 'New Movements › Kg' });
  await expect(
    page.getByText(
      "When a record of Lots is made, if kind is 'linden': set Price per kg to 12.5; then make a record of Movements with " +
        'Lot to this record, Kind to “sample”, Day to today, Kg to 1 divided by 4; then write to ' +
        '“office@alderfold.example”: “New: {number}”.',
    ),
  ).toBeVisible();
  await accessible(page, 'a routine');
  // The last step first, and back, by keyboard.
  await page.getByRole('listitem', { name: 'Step 3: Write a message' }).focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(page.getByRole('listitem', { name: 'Step 3: Make a record' })).toBeVisible();
  await page.keyboard.press('Alt+ArrowDown');
  await expect(page.getByRole('button', { name: 'Switch on' })).toBeDisabled();
  const record = page.getByLabel('Record to try it on');
  await record.fill('LOT-2026-001');
  await page.getByRole('option', { name: 'LOT-2026-001' }).click();
  await page.getByRole('button', { name: 'Try it' }).last().click();
  await expect(page.getByText('does not meet the condition').or(page.getByText('It works'))).toBeVisible();
  if (await page.getByText('does not meet the condition').isVisible()) {
    const linden = await page.request.get(
      "/api/workspaces/honey/tables/lots/records?filter=kind = 'linden'&fields=number",
    );
    const { items } = (await linden.json()) as { items: { values: { number: string } }[] };
    await record.fill(items[0]?.values.number ?? '');
    await page.getByRole('option', { name: items[0]?.values.number }).click();
    await page.getByRole('button', { name: 'Try it' }).last().click();
  }
  await expect(page.getByText('It works. This would be done:')).toBeVisible();
  await expect(page.getByText(/^0\.25/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Switch on' }).click();
  await expect(page.getByText('“Sample of a lot” is saved and on.')).toBeVisible();
  // Off, and on again as it was tried; what does something else is tried first.
  await page.getByRole('button', { name: 'Switch off' }).click();
  await expect(page.getByText('“Sample of a lot” is saved; it is off.')).toBeVisible();
  await page.getByRole('button', { name: 'Switch on' }).click();
  await expect(page.getByRole('button', { name: 'Switch off' })).toBeVisible();
  await page.getByLabel('Subject', { exact: true }).fill('A new lot');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('It does not run: not tried yet.')).toBeVisible();
  await record.fill('LOT-2026-003');
  await page.getByRole('option', { name: 'LOT-2026-003' }).click();
  await page.getByRole('button', { name: 'Try it' }).last().click();
  await expect(page.getByText('It works. This would be done:')).toBeVisible();
  await expect(page.getByText('It does not run: not tried yet.')).toHaveCount(0);

  // Somebody enters a lot.
  const wren = await signIn(browser, 'wren');
  await wren.goto('/w/honey/t/lots?columns=number,kind,price_per_kg&takesNew=no');
  await wren.getByRole('button', { name: 'New record' }).click();
  await wren.getByRole('complementary').getByRole('combobox', { name: 'Kind' }).click();
  await wren.keyboard.type('linden');
  await wren.getByRole('option', { name: 'linden' }).click();
  await wren.getByRole('button', { name: 'Save the record' }).click();
  await expect(wren.getByText('Record made.')).toBeVisible();
  await expect(wren.getByText('12.50').first()).toBeVisible();
  const made = (await (
    await wren.request.get('/api/workspaces/honey/tables/lots/records?filter=price_per_kg = 12.5&sort=-number')
  ).json()) as { items: { id: number; values: { number: string } }[] };
  const [lot] = made.items;

  // From the record to the run, and back.
  await page.goto(`/w/honey/t/lots/r/${lot?.id ?? 0}`);
  await page.getByRole('button', { name: 'History of this record' }).click();
  await expect(page.getByText('by the routine “Sample of a lot”')).toBeVisible();
  await page.getByRole('link', { name: 'see the run' }).click();
  await page.getByRole('button', { name: /Sample of a lot/ }).click();
  await expect(page.getByText('make a record of Movements with')).toBeVisible();
  await accessible(page, 'runs');
  await page
    .getByRole('link', { name: `Lots #${lot?.id ?? 0}` })
    .first()
    .click();
  await page.waitForURL(`**/t/lots/r/${lot?.id ?? 0}`);

  // Weave and the impact of a field know who writes it.
  await page.goto('/w/honey/weave');
  await page.getByRole('button', { name: 'As a list' }).click();
  await expect(page.getByText('Price per kg: written by the routine “Sample of a lot” of Lots')).toBeVisible();

  // Undone with all that the routine did.
  await page.goto('/w/honey/history');
  const row = page.getByRole('row').filter({ hasText: '1 record made in Lots' }).first();
  await row.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo this' }).click();
  await expect(page.getByText('Undone: 1 record made in Lots.')).toBeVisible();
  const left = await page.request.get(
    `/api/workspaces/honey/tables/movements/records?filter=kind = 'sample' and kg = 0.25`,
  );
  expect(((await left.json()) as { items: object[] }).items).toEqual([]);
});

test('a button asks, for a record and for a selection; messages are refused, sent again, and read in the Outbox', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  await page.goto('/outbox');
  await page.getByRole('button', { name: /Thank you for telling us of the swarm to ada\.thwaite@/ }).click();
  await expect(page.getByText('A keeper near you comes within the day.')).toBeVisible();
  await page.getByRole('button', { name: 'Headers' }).click();
  await expect(page.getByText('ada.thwaite@alderfold.example', { exact: true })).toBeVisible();
  await accessible(page, 'outbox');
  await page.getByLabel('this mail service').selectOption({ label: 'refuses messages' });
  await expect(page.getByText('It refuses messages now')).toBeVisible();

  // By somebody who manages no routines, on a record.
  const tom = await signIn(browser, 'tom');
  await tom.goto('/w/honey/t/lots?columns=number,kg_left&takesNew=no&sort=number');
  await (await cell(tom, 'LOT-2026-002', 'Number')).click();
  await tom.keyboard.press('Space');
  await tom.getByRole('button', { name: 'Close the lot …' }).click();
  const dialog = tom.getByRole('dialog');
  await dialog.getByLabel('Reason').fill('sold out');
  await accessible(tom, 'what a button asks');
  await tom.keyboard.press('Enter');
  await expect(tom.getByText('“Close the lot” is done for 1 record.')).toBeVisible();
  await expect(await cell(tom, 'LOT-2026-002', 'Kg left')).toContainText(/^0/);

  // For three at once, then undone at once.
  await (await cell(tom, 'LOT-2026-004', 'Number')).click();
  await tom.keyboard.press('Shift+ArrowDown');
  await tom.keyboard.press('Shift+ArrowDown');
  await tom.getByRole('button', { name: 'Run for the selected records' }).click();
  await tom.getByRole('menuitem', { name: 'Close the lot …' }).click();
  await expect(dialog.getByText('for 3 records')).toBeVisible();
  await dialog.getByLabel('Reason').fill('spoiled');
  await dialog.getByRole('button', { name: 'Run it' }).click();
  await expect(tom.getByText('“Close the lot” is done for 3 records.')).toBeVisible();
  await tom.getByRole('button', { name: 'Undo' }).last().click();
  await expect(tom.getByText('Undone.', { exact: true })).toBeVisible();

  // Refused so far; taken once the service takes messages, and sent again by hand.
  await page.goto('/w/honey/routines/sent');
  const message = page.getByRole('listitem').filter({ hasText: 'LOT-2026-002 is closed' });
  await expect(message.getByText('waiting')).toBeVisible();
  await expect(message.getByText('does not take messages just now')).toBeVisible();
  await accessible(page, 'sent');
  await page.goto('/outbox');
  await page.getByLabel('this mail service').selectOption({ label: 'takes messages' });
  await page.goto('/w/honey/routines/sent');
  await message.getByRole('button', { name: /Send/ }).click();
  await expect(message.getByText('sent', { exact: true })).toBeVisible();
  await page.goto('/outbox');
  await page.getByLabel('Search the messages').fill('LOT-2026-002');
  await expect(page.getByRole('button', { name: /LOT-2026-002 is closed/ })).toBeVisible();
  await expect(page.getByRole('button', { name: /Thank you for telling us/ })).toHaveCount(0);
  await page.getByRole('button', { name: /LOT-2026-002 is closed/ }).click();
  await expect(page.getByText('Reason: sold out')).toBeVisible();
});
