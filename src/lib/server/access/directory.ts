import { people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';

/** A person of the organisation, as fields show and offer them. */
export interface DirectoryEntry {
  readonly id: number;
  readonly name: string;
  readonly email: string;
  readonly post: string;
}

/** Everybody in the Directory, by name. It is small: an organisation's people, not the public. */
export const directory = (connection: Pool | Client): Promise<DirectoryEntry[]> =>
  catalogueOn(connection)
    .select({ id: people.id, name: people.name, email: people.email, post: people.post })
    .from(people)
    .orderBy(people.name, people.id);
