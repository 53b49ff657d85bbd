import { inArray } from 'drizzle-orm';
import { ownTables } from '$core/model/model';
import type { Change } from '$core/types/change';
import { auditing } from '../access/audit';
import { withWorkspace } from '../access/lock';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import { people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { applyStructure } from './structure';

/** Somebody who is no longer in a workspace and has private tables there, which nobody sees. */
export interface LeftBehind {
  readonly person: number;
  readonly name: string;
  /** How many private tables. */
  readonly tables: number;
}

/** Whose private tables stand in a workspace without them, by name. */
export async function leftBehind(connection: Pool | Client, { whole }: WorkspaceAccess): Promise<LeftBehind[]> {
  const owners = ownTables(whole.model).flatMap(({ privateTo }) => privateTo ?? []);
  if (owners.length === 0) return [];
  const { rows: here } = await connection.query<{ person: number }>(
    sql`select person from loom.memberships where workspace = ${whole.id} and person = any(${owners})`,
  );
  const away = [...new Set(owners)].filter((id) => !here.some(({ person }) => person === id));
  const named = await catalogueOn(connection)
    .select({ person: people.id, name: people.name })
    .from(people)
    .where(inArray(people.id, away))
    .orderBy(people.name);
  return named.map((one) => ({ ...one, tables: owners.filter((id) => id === one.person).length }));
}

/**
 * Makes the private tables of somebody who is no longer in the workspace one's own, still private: so that what they
 * left is not lost. Of whoever is in the workspace they stay theirs alone.
 */
export async function takeOver(pool: Pool, access: WorkspaceAccess, person: number): Promise<LeftBehind> {
  return withWorkspace(pool, access, 'exclusive', async (client, now) => {
    requireRight(now, 'people');
    requireRight(now, 'design');
    const left = (await leftBehind(client, now)).find((one) => one.person === person);
    if (!left) throw await notLeft(client, now, person);
    const changes = ownTables(now.whole.model)
      .filter(({ privateTo }) => privateTo === person)
      .map(({ id }): Change => ({ do: 'changeTable', table: id, set: { privateTo: now.person.id } }));
    const title = `private tables of ${left.name} taken over`;
    await applyStructure({ client, access: now, exclusive: true }, changes, { kind: 'plan', title });
    // Their history goes with them: nobody else could take back what was done there.
    await client.query(
      sql`update loom.batches set private_to = ${now.person.id} where workspace = ${now.workspace.id} and private_to = ${person}`,
    );
    await auditing(client, now.person, now.workspace.id, 'tablesTakenOver', { who: left.name, tables: left.tables });
    return left;
  });
}

async function notLeft(client: Client, { whole }: WorkspaceAccess, person: number) {
  const { rows } = await client.query<{ name: string }>(
    sql`
      select p.name
      from loom.memberships m
      join loom.people p on p.id = m.person
      where m.workspace = ${whole.id} and m.person = ${person}
    `,
  );
  return rows[0]
    ? refuse(409, `${rows[0].name} is in this workspace.`, 'Ask them to share their private tables.', '/person')
    : notHere('person with private tables');
}
