import { createHash } from 'node:crypto';
import { and, eq, inArray } from 'drizzle-orm';
import { noDecisions, type Decisions, type IntakeSheet, type Proposal } from '$core/intake/intake';
import { misfitsOf, remember, shapeOf, withRemembered, type RememberedMapping } from '$core/intake/remember';
import { findTable } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { intakes, mappings, people } from '../database/catalogue';
import { catalogueOn, type Client } from '../database/pool';

const hashOf = (sheet: IntakeSheet): string => createHash('sha256').update(shapeOf(sheet)).digest('hex').slice(0, 32);

/** Keeps how each sheet was mapped, for the next file of the same shape. */
export async function rememberMappings(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  proposal: Proposal,
): Promise<void> {
  for (const [index, sheet] of sheets.entries()) {
    // Misfits go where the file they came from went; they are no shape of their own.
    const remembered = misfitsOf(sheet) ? null : remember(proposal, sheets, index);
    if (!remembered) continue;
    const row = { remembered, at: new Date().toISOString(), person: access.person.id };
    await catalogueOn(client)
      .insert(mappings)
      .values({ workspace: access.workspace.id, shape: hashOf(sheet), ...row })
      .onConflictDoUpdate({ target: [mappings.workspace, mappings.shape], set: row });
  }
}

/**
 * The decisions to begin with: those of the last time for sheets of a known shape, and of the intake that misfits came
 * from.
 */
export async function rememberedDecisions(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
): Promise<{ readonly sheets: readonly IntakeSheet[]; readonly decisions: Decisions }> {
  const hashes = sheets.map(hashOf);
  const rows = await catalogueOn(client)
    .select({ shape: mappings.shape, remembered: mappings.remembered, at: mappings.at, by: people.name })
    .from(mappings)
    .innerJoin(people, eq(people.id, mappings.person))
    .where(and(eq(mappings.workspace, access.workspace.id), inArray(mappings.shape, hashes)));
  const found = new Map<number, RememberedMapping>();
  const told: IntakeSheet[] = [];
  for (const [index, sheet] of sheets.entries()) {
    const misfits = misfitsOf(sheet);
    const known = misfits
      ? await mappingOfMisfits(client, access, misfits)
      : rows.find(({ shape }) => shape === hashes[index]);
    const into = known?.remembered.sheet.into;
    // What it went into may be gone.
    if (!known || (into !== undefined && !findTable(access.workspace.model, into))) {
      told.push(sheet);
      continue;
    }
    found.set(index, known.remembered);
    told.push({ ...sheet, remembered: { at: known.at, by: known.by } });
  }
  return found.size === 0
    ? { sheets, decisions: noDecisions }
    : { sheets: told, decisions: withRemembered(told, found) };
}

async function mappingOfMisfits(
  client: Client,
  access: WorkspaceAccess,
  { intake, sheet }: { intake: number; sheet: number },
) {
  const [row] = await catalogueOn(client)
    .select({ sheets: intakes.sheets, proposal: intakes.proposal, at: intakes.madeAt, by: people.name })
    .from(intakes)
    .innerJoin(people, eq(people.id, intakes.person))
    .where(and(eq(intakes.id, intake), eq(intakes.workspace, access.workspace.id)));
  const remembered = row?.proposal && remember(row.proposal, row.sheets, sheet);
  return row && remembered ? { remembered, at: row.at, by: row.by } : undefined;
}
