import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** Rows of a grid that are looked at: those behind them are drawn by the same lines, and looking at all takes most of the time. */
const rowsLookedAt = 8;

/** Findings of axe (WCAG 2.2 AA) on what is shown now. */
export async function accessible(page: Page, what: string): Promise<void> {
  await page.evaluate((most) => {
    for (const row of document.querySelectorAll('[data-alike]')) row.removeAttribute('data-alike');
    for (const grid of document.querySelectorAll('[role=grid]'))
      for (const row of [...grid.querySelectorAll('[role=row]:not(.head, .foot)')].slice(most))
        // The one that takes the focus belongs to the grid's own rules.
        if (!row.querySelector('[tabindex="0"]')) row.setAttribute('data-alike', '');
  }, rowsLookedAt);
  const axe = new AxeBuilder({ page: page as never }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).exclude('[data-alike]');
  const { violations } = await axe.analyze();
  expect(violations.map(({ id, nodes }) => `${what}: ${id} ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')}`)).toEqual([]);
}
