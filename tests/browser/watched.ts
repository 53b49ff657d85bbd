import { expect, test as base, type BrowserContext, type ConsoleMessage, type Page } from '@playwright/test';
import { startServer } from './server';

export { expect };
export type { Browser, Locator, Page } from '@playwright/test';

/**
 * What went wrong in any page of the running test: errors of scripts, what the console calls an error, answers that are
 * faults.
 */
const problems: string[] = [];

/** The browser itself says of every refused call that it failed to load; whether that is right the test itself says. */
const isRefusal = (message: ConsoleMessage): boolean =>
  /^Failed to load resource: (?:the server responded with a status of (?:4\d\d|503)|net::ERR_)/.test(message.text());

/** Watches all pages of a context. `faults`: what a test that breaks something on purpose expects to see. */
export function watch(context: BrowserContext): void {
  context.on('page', watchPage);
  for (const page of context.pages()) watchPage(page);
}

function watchPage(page: Page): void {
  page.on('pageerror', (error) => problems.push(`${page.url()}: ${error.stack ?? error.message}`));
  page.on('console', (message) => {
    if (message.type() === 'error' && !isRefusal(message)) problems.push(`${page.url()}: ${message.text()}`);
  });
  page.on('response', (response) => {
    // A database or a server that is away is answered so, and is no fault.
    if (response.status() >= 500 && response.status() !== 503)
      problems.push(`${response.status()} of ${response.request().method()} ${response.url()}`);
  });
}

let address = '';
let database = '';

/** Where the worker's server answers, and the name of its database. */
export const origin = (): string => address;
export const databaseName = (): string => database;

/**
 * The test of all browser tests: any error in any page fails it. Each worker has a server and a copy of the demo's data
 * of its own.
 */
export const test = base.extend<{ watched: undefined }, { served: undefined }>({
  served: [
    // Playwright takes only a pattern here, though nothing of it is needed.
    // eslint-disable-next-line no-empty-pattern
    async ({}, use, { workerIndex }) => {
      const server = await startServer(workerIndex);
      ({ origin: address, database } = server);
      await use(undefined);
      await server.stop();
    },
    { auto: true, scope: 'worker' },
  ],
  watched: [
    // eslint-disable-next-line no-empty-pattern
    async ({}, use) => {
      problems.length = 0;
      await use(undefined);
      expect(problems.splice(0), 'errors in the pages').toEqual([]);
    },
    { auto: true },
  ],
});
