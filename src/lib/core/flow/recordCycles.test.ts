import fc from 'fast-check';
import { expect, test } from 'vitest';
import { recordsOnCycles, type Edge } from './recordCycles';

/** Whether one gets back to where one started, by trying. */
function comesBack(edges: readonly Edge[], start: number): boolean {
  const seen = new Set<number>();
  const queue = [start];
  for (let id = queue.pop(); id !== undefined; id = queue.pop())
    for (const [from, to] of edges) {
      if (from !== id) continue;
      if (to === start) return true;
      if (!seen.has(to)) queue.push(to);
      seen.add(to);
    }
  return false;
}

test('exactly the records from which one comes back are on a cycle', () => {
  const edge = fc.tuple(fc.nat(9), fc.nat(9));
  fc.assert(
    fc.property(fc.array(edge, { maxLength: 16 }), (edges) => {
      const expected = [...new Set(edges.flat())].filter((id) => comesBack(edges, id));
      expect([...recordsOnCycles(edges)].sort()).toEqual(expected.sort());
    }),
    { numRuns: 2000 },
  );
});

test('a chain longer than the machine’s stack is no trouble', () => {
  const chain = Array.from({ length: 200_000 }, (_, i): Edge => [i, i + 1]);
  expect(recordsOnCycles(chain).size).toBe(0);
  expect(recordsOnCycles([...chain, [200_000, 100_000]]).size).toBe(100_001);
});
