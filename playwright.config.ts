import { defineConfig } from '@playwright/test';
import { debianChromium } from './demo/browser';

export default defineConfig({
  testDir: 'tests/browser',
  testMatch: '*.spec.ts',
  globalSetup: './tests/browser/server.ts',
  workers: 1,
  timeout: 180_000,
  retries: 1,
  expect: { timeout: 20_000 },
  reporter: [['list'], ['json', { outputFile: 'test-results/browser.json' }]],
  use: {
    viewport: { width: 1280, height: 800 },
    // Recording every test costs a tenth of the time; what fails is recorded at its second try.
    trace: 'on-first-retry',
    launchOptions: debianChromium,
  },
});
