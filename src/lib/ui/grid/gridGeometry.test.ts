import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { tableNamed } from '$core/model/model';
import { shownColumns, viewOfAll } from '$core/views/view';
import { columnsInSight, gridColumns, ScrollScale } from './gridGeometry';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;
const columns = gridColumns(model, hives, shownColumns(hives, viewOfAll()), { frozen: 1 });

describe('columns in sight', () => {
  test('stand side by side, the frozen ones first', () => {
    expect(columns[0]).toMatchObject({ left: 0, frozen: true });
    for (const [index, { left }] of columns.entries())
      expect(left).toBe(columns.slice(0, index).reduce((sum, { width }) => sum + width, 0));
  });

  test('are all those that a person could see, wherever one scrolled to', () => {
    const all = columns.reduce((sum, { width }) => sum + width, 0);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: all }), fc.integer({ min: 100, max: 2000 }), (scrolled, width) => {
        const { first, end } = columnsInSight(columns, scrolled, width);
        const covered = columns[0]!.width;
        for (const [index, { left, width: own, frozen }] of columns.entries())
          if (!frozen && left + own > scrolled + covered && left < scrolled + width)
            expect(index >= first && index < end).toBe(true);
      }),
    );
  });
});

describe('a list taller than can be drawn', () => {
  const scale = new ScrollScale(30_000_000, 600);

  test('moves with the wheel, and by share where the bar is dragged', () => {
    expect(scale.topAt(1100, 1000, 4000)).toBe(4100);
    expect(scale.topAt((scale.drawn - 600) / 2, 0, 0)).toBeCloseTo((30_000_000 - 600) / 2, 3);
  });

  test('reaches its first and its last line', () => {
    expect(scale.topAt(0, 300, 90_000)).toBe(0);
    expect(scale.topAt(scale.drawn - 600, scale.drawn - 700, 5000)).toBe(30_000_000 - 600);
  });

  test('puts the bar where a place is reached by it', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 30_000_000 - 600 }), (top) => {
        expect(scale.topAt(scale.barAt(top), scale.barAt(top) > 4_000_000 ? 0 : scale.drawn, 0)).toBeCloseTo(top, 1);
      }),
    );
  });

  test('is drawn as it is while that can be', () => {
    const small = new ScrollScale(30_000, 600);
    expect([small.drawn, small.topAt(500, 0, 0), small.barAt(500)]).toEqual([30_000, 500, 500]);
  });
});
