import type { Change } from '../../src/lib/core/types/change';
import { authorize, type Person, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { withWorkspace } from '../../src/lib/server/access/lock';
import type { Pool } from '../../src/lib/server/database/pool';
import { applyPlan, makePlan } from '../../src/lib/server/structure/plan';
import { recalculate } from '../../src/lib/server/records/recalculate';
import { allCalculated } from '../../src/lib/server/calculation/calculatedFields';
import { writeRecords } from '../../src/lib/server/entry/write';
import { changesFromJson, type ChangeJson } from '../../src/lib/server/api/changes/changes';

/** Sums upwards over three levels: edits of these go side by side. */
export const rollups = [
  ['hives', 'last_day', 'max(inspections.day)'],
  ['hives', 'frames', 'sum(inspections.frames)'],
  ['apiaries', 'frames', 'sum(hives.frames)'],
  ['apiaries', 'last_day', 'max(hives.inspections.day)'],
  ['keepers', 'frames', 'sum(apiaries.frames)'],
  ['keepers', 'inspections', 'count(apiaries.hives.inspections)'],
] as const;
/** Lookups that come down again: edits of these take turns. */
export const lookups = [
  ['hives', 'steward', "coalesce(apiary.steward.name, 'nobody')"],
  ['inspections', 'at', "hive.steward || ' ' || hive.apiary.name"],
  ['hives', 'share', 'frames / nullif(apiary.frames, 0)'],
  ['keepers', 'rank', 'coalesce(mentor.rank + 1, 0)'],
] as const;

type Formulas = readonly (readonly [table: string, key: string, formula: string])[];

async function change(pool: Pool, access: WorkspaceAccess, changes: readonly ChangeJson[]): Promise<void> {
  const made: readonly Change[] = changesFromJson(access.workspace.model, changes);
  const plan = await makePlan(pool, access, made);
  if (!plan.possible) throw new Error(JSON.stringify(plan.effects.flatMap(({ breaks }) => breaks)));
  await applyPlan(pool, access, plan.id);
}

/** A small world on which everybody gets in everybody's way: few shared parents, three levels, links that move. */
export async function buildStorm(
  pool: Pool,
  person: Person,
  key: string,
  formulas: Formulas,
): Promise<WorkspaceAccess> {
  const again = () => authorize(pool, person, key, 'design');
  await change(pool, await again(), [
    {
      do: 'addTable',
      label: 'Keepers',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Mentor', type: 'link', to: 'keepers', counterpart: { label: 'Pupils' }, onDelete: 'clear' },
      ],
    },
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Steward', type: 'link', to: 'keepers', counterpart: { label: 'Apiaries' }, onDelete: 'clear' },
      ],
    },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'Number', type: 'text' },
        { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Hives' }, onDelete: 'remove' },
      ],
    },
    {
      do: 'addTable',
      label: 'Inspections',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Frames', type: 'number', digits: 0 },
        { label: 'Hive', type: 'link', to: 'hives', counterpart: { label: 'Inspections' }, onDelete: 'remove' },
      ],
    },
  ]);
  for (const [table, name, formula] of formulas)
    await change(pool, await again(), [
      { do: 'addField', table, field: { label: name.replace('_', ' '), key: name, type: 'formula', formula } },
    ]);
  const access = await again();
  const many = <T>(n: number, make: (i: number) => T) => Array.from({ length: n }, (_, i) => make(i));
  await writeRecords(pool, access, 'keepers', { insert: many(3, (i) => ({ values: { name: `K-${i}` } })) });
  await writeRecords(pool, access, 'apiaries', {
    insert: many(5, (i) => ({ values: { name: `A-${i}`, steward: 1 + (i % 3) } })),
  });
  await writeRecords(pool, access, 'hives', {
    insert: many(20, (i) => ({ values: { number: `H-${i}`, apiary: 1 + (i % 5) } })),
  });
  await writeRecords(pool, access, 'inspections', {
    insert: many(200, (i) => ({ values: { day: '2026-01-01', frames: i % 9, hive: 1 + (i % 20) } })),
  });
  return access;
}

/** The tables of which a recalculation from nothing would rewrite a value; none is right. */
export async function wrongAfter(pool: Pool, access: WorkspaceAccess): Promise<string[]> {
  return withWorkspace(pool, access, 'exclusive', async (client, now) => {
    const { model } = now.workspace;
    const { touched } = await recalculate({
      client,
      access: now,
      exclusive: true,
      anew: allCalculated(model),
    });
    return [...touched].map(({ label }) => label);
  });
}
