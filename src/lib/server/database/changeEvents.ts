import { sql } from '../base/sql';
import type { Client } from './pool';

/** Tells open pages and programs that something changed; they ask for what they show. */
export interface ChangeEvent {
  readonly workspace: number;
  readonly batch: number | null;
  /** Identities of the tables whose records or structure changed. */
  readonly tables: readonly string[];
}

/**
 * The topics of the database's channel (`loom.channel`): what changed, and who is where. The channel's name is a secret:
 * PostgreSQL lets whoever can connect listen to any channel, and speak on it.
 */
export const changesTopic = '';
export const hereTopic = '_here';

/** PostgreSQL passes on less than 8,000 bytes. */
const mostTold = 7_000;

/** Tables to tell of: none, which stands for all of them, where their names are too many to be passed on. */
export function tablesToTell(tables: Iterable<string>): string[] {
  const told = [...new Set(tables)];
  return JSON.stringify(told).length > mostTold ? [] : told;
}

/** Has every open page of some workspaces look at its rights again, and at all that it shows. */
export async function lookAgain(client: Client, workspaces: readonly number[]): Promise<void> {
  await client.query(
    sql`
      select loom.tell(${changesTopic}, json_build_object('workspace', w, 'batch', null, 'tables', '[]'::json)::text)
      from unnest(${[...workspaces]}::int[]) w
    `,
  );
}
