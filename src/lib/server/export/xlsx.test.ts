import { describe, expect, test } from 'vitest';
import { textOfCell } from './xlsx';

describe('a text in a cell of a workbook', () => {
  test.each([0, 1, 32_766, 32_767])('of %i characters is whole', (length) => {
    const text = 'ä'.repeat(length);
    expect(textOfCell(text)).toBe(text);
  });
  test.each(['x'.repeat(32_768), '🐝'.repeat(20_000), `${'x'.repeat(32_712)}${'🐝'.repeat(40_000)}`])(
    'that is longer fits, whole characters only, and says so',
    (text) => {
      const cell = textOfCell(text);
      expect(cell.length).toBeLessThanOrEqual(32_767);
      expect(cell.length).toBeGreaterThan(32_760);
      expect(cell.isWellFormed()).toBe(true);
      expect(cell).toMatch(/\(cut: a cell of a workbook holds 32,767 characters\)$/);
      expect(text.startsWith(cell.replace(/ … \(cut.*$/, ''))).toBe(true);
    },
  );
});
