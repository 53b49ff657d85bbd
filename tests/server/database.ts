import pg from 'pg';
import { hashPassword } from '../../src/lib/server/access/signIn';
import { takeSeat, type Person, type Seat } from '../../src/lib/server/access/seat';
import { people, type Role, members } from '../../src/lib/server/database/catalogue';
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
export async function makeSeat(pool: Pool, person: Person, label: string): Promise<Seat> {
  const { key } = await makeWorkspace(pool, person, { label });
  return takeSeat(pool, person, key, 'administrator');
}

export async function join(pool: Pool, seat: Seat, person: Person, role: Role): Promise<void> {
  await catalogueOn(pool).insert(members).values({ workspace: seat.workspace.id, person: person.id, role });
}
