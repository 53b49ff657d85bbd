import fc from 'fast-check';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { fieldNamed } from '$core/model/model';
import { withWorkspace } from '$server/access/lock';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { estimateImpact } from '$server/calculation/impact';
import { recalculate } from '$server/records/recalculate';
import { allCalculated } from '$server/calculation/calculatedFields';
import { writeRecords } from '$server/entry/write';
import { changeNow, formulaField, linkField, plainField, plainTable } from './changes';
import { freshDatabase, makePerson, makeAccess } from './database';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let access: WorkspaceAccess;

const formulas = [
  ['generation', 'coalesce(mother.generation + 1, 0)'],
  ['line', "coalesce(mother.line || '/', '') || mark"],
  ['descendants', 'count(daughters) + sum(daughters.descendants)'],
  ['youngest', 'greatest(born, coalesce(max(daughters.youngest), born))'],
] as const;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('hierarchy'));
  ida = await makePerson(pool, 'Ida');
  access = await makeAccess(pool, ida, 'hierarchy');
  const queens = plainTable('queens', [plainField('mark', { kind: 'text' }), plainField('born', { kind: 'date' })]);
  await changeNow(pool, access, [
    { do: 'addTable', table: queens, at: 0 },
    linkField(queens, queens, 'mother', 'daughters', 'clear'),
  ]);
  for (const [key, text] of formulas) {
    access = await authorize(pool, ida, 'hierarchy', 'design');
    await changeNow(pool, access, [formulaField(access, tableAt(access, 'queens'), key, text)]);
  }
  access = await authorize(pool, ida, 'hierarchy', 'design');
});
afterAll(() => drop());

interface Queen {
  readonly id: number;
  readonly mark: string;
  readonly born: string;
  readonly mother: number | null;
}

const all = async () =>
  (
    await pool.query<Queen & Record<string, unknown>>(
      `select _id as id, mark, born::text, mother, generation, line, descendants, youngest::text from hierarchy.queens order by _id`,
    )
  ).rows;

/** What stands to reason: worked out by going along the links, blank for those on a cycle. */
function expected(queens: readonly Queen[]) {
  const byId = new Map(queens.map((queen) => [queen.id, queen]));
  const onCycle = (start: Queen): boolean => {
    const seen = new Set<number>();
    for (let at = start.mother; at !== null && !seen.has(at); at = byId.get(at)?.mother ?? null) {
      if (at === start.id) return true;
      seen.add(at);
    }
    return false;
  };
  const daughters = (queen: Queen) => queens.filter(({ mother }) => mother === queen.id);
  const mother = (queen: Queen) => (queen.mother === null ? undefined : byId.get(queen.mother));
  const generation = (queen: Queen | undefined): number | null =>
    !queen || onCycle(queen) ? null : (up(generation(mother(queen))) ?? 0);
  const up = (n: number | null) => (n === null ? null : n + 1);
  const line = (queen: Queen | undefined): string | null => {
    if (!queen || onCycle(queen)) return null;
    const above = line(mother(queen));
    return (above === null ? '' : `${above}/`) + queen.mark;
  };
  const descendants = (queen: Queen): number | null =>
    onCycle(queen)
      ? null
      : daughters(queen).length + daughters(queen).reduce((sum, one) => sum + (descendants(one) ?? 0), 0);
  const youngest = (queen: Queen): string | null =>
    onCycle(queen) ? null : [queen.born, ...daughters(queen).flatMap((one) => youngest(one) ?? [])].sort().at(-1)!;
  return queens.map((queen) => ({
    id: queen.id,
    generation: generation(queen),
    line: line(queen),
    descendants: descendants(queen),
    youngest: youngest(queen),
    cycle: onCycle(queen),
  }));
}

async function compare(said: string): Promise<void> {
  const rows = await all();
  const number = (value: unknown) => (value === null ? null : Number(value));
  const cyclic = await pool.query<{ id: number; n: number }>(
    'select record_id as id, count(*)::int as n from loom.record_cycles group by 1',
  );
  const kept = new Set(cyclic.rows.map(({ id }) => id));
  expect(cyclic.rows.every(({ n }) => n === formulas.length)).toBe(true);
  expect(
    rows.map(({ id, generation, line, descendants, youngest }) => ({
      id,
      generation: number(generation),
      line,
      descendants: number(descendants),
      youngest,
      cycle: kept.has(id),
    })),
    said,
  ).toEqual(expected(rows));
}

