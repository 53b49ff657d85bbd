import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { groupName, GroupLayout, type LaidGroup } from './groupLayout';

/** Groups of up to three levels with records in them, and the lines they make written out one by one. */
const trees = fc.array(
  fc.array(fc.array(fc.integer({ min: 1, max: 5 }), { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 }),
  { maxLength: 4 },
);

function groupsOf(tree: readonly (readonly (readonly number[])[])[]): LaidGroup[] {
  const sum = (counts: readonly number[]) => counts.reduce((total, one) => total + one, 0);
  return tree.flatMap((outer, a) => [
    { level: 1, values: [a], count: sum(outer.map(sum)) },
    ...outer.flatMap((inner, b) => [
      { level: 2, values: [a, b], count: sum(inner) },
      ...inner.map((count, c) => ({ level: 3, values: [a, b, c], count })),
    ]),
  ]);
}

describe('lines of grouped records', () => {
  test('are those one would write down, whatever is folded', () => {
    fc.assert(
      fc.property(trees, fc.func(fc.boolean()), (tree, folds) => {
        const groups = groupsOf(tree);
        const folded = new Set(groups.map(groupName).filter((name) => folds(name)));
        const layout = GroupLayout.of(groups, folded);
        const written: unknown[] = [];
        let row = 0;
        for (const group of groups) {
          const over = groups.filter(
            ({ level, values }) => level < group.level && values.every((value, index) => value === group.values[index]),
          );
          const hidden = over.some((one) => folded.has(groupName(one)));
          if (!hidden) written.push({ kind: 'head', group });
          if (group.level < 3) continue;
          for (let index = 0; index < group.count; index++, row++)
            if (!hidden && !folded.has(groupName(group))) written.push({ kind: 'record', row });
        }
        expect(layout.lines).toBe(written.length);
        written.forEach((line, index) => expect(layout.at(index)).toEqual(line));
        expect(layout.at(-1)).toBeUndefined();
        expect(layout.at(written.length)).toBeUndefined();
        for (let one = 0; one < row; one++) {
          const line = layout.lineOf(one);
          expect(line).toBe(
            written.findIndex((each) => (each as { row?: number }).row === one) < 0
              ? null
              : written.findIndex((each) => (each as { row?: number }).row === one),
          );
        }
      }),
    );
  });

  test.each([0, 1, 3])('of %i records without groups are those records', (rows) => {
    const layout = GroupLayout.plain(rows);
    expect(layout.lines).toBe(rows);
    for (let row = 0; row < rows; row++)
      expect([layout.at(row), layout.lineOf(row)]).toEqual([{ kind: 'record', row }, row]);
  });
});
