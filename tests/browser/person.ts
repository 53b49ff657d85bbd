import { expect, origin, watch, type Browser, type Locator, type Page } from './watched';

export { origin };

/** A page on which one of the demo's people is signed in. */
export async function signIn(
  browser: Browser,
  name: 'ida' | 'tom' | 'wren' | 'pell',
  options: Parameters<Browser['newContext']>[0] = {},
): Promise<Page> {
  const context = await browser.newContext({ baseURL: origin(), ...options });
  watch(context);
  // A browser says with each change from where it is; what is called beside its pages says the same, unless a test says
  // otherwise.
  const { request } = context;
  for (const method of ['post', 'put', 'patch', 'delete'] as const) {
    const send = request[method].bind(request);
    request[method] = (url, asked = {}) => send(url, { ...asked, headers: { origin: origin(), ...asked.headers } });
  }
  const page = await context.newPage();
  await page.goto('/sign-in');
  // Whatever language the browser asks for.
  await page.locator('[name=email]').fill(`${name}@alderfold.example`);
  await page.locator('[name=password]').fill('meadow-and-fell');
  await page.keyboard.press('Enter');
  await page.waitForURL(`${options.baseURL ?? origin()}/`);
  return page;
}

/**
 * The cell of a record (by its title) in a column (by its label); only columns in sight are drawn, so it is brought
 * there.
 */
export async function cell(page: Page, record: string, column: string) {
  const grid = page.getByRole('grid');
  await grid.getByRole('gridcell').first().waitFor();
  const heads = await grid.getByRole('columnheader').locator('.label').allInnerTexts();
  const at = heads.findIndex((text) => text.replace(/ [↑↓]$/, '') === column);
  expect(at, `${column} among ${heads.join(', ')}`).toBeGreaterThanOrEqual(0);
  await grid
    .getByRole('columnheader')
    .nth(at)
    .evaluate((head) => {
      const scroller = head.closest('[role=grid]');
      if (scroller && !head.closest('.still'))
        scroller.scrollLeft = Math.max(0, (head as HTMLElement).offsetLeft - scroller.clientWidth / 2);
    });
  const row = page.getByRole('row').filter({
    has: page
      .locator('[role=gridcell].title')
      .filter({ hasText: new RegExp(`^\\s*${record.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\s*$`) }),
  });
  return row.locator(`[role=gridcell][aria-colindex="${at + 1}"]`);
}

/**
 * Drags as a hand does, which stays over the place for a moment before it lets go: what takes a drag learns of it while
 * one moves.
 */
export async function drag(from: Locator, to: Locator, place = { x: 30, y: 30 }): Promise<void> {
  const page = from.page();
  await to.scrollIntoViewIfNeeded();
  await from.hover();
  await page.mouse.down();
  for (let move = 0; move < 3; move++) {
    // By its place: what drags puts a thing of its own under the pointer.
    const { x, y } = (await to.boundingBox()) ?? { x: 0, y: 0 };
    await page.mouse.move(x + place.x, y + place.y + (move % 2));
    await page.waitForTimeout(50);
  }
  await page.mouse.up();
}

/** Calls the API as the page's person, and gives the answer; anything that is no success fails the test. */
export async function api<T>(page: Page, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await page.evaluate(
    async ([how, where, what]) => {
      const response = await fetch(where, {
        method: how,
        headers: { 'content-type': 'application/json' },
        body: what === undefined ? undefined : JSON.stringify(what),
      });
      return { status: response.status, json: (await response.json()) as unknown };
    },
    [method, path, body] as const,
  );
  expect(answer.status, `${method} ${path}: ${JSON.stringify(answer.json)}`).toBeLessThan(300);
  return answer.json as T;
}

/** Changes the structure of a workspace by the API. */
export async function change(page: Page, workspace: string, ...changes: unknown[]): Promise<void> {
  const plan = await api<{ id: number; possible: boolean }>(page, 'POST', `/api/workspaces/${workspace}/plans`, {
    changes,
  });
  expect(plan.possible, JSON.stringify(plan)).toBe(true);
  await api(page, 'POST', `/api/workspaces/${workspace}/plans/${plan.id}/apply`, {});
}

/** Pastes a text where the focus is, as Ctrl+V does. */
export const pasteText = (page: Page, text: string) =>
  page.evaluate((given) => {
    const data = new DataTransfer();
    data.setData('text/plain', given);
    document.activeElement?.dispatchEvent(
      new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }),
    );
  }, text);
