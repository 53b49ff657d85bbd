import { emptyJoint, jointOf, viewFrom } from '$core/model/joint';
import type { Model } from '$core/types/model';
import { refuse } from '../../base/refusal';
import { sql } from '../../base/sql';
import type { Pool } from '../../database/pool';
import type { Person } from '../../access/models';
import type { BuildStructure } from '../../packages/bringIn';
import type { WrittenStructure } from '../../packages/format';
import type { WriteStructure } from '../../packages/write';
import { readChange } from '../changes/changes';
import { changesFromStructures, type StructureJson } from '../changes/structureImport';
import { writtenStructure } from '../writtenStructure';

type Json = Readonly<Record<string, unknown>>;

/** The people and groups of this Directory, by what they are known by everywhere. */
interface Directory {
  readonly people: ReadonlyMap<number, string>;
  readonly groups: ReadonlyMap<number, string>;
}

async function directoryNames(pool: Pool): Promise<Directory> {
  const people = await pool.query<{ id: number; name: string }>(sql`select id, email as name from loom.people`);
  const groups = await pool.query<{ id: number; name: string }>(sql`select id, label as name from loom.groups`);
  const named = (rows: readonly { id: number; name: string }[]) => new Map(rows.map(({ id, name }) => [id, name]));
  return { people: named(people.rows), groups: named(groups.rows) };
}

/** What a person and a group that are named become; nothing where they are left out. */
interface Names {
  readonly person: (given: unknown) => unknown;
  readonly group: (given: unknown) => unknown;
}

/** JSON with the people and groups in it turned: from numbers to names, or back. */
function turned(json: unknown, names: Names): unknown {
  const visitAll = (value: Json): Json =>
    Object.fromEntries(Object.entries(value).map(([name, one]) => [name, visit(name, one)]));
  const visit = (name: string, value: unknown): unknown => {
    if (Array.isArray(value))
      return value.flatMap((one) => {
        // The groups for which a summary is are numbers here, and {group} elsewhere; others are by what it groups.
        const isGroup = name === 'groups' && (typeof one === 'number' || only(one, 'group'));
        if (!isGroup) return [visit('', one)];
        const known = names.group(typeof one === 'number' ? one : (one as Json).group);
        return known === undefined ? [] : [known];
      });
    if (typeof value !== 'object' || value === null) return value;
    if (only(value, 'person')) return names.person((value as Json).person);
    const { default: preset, ...rest } = value as Json;
    if (rest.type !== 'member' || !only(preset, 'value')) return visitAll(value as Json);
    const known = turnedDefault((preset as Json).value, names.person);
    return { ...visitAll(rest), ...(known === undefined ? {} : { default: known }) };
  };
  return visit('', json);
}

const only = (value: unknown, name: string): boolean =>
  typeof value === 'object' && value !== null && Object.keys(value).join() === name;

function turnedDefault(value: unknown, person: Names['person']): unknown {
  const given = typeof value === 'object' && value !== null && 'id' in value ? value.id : value;
  const known = person(given) as { person?: unknown } | undefined;
  return known && 'person' in known ? { value: known.person } : undefined;
}

/** Writes structures for a package: people by their email, groups by their name. */
export async function structureWriter(pool: Pool, own: string): Promise<WriteStructure> {
  const { people, groups } = await directoryNames(pool);
  const names: Names = {
    person: (id) => ({ person: people.get(Number(id)) ?? null }),
    group: (id) => (groups.has(Number(id)) ? { group: groups.get(Number(id)) } : undefined),
  };
  return (model: Model, home: string) =>
    Promise.resolve(
      turned(
        writtenStructure(viewFrom(jointOf(model, own), home), (part) => part),
        names,
      ) as WrittenStructure,
    );
}

/** Reads the structures of a package: whom nobody here is called like is written to by nobody, and said. */
export const structureReader =
  (pool: Pool, maker: Person): BuildStructure =>
  async ({ workspaces }) => {
    const { people, groups } = await directoryNames(pool);
    const [ids, groupIds] = [people, groups].map((all) => new Map([...all].map(([id, name]) => [name, id])));
    const notes = new Set<string>();
    const person = (email: unknown) => {
      const id = ids?.get(String(email));
      if (id !== undefined) return { person: id };
      notes.add(`${String(email)} is not in the Directory here: messages that went to them have nobody to go to`);
      return { formula: "''" };
    };
    const group = (name: unknown) => {
      const id = groupIds?.get(String(name));
      if (id === undefined) notes.add(`there is no group “${String(name)}” in the Directory here`);
      return id;
    };
    const structures = workspaces.map(({ key, structure }) => ({
      home: key,
      structure: turned(structure, { person, group }) as StructureJson,
    }));
    const keys = workspaces.map(({ key }) => key);
    try {
      const changes = changesFromStructures(emptyJoint(keys), structures, readChange({ maker: maker.id }));
      return { changes, notes: [...notes] };
    } catch (error) {
      if (error instanceof RangeError) throw refuse(422, 'The structure of the package is nested too deep.');
      throw error;
    }
  };
