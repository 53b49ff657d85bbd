import { eq, inArray } from 'drizzle-orm';
import { emptyModel } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { TableId } from '$core/types/identity';
import type { Parts } from '$core/types/part';
import { workspaces, type RoleId } from '../database/catalogue';
import { catalogueOn, isPool, type Client, type Pool } from '../database/pool';
import { epochOf } from '../sql/statement';

/** What a program may do at most of what the person may whose token it shows. */
interface Limits {
  /** The number of the token. */
  readonly token: number;
  readonly role: RoleId | null;
  /** Where: one workspace by its id, or wherever the person may. */
  readonly workspace: number | null;
  /** In which tables of it, by identity; null: in all. */
  readonly tables: readonly TableId[] | null;
}

/** As whom somebody looks at one workspace: as one of its people, or by a role. */
export type SeeAs = { readonly workspace: number } & ({ readonly person: number } | { readonly role: RoleId });

export interface Person {
  readonly id: number;
  readonly email: string;
  readonly name: string;
  /** The language that they chose to read (BCP 47). */
  readonly language?: string | null;
  /** Where it is a program that may do less than they. */
  readonly limits?: Limits;
  /** As whom they look at a workspace, where they asked to. */
  readonly seeAs?: SeeAs;
}

/** A workspace at one moment: where its tables live, and which day it is there. */
export interface Home {
  readonly id: number;
  /** Also the name of its schema. */
  readonly key: string;
  readonly zone: string;
  readonly day: string;
  readonly version: number;
}

export const homeColumns = {
  id: workspaces.id,
  key: workspaces.key,
  zone: workspaces.zone,
  day: workspaces.day,
  version: workspaces.version,
};

// Models are immutable, so the newest of each workspace can be shared by all requests of this process. Both maps hold
// committed models only: they are filled from the pool, never from a transaction, as that may still roll back.
const models = new Map<number, { version: number; model: Model }>();
const joined = new Map<number, { epoch: string; model: Model }>();

/**
 * The model of a workspace's own tables at a version; from memory unless it moved on; null where the workspace has
 * another version by now.
 */
async function ownModel(connection: Pool | Client, { id, version }: Home): Promise<Model | null> {
  const known = models.get(id);
  if (known?.version === version) return known.model;
  const [row] = await catalogueOn(connection)
    .select({ model: workspaces.model, version: workspaces.version })
    .from(workspaces)
    .where(eq(workspaces.id, id));
  if (!row) return emptyModel;
  if (isPool(connection) && row.version >= (known?.version ?? 0)) models.set(id, row);
  return row.version === version ? row.model : null;
}

/** The workspaces that these are, in the order of their ids. */
export const homesOf = async (connection: Pool | Client, ids: readonly number[]): Promise<Home[]> =>
  ids.length === 0
    ? []
    : catalogueOn(connection)
        .select(homeColumns)
        .from(workspaces)
        .where(inArray(workspaces.id, [...ids]))
        .orderBy(workspaces.id);

/**
 * The model over a workspace and those it is linked with: its own tables first, then those of the others, each with its
 * home. The same versions give the same object; null where one of them has another version by now.
 */
export async function modelOver(connection: Pool | Client, own: Home, peers: readonly Home[]): Promise<Model | null> {
  const model = await ownModel(connection, own);
  if (model === null) return null;
  if (peers.length === 0) return model;
  const epoch = epochOf({ ...own, peers });
  const known = joined.get(own.id);
  if (known?.epoch === epoch) return known.model;
  const others: Model['tables'][number][] = [];
  const peerParts: Record<string, Parts> = {};
  for (const peer of peers) {
    const theirs = await ownModel(connection, peer);
    if (theirs === null) return null;
    others.push(...theirs.tables.map((table) => ({ ...table, home: peer.key })));
    if (theirs.parts) peerParts[peer.key] = theirs.parts;
  }
  const whole: Model = {
    ...model,
    tables: [...model.tables, ...others],
    ...(Object.keys(peerParts).length > 0 ? { peerParts } : {}),
  };
  if (isPool(connection)) joined.set(own.id, { epoch, model: whole });
  return whole;
}
