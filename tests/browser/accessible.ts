import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** Findings of axe (WCAG 2.2 AA) on what is shown now. */
export async function accessible(page: Page, what: string): Promise<void> {
  const { violations } = await new AxeBuilder({ page: page as never }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
  expect(violations.map(({ id, nodes }) => `${what}: ${id} ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')}`)).toEqual([]);
}
