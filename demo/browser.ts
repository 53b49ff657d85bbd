import { existsSync } from 'node:fs';
import { chromium, type Browser } from '@playwright/test';

// The shell draws the same pages without a browser's own window: what is tried by it is a third faster.
const chromiums = ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium'];

/** Debian's Chromium, without what it would look for outside. */
export const debianChromium = {
  executablePath: chromiums.find(existsSync) ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};

export const launchChromium = (): Promise<Browser> => chromium.launch(debianChromium);
