import type { Model } from '../types/model';
import { emptyModel } from './model';

/**
 * The models of several workspaces, by their keys: each with its own tables alone. A view of one has its own tables first
 * and those of the others behind them, each with its home, as the model of a linked workspace is.
 */
export type Joint = ReadonlyMap<string, Model>;

export const emptyJoint = (keys: readonly string[]): Joint => new Map(keys.map((key) => [key, emptyModel]));

/** The model as one of the workspaces has it. */
export function viewFrom(joint: Joint, key: string): Model {
  const own = joint.get(key) ?? emptyModel;
  const others = [...joint].filter(([other]) => other !== key);
  if (others.length === 0) return own;
  return {
    ...own,
    tables: [...own.tables, ...others.flatMap(([home, { tables }]) => tables.map((table) => ({ ...table, home })))],
    peerParts: Object.fromEntries(others.flatMap(([home, { parts }]) => (parts ? [[home, parts]] : []))),
  };
}

/** The models after one of the workspaces changed its view. */
export function withView(joint: Joint, key: string, model: Model): Joint {
  // What it has of workspaces that are none of these stays with it.
  if (joint.size === 1) return new Map([[key, model]]);
  const { tables, peerParts: _, ...own } = model;
  return new Map(
    [...joint].map(([home, before]) => [
      home,
      {
        ...(home === key ? own : before),
        tables: tables.filter((table) => (table.home ?? key) === home).map(({ home: __, ...table }) => table),
      },
    ]),
  );
}

/** The models of a workspace and of those it is linked with, from the one over all of them. */
export function jointOf({ tables, peerParts = {}, ...own }: Model, key: string): Joint {
  const homes = new Set([key, ...tables.flatMap(({ home }) => home ?? []), ...Object.keys(peerParts)]);
  return new Map(
    [...homes].map((home): [string, Model] => [
      home,
      {
        ...(home === key ? own : peerParts[home] ? { parts: peerParts[home] } : {}),
        tables: tables.filter((table) => (table.home ?? key) === home).map(({ home: _, ...table }) => table),
      },
    ]),
  );
}
