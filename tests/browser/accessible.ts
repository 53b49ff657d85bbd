import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/**
 * Findings of axe (WCAG 2.2 AA) on what is shown now. No page here has frames, for whose sake axe would otherwise open
 * a page of its own and carry everything there, which takes five times as long.
 */
export async function accessible(page: Page, what: string): Promise<void> {
  const { violations } = await new AxeBuilder({ page: page as never })
    .setLegacyMode()
    .options({ resultTypes: ['violations'] })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
    .analyze();
  expect(
    violations.map(({ id, nodes }) => `${what}: ${id} ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')}`),
  ).toEqual([]);
}
