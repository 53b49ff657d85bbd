import { chromium, type Browser } from '@playwright/test';

/** Debian's Chromium, without what it would look for outside. */
export const debianChromium = {
  executablePath: '/usr/bin/chromium',
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
