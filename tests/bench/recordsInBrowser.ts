import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { launchChromium } from '../../demo/browser';
import { hashPassword } from '../../src/lib/server/access/signIn';
import type { Pool } from '../../src/lib/server/database/pool';
import { figure, median, quantile, type Figure } from './measure';

const password = 'bench-and-fell';

/** The grid over a million records in a real browser: opening, scrolling, editing, and what is sent for it. */
export async function* openedGrid(origin: string, key: string, email: string, pool: Pool): AsyncGenerator<Figure> {
  await pool.query('update loom.people set password_hash = $1 where email = $2', [await hashPassword(password), email]);
  const browser = await launchChromium();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(`${origin}/sign-in`);
    await page.getByLabel('Email').fill(email);
    await page.getByLabel('Password').fill(password);
    await page.keyboard.press('Enter');
    await page.waitForURL(`${origin}/`);
    const opened = async (path: string, shown: string): Promise<number> => {
      const started = performance.now();
      await page.goto(`${origin}${path}`, { waitUntil: 'commit' });
      await page.locator(shown).first().waitFor();
      return performance.now() - started;
    };
    const [grid, frame]: [number[], number[]] = [[], []];
    for (let round = 0; round < 7; round++) {
      grid.push(await opened(`/w/${key}/t/inspections`, '.body .title:has-text(" by ")'));
      // The same page's frame: everything around the records, with the records of none.
      frame.push(await opened(`/w/${key}/t/inspections?filter=frames%20%3C%20-1`, 'text=No record meets this filter'));
    }
    yield figure(
      'records',
      'the grid opens on a million records: first rows, against its bare frame',
      median(grid.slice(2)),
      median(frame.slice(2)),
      'ms',
      2,
    );

    await opened(`/w/${key}/t/inspections?view=`, '.body .title:has-text(" by ")');
    await page.getByText(/^1,000,000 records/).waitFor();
    yield* scrolled(page);
    yield* edited(page, pool, key);
    yield* kindsOfView(page, origin, key);
    yield* sent(browser, page, origin, key);
  } finally {
    await browser.close();
  }
}

type Page = Awaited<ReturnType<Awaited<ReturnType<typeof launchChromium>>['newPage']>>;

/** A minute of scrolling and jumping: how long rows in sight are blank, and what memory becomes of it. */
async function* scrolled(page: Page): AsyncGenerator<Figure> {
  const heap = async () => {
    const session = await page.context().newCDPSession(page);
    await session.send('HeapProfiler.collectGarbage');
    const { usedSize } = await session.send('Runtime.getHeapUsage');
    await session.detach();
    return usedSize / 1e6;
  };
  const before = await heap();
  const blanks = await page.evaluate(async () => {
    const grid = document.querySelector('[role=grid]') as HTMLElement;
    const times: number[] = [];
    let since: number | null = null;
    const until = performance.now() + 60_000;
    let step = 0;
    while (performance.now() < until) {
      await new Promise(requestAnimationFrame);
      step++;
      // Mostly with the wheel, now and then by the bar to another place.
      if (step % 180 === 0) grid.scrollTop = (((step * 7919) % 1000) / 1000) * grid.scrollHeight;
      else grid.scrollTop += 40;
      const box = grid.getBoundingClientRect();
      const rows = [...grid.querySelectorAll('.body .row')].filter((row) => {
        const { top, bottom } = row.getBoundingClientRect();
        return bottom > box.top + 40 && top < box.bottom - 10;
      });
      const blank = rows.length === 0 || rows.some((row) => row.querySelector('.hint[aria-label]'));
      if (blank && since === null) since = performance.now();
      if (!blank && since !== null) {
        times.push(performance.now() - since);
        since = null;
      }
    }
    if (since !== null) times.push(performance.now() - since);
    return times;
  });
  const after = await heap();
  yield figure(
    'records',
    `a minute of scrolling a million: rows blank for, p95 of ${blanks.length} times`,
    blanks.length === 0 ? 0 : quantile(blanks, 0.95),
    null,
    'ms',
    150,
  );
  yield figure('records', 'memory of the page after it, against before', after, before, 'MB', 1.5);
}

/** What the database has spent on statements so far, in milliseconds; its processes tell it at most a second late. */
async function databaseTime(pool: Pool): Promise<number> {
  await new Promise((resolve) => setTimeout(resolve, 2000));
  const { rows } = await pool.query<{ ms: number }>(
    'select active_time as ms from pg_stat_database where datname = current_database()',
  );
  return Number(rows[0]?.ms ?? 0);
}