const day = fc.integer({ min: 1, max: 28 }).map((n) => `2026-05-${String(n).padStart(2, '0')}`);
const step = fc.oneof(
  fc.record({ do: fc.constant('point' as const), which: fc.nat(40), to: fc.option(fc.nat(40), { freq: 5 }) }),
  fc.record({ do: fc.constant('point' as const), which: fc.nat(40), to: fc.option(fc.nat(40), { freq: 5 }) }),
  fc.record({ do: fc.constant('born' as const), which: fc.nat(40), day }),
  fc.record({ do: fc.constant('make' as const), under: fc.option(fc.nat(40)), day }),
  fc.record({ do: fc.constant('remove' as const), which: fc.nat(40) }),
);

test('over a hierarchy values follow every edit, also into cycles and out of them', async () => {
  await writeRecords(pool, access, 'queens', {
    insert: Array.from({ length: 9 }, (_, i) => ({
      values: { mark: `Q${i}`, born: '2026-05-01', mother: i > 0 ? Math.ceil(i / 2) : null },
    })),
  });
  await compare('at first');
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 4, maxLength: 10 }), async (steps) => {
      for (const one of steps) {
        const ids = (await all()).map(({ id }) => id);
        const pick = (n: number) => ids[n % ids.length] ?? 0;
        if (one.do === 'make')
          await writeRecords(pool, access, 'queens', {
            insert: [{ values: { mark: 'N', born: one.day, mother: one.under === null ? null : pick(one.under) } }],
          });
        else if (one.do === 'remove')
          await writeRecords(pool, access, 'queens', { remove: ids.length > 4 ? [pick(one.which)] : [] });
        else if (one.do === 'born')
          await writeRecords(pool, access, 'queens', { update: [{ id: pick(one.which), values: { born: one.day } }] });
        else
          await writeRecords(pool, access, 'queens', {
            update: [{ id: pick(one.which), values: { mother: one.to === null ? null : pick(one.to) } }],
          });
        await compare(JSON.stringify(one));
      }
    }),
    { numRuns: process.env.LOOM_LONG ? 200 : 12 },
  );
  // From nothing it is the same, and nothing differs.
  await withWorkspace(pool, access, 'exclusive', async (client, now) => {
    const { touched } = await recalculate({
      client,
      access: now,
      exclusive: true,
      anew: allCalculated(now.workspace.model),
    });
    expect([...touched]).toEqual([]);
  });
  await pool.query('update hierarchy.queens set generation = 77, line = null, descendants = -1, youngest = null');
  await pool.query('delete from loom.record_cycles');
  await withWorkspace(pool, access, 'exclusive', (client, now) =>
    recalculate({
      client,
      access: now,
      exclusive: true,
      anew: allCalculated(now.workspace.model),
    }),
  );
  await compare('from nothing');
}, 120_000);

test('how far an edit reaches is told over the hierarchy, too', async () => {
  await pool.query('delete from loom.record_cycles');
  await pool.query('truncate hierarchy.queens restart identity');
  await writeRecords(pool, access, 'queens', {
    insert: Array.from({ length: 30 }, (_, i) => ({
      values: { mark: `Q${i}`, born: '2026-05-01', mother: i > 0 ? i : null },
    })),
  });
  const queens = tableAt(access, 'queens');
  const reach = async (key: string, id: number) =>
    (await estimateImpact(pool, access.workspace, new Set([fieldNamed(queens, key)!.id]), [id])).map(
      ({ count }) => count,
    );
  // Her line goes down to all that come from her; her birthday goes up to all she comes from.
  expect(await reach('mark', 21)).toEqual([10]);
  expect(await reach('born', 21)).toEqual([21]);
});

test('a formula that follows the link both ways, or reads itself on its own record, is refused with the reason', async () => {
  const queens = tableAt(access, 'queens');
  await expect(
    changeNow(pool, access, [
      formulaField(access, queens, 'twice', 'coalesce(mother.twice, 0) + sum(daughters.twice)'),
    ]),
  ).rejects.toThrow('both ways');
  await expect(changeNow(pool, access, [formulaField(access, queens, 'same', 'same + 1')])).rejects.toThrow(
    'calculated from itself',
  );
  expect(() => formulaField(access, queens, 'mixed', "coalesce(mother.mixed || 'x', 1)")).toThrow();
  expect(fieldNamed(queens, 'generation')?.type).toMatchObject({ result: { is: 'number' } });
});
