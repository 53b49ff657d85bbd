import { randomInt } from 'node:crypto';
import pg from 'pg';
import { hashPassword } from '../../src/lib/server/access/signIn';
import { authorize, type Person, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { people, type RoleId, members } from '../../src/lib/server/database/catalogue';
import { catalogueOn, openPool, type Pool } from '../../src/lib/server/database/pool';
import { makeWorkspace } from '../../src/lib/server/workspaces/workspaces';

export const templateName = 'loom_template';

/** The address of one database of the test cluster that `./loom test` starts. */
export function databaseUrl(name: string): string {
  const url = process.env.TEST_DATABASE_URL;
  if (!url) throw new Error('TEST_DATABASE_URL is not set: run ./loom test, or name a PostgreSQL server in it');
  return url.replace(/\/[^/]*$/, `/${name}`);
}

/** The databases that the running test file has open, looked through after each of its cases. */
export const openDatabases = new Set<Pool>();

/** A database of its own for one test file. */
export async function freshDatabase(name: string): Promise<{ pool: Pool; url: string; drop: () => Promise<void> }> {
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query(`drop database if exists ${name} with (force)`);
  await admin.query(`create database ${name} template ${templateName}`);
  const pool = openPool(databaseUrl(name), 24);
  // Test files share a process: what is in memory by the number of a workspace is none of another database.
  await pool.query(`select setval(pg_get_serial_sequence('loom.workspaces', 'id'), $1)`, [
    1_000 * randomInt(1, 900_000),
  ]);
  openDatabases.add(pool);
  return {
    pool,
    url: databaseUrl(name),
    drop: async () => {
      openDatabases.delete(pool);
      await pool.end();
      await admin.query(`drop database if exists ${name} with (force)`);
      await admin.end();
    },
  };
}

const password = hashPassword('test');

export async function makePerson(pool: Pool, name: string): Promise<Person> {
  const email = `${name.toLowerCase()}@alderfold.example`;
  const [made] = await catalogueOn(pool)
    .insert(people)
    .values({ email, name, passwordHash: await password })
    .returning();
  return { id: made!.id, email, name };
}

/** A workspace with its administrator. */
export async function makeAccess(pool: Pool, person: Person, label: string): Promise<WorkspaceAccess> {
  const { key } = await makeWorkspace(pool, person, { label });
  return authorize(pool, person, key, 'design');
}

export async function join(pool: Pool, access: WorkspaceAccess, person: Person, role: RoleId): Promise<void> {
  await catalogueOn(pool).insert(members).values({ workspace: access.workspace.id, person: person.id, role });
}