/** From the key that keeps a value to the value confirmed on the screen. */
async function* edited(page: Page, pool: Pool, key: string): AsyncGenerator<Figure> {
  await page.getByRole('grid').evaluate((grid) => (grid.scrollTop = 0));
  const before = await databaseTime(pool);
  const times: number[] = [];
  for (let round = 0; round < 40; round++) {
    const cell = page.locator(`[data-cell="${round % 12}.3"]`);
    await cell.click();
    await page.keyboard.type(String(100 + round));
    // As text: what the compiler adds to functions is not there in the page. It listens before the key is pressed, and
    // is not waited for yet.
    await page.evaluate(`void (window.edited = new Promise((resolve) => {
      addEventListener('keydown', () => {
        const started = performance.now();
        requestAnimationFrame(function look() {
          const shown = [...document.querySelectorAll('[role=gridcell]')].some((one) => one.textContent.trim().startsWith('${100 + round}'));
          if (shown && !document.querySelector('[role=gridcell] input')) resolve(performance.now() - started);
          else requestAnimationFrame(look);
        });
      }, { once: true, capture: true });
    }))`);
    await page.keyboard.press('Enter');
    const taken = await Promise.race([
      page.evaluate<number>('window.edited'),
      new Promise<null>((resolve) => setTimeout(() => resolve(null), 10_000)),
    ]);
    if (taken === null) throw new Error('an edit was not confirmed within ten seconds');
    times.push(taken);
  }
  const { rows } = await pool.query<{ n: number }>(
    `select count(*) as n from ${key}.inspections where kg between 100 and 139`,
  );
  if (Number(rows[0]?.n) === 0) throw new Error('nothing was written');
  const database = (await databaseTime(pool)) - before;
  yield figure(
    'records',
    'one edit: its share in the database, with what the page reads anew for it',
    database / times.length,
    null,
    'ms',
    null,
  );
  yield figure(
    'records',
    'one edit, key press to confirmed on the screen, p50',
    quantile(times.slice(5), 0.5),
    null,
    'ms',
    null,
  );
  yield figure(
    'records',
    'one edit, key press to confirmed on the screen, p95',
    quantile(times.slice(5), 0.95),
    null,
    'ms',
    null,
  );
}

/**
 * Ten thousand records as grid, cards, board and calendar: until the first stand there, and how long a frame takes
 * while one scrolls for ten seconds; the grid is the other side of each.
 */
async function* kindsOfView(page: Page, origin: string, key: string): AsyncGenerator<Figure> {
  const opened = async (query: string, shown: string): Promise<number> => {
    const started = performance.now();
    await page.goto(`${origin}/w/${key}/t/cases${query}`, { waitUntil: 'commit' });
    await page.locator(shown).first().waitFor();
    return performance.now() - started;
  };
  const frames = (scroller: string): Promise<number[]> =>
    page.evaluate(async (selector) => {
      const lists = [...document.querySelectorAll<HTMLElement>(selector)];
      const times: number[] = [];
      let last = await new Promise(requestAnimationFrame);
      for (const until = last + 10_000; last < until;) {
        for (const list of lists) list.scrollTop += 40;
        const now = await new Promise(requestAnimationFrame);
        times.push(now - last);
        last = now;
      }
      return times;
    }, scroller);
  const measured = async (query: string, shown: string, scroller: string) => {
    const opens: number[] = [];
    for (let round = 0; round < 5; round++) opens.push(await opened(query, shown));
    await page.waitForTimeout(1000);
    return { opens: median(opens.slice(1)), frame: quantile(await frames(scroller), 0.95) };
  };
  const grid = await measured('', '.body .title:has-text("case ")', '[role=grid]');
  for (const [name, query, shown, scroller] of [
    ['cards', '?kind=cards', '.card:has-text("case ")', '[role=listbox]'],
    ['a board of 5 columns', '?kind=board&by=state', '.card:has-text("case ")', '.lane .cards'],
    ['a calendar', '?kind=calendar&by=day', '.piece', '.weeks'],
  ] as const) {
    const kind = await measured(query, shown, scroller);
    yield figure('records', `10,000 records as ${name}: open, against the grid`, kind.opens, grid.opens, 'ms', 2);
    yield figure(
      'records',
      `10,000 records as ${name}: a frame while scrolling, p95, against the grid`,
      kind.frame,
      grid.frame,
      'ms',
      2,
    );
  }
}

/** What the build calls a script after: its greatest module, or its page. */
function scriptNames(): Map<string, string> {
  const manifest = JSON.parse(readFileSync('.svelte-kit/output/client/.vite/manifest.json', 'utf8')) as Record<
    string,
    { file: string; name?: string; src?: string }
  >;
  return new Map(Object.values(manifest).map(({ file, name, src }) => [basename(file), name ?? basename(src ?? file)]));
}

/** Scripts that are sent, compressed, for the first page and for the grid. */
async function* sent(
  browser: Awaited<ReturnType<typeof launchChromium>>,
  signedIn: Page,
  origin: string,
  key: string,
): AsyncGenerator<Figure> {
  const names = scriptNames();
  const state = await signedIn.context().storageState();
  for (const [name, path] of [
    ['the first page', '/'],
    ['the grid page', `/w/${key}/t/inspections`],
  ] as const) {
    const context = await browser.newContext({ storageState: state });
    const page = await context.newPage();
    const session = await context.newCDPSession(page);
    await session.send('Network.enable');
    const scripts = new Map<string, string>();
    const sizes = new Map<string, number>();
    session.on('Network.responseReceived', ({ requestId, response, type }) => {
      if (type === 'Script') scripts.set(requestId, response.url.replace(origin, ''));
    });
    session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) =>
      sizes.set(requestId, encodedDataLength),
    );
    await page.goto(origin + path);
    await page.waitForLoadState('load');
    await page.waitForTimeout(1500);
    const list = [...scripts].map(([id, url]) => ({ url, size: sizes.get(id) ?? 0 })).sort((a, b) => b.size - a.size);
    yield figure(
      'records',
      `scripts for ${name}, compressed; heaviest ${list
        .slice(0, 4)
        .map(({ url, size }) => `${names.get(basename(url)) ?? basename(url)} ${(size / 1e3).toFixed(0)} kB`)
        .join(', ')}`,
      list.reduce((sum, { size }) => sum + size, 0) / 1e3,
      null,
      'kB',
      null,
    );
    await context.close();
  }
}
