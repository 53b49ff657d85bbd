import type { Change } from '$core/types/change';
import type { HomedChange } from '$core/changes/homed';
import { applyChange } from '$core/changes/change';
import { viewFrom, withView, type Joint } from '$core/model/joint';
import { fieldNamed, tableNamed } from '$core/model/model';
import { fieldSettings } from '$core/types/field';
import type { Model } from '$core/types/model';
import { freeLabel } from '$core/model/names/naming';
import { partKinds, partOf, standingParts, tablePartKinds } from '$core/parts/parts';
import type { AnyPart, PartKind } from '$core/types/part';
import { Refusal, refuse } from '../../base/refusal';
import type { PartJson } from './parts';
import { fieldJson, type FieldJson } from '../../structure/fieldJson';

/** A structure as `GET …/export?format=structure` writes it: the same shape as the model's. */
export interface StructureJson {
  readonly tables: readonly {
    readonly key: string;
    readonly label: string;
    readonly description?: string;
    readonly dye?: string;
    readonly icon?: string | null;
    readonly title?: string | null;
    readonly private?: boolean;
    readonly fields: readonly (Record<string, unknown> & { readonly key: string; readonly type: string })[];
    readonly rules?: readonly {
      readonly message: string;
      readonly condition?: string;
      readonly unique?: readonly string[];
      readonly fromNow?: boolean;
    }[];
  }[];
}

/** A change as programs write it, not looked at yet. */
type Written = { readonly do: string } & Readonly<Record<string, unknown>>;

/** Turns a change as it is written into the core's, over the structure that it is for; refuses what cannot be read. */
export type ReadChange = (model: Model, change: Written) => readonly Change[];

const isSystem = (type: string): boolean => ['createdAt', 'createdBy', 'changedAt', 'changedBy'].includes(type);

/** A field as it is written for a change: without what only reading tells. */
function written({ id: _, result: __, counterpartOf: ___, counterpart, ...field }: Record<string, unknown>): FieldJson {
  const other = counterpart as { key?: string; label?: string; off?: boolean } | undefined;
  return {
    ...field,
    ...(other ? { counterpart: { key: other.key, label: other.label, ...(other.off ? { off: true } : {}) } } : {}),
  } as unknown as FieldJson;
}

/** A structure with the key of the workspace that it is of. */
export interface HomedStructure {
  readonly home: string;
  readonly structure: StructureJson;
}

/** The changes that build a structure beside what stands. */
export const changesFromStructure = (model: Model, structure: StructureJson, read: ReadChange): Change[] =>
  changesFromStructures(new Map([['', model]]), [{ home: '', structure }], read).map(({ change }) => change);

/**
 * The changes that build the structures of workspaces that are linked with each other, each as its own workspace has it:
 * tables, then links, then what is calculated and ruled, each once everything it needs is there.
 */
export function changesFromStructures(
  joint: Joint,
  structures: readonly HomedStructure[],
  read: ReadChange,
): HomedChange[] {
  const building = new Building(joint, read);
  const tables = structures.flatMap(({ home, structure }) =>
    structure.tables.map((table): HomedTable => ({ home, table })),
  );
  for (const one of tables) building.addTable(one);
  const waiting = tables.flatMap((one) => building.addLinks(one));
  addInOrder(waiting);
  for (const one of tables) building.settle(one);
  for (const one of tables) building.putInOrder(one);
  // A routine attaches a summary, which lists what a view of a table shows: each once what it names is there.
  const places = new Places();
  addInOrder([
    ...tables.flatMap((one) => building.partsOfTable(one, places)),
    ...structures.flatMap((one) => building.partsBeside(one, places)),
  ]);
  return building.changes;
}

interface HomedTable {
  readonly home: string;
  readonly table: StructureJson['tables'][number];
}

const isLater = (field: Readonly<Record<string, unknown>>): boolean =>
  field.type === 'formula' ||
  field.candidates !== undefined ||
  (typeof field.default === 'object' && field.default !== null && 'formula' in field.default);

/** Models in the making, with the changes that made them. */
class Building {
  readonly changes: HomedChange[] = [];

  constructor(
    private joint: Joint,
    private readonly read: ReadChange,
  ) {}

  private model(home: string): Model {
    return viewFrom(this.joint, home);
  }

  private add(home: string, json: Written): void {
    const before = this.model(home);
    for (const change of this.read(before, json)) {
      this.changes.push({ home, change });
      const applied = applyChange(this.model(home), change);
      // What follows goes by names: it must never find the table that has taken one instead.
      if (!applied.ok) throw refuse(422, applied.problem.message, applied.problem.fix);
      this.joint = withView(this.joint, home, applied.value);
    }
  }

  addTable({ home, table }: HomedTable): void {
    const { rules: _, fields, title, ...names } = table;
    const plain = fields
      .filter((field) => field.type !== 'link' && !isLater(field) && !isSystem(field.type))
      .map(written);
    const first = fields.find(({ key }) => key === title);
    this.add(home, {
      do: 'addTable',
      ...names,
      ...('id' in names ? { id: undefined } : {}),
      fields: plain,
      ...(first && plain.some(({ key }) => key === first.key)
        ? { title: first.key }
        : title === null
          ? { title: null }
          : {}),
    });
  }

  /** Adds the links of a table; gives what waits for others: what is calculated, limited or ruled. */
  addLinks({ home, table }: HomedTable): (() => void)[] {
    const waiting: (() => void)[] = [];
    for (const field of table.fields) {
      // The other side of a link comes with the link; of a link to many either side brings both.
      if (field.counterpartOf !== undefined || isSystem(field.type)) continue;
      if (field.type === 'link') {
        const { candidates, shows, ...link } = field;
        const model = this.model(home);
        const owner = tableNamed(model, table.key);
        if (!owner || !fieldNamed(owner, field.key))
          this.add(home, { do: 'addField', table: table.key, field: besideOthers(model, written(link)) });
        if (candidates !== undefined || shows !== undefined)
          waiting.push(() =>
            this.add(home, {
              do: 'changeField',
              table: table.key,
              field: field.key,
              set: {
                ...(candidates ? { candidates: String(candidates) } : {}),
                ...(shows ? { shows: shows as string[] } : {}),
              },
            }),
          );
      } else if (isLater(field))
        waiting.push(() => this.add(home, { do: 'addField', table: table.key, field: written(field) }));
    }
    for (const { message, condition, unique, fromNow } of table.rules ?? [])
      waiting.push(() => this.add(home, { do: 'addRule', table: table.key, message, condition, unique, fromNow }));
    return waiting;
  }

  /** What is said of fields that came with others: the other sides of links, and those that every table has. */
  settle({ home, table }: HomedTable): void {
    for (const field of table.fields) {
      const owner = tableNamed(this.model(home), table.key);
      const stands =
        owner &&
        (fieldNamed(owner, field.key) ??
          owner.fields.find(({ type }) => isSystem(field.type) && type.kind === field.type));
      if (!stands) continue;
      const now = fieldJson(this.model(home), stands);
      // What is not said is as it comes, but for what is switched off from the beginning.
      const said = fieldSettings.filter((name) => name in field || (name === 'off' && isSystem(field.type)));
      const set = Object.fromEntries(
        said.flatMap((name) =>
          JSON.stringify(now[name]) === JSON.stringify(field[name]) ? [] : [[name, field[name] ?? false]],
        ),
      );
      if (Object.keys(set).length > 0) this.add(home, { do: 'changeField', table: table.key, field: stands.key, set });
    }
  }

  putInOrder({ home, table }: HomedTable): void {
    const owner = () => tableNamed(this.model(home), table.key);
    for (const [index, { key }] of table.fields.entries()) {
      const at = owner()?.fields.findIndex((field) => field.key === key) ?? -1;
      if (at >= 0 && at !== index) this.add(home, { do: 'moveField', table: table.key, field: key, to: index });
    }
    const now = owner();
    const title = now?.fields.find(({ key }) => key === table.title);
    if (now && title && now.title !== title.id)
      this.add(home, { do: 'changeTable', table: table.key, set: { title: title.key } });
  }

  /** The parts of a table as they were; what every table has of a kind is written where it differs from that. */
  partsOfTable({ home, table }: HomedTable, places: Places): (() => void)[] {
    return tablePartKinds().flatMap((kind) =>
      ((table as unknown as Record<string, PartJson[]>)[partOf(kind).words] ?? []).map(
        ({ id, ...part }, index) =>
          () => {
            const owner = tableNamed(this.model(home), table.key);
            const stands = owner && (standingParts(owner, kind) as readonly AnyPart[]).some((one) => one.id === id);
            const of = `${home} ${table.key} ${kind}`;
            this.add(
              home,
              stands
                ? { do: 'changePart', kind, table: table.key, part: String(id), set: part }
                : { do: 'addPart', kind, table: table.key, part, at: places.before(of, index) },
            );
            places.taken(of, index);
          },
      ),
    );
  }

  partsBeside({ home, structure }: HomedStructure, places: Places): (() => void)[] {
    return partsBeside(structure).map(({ kind, part }, index) => () => {
      const of = `${home} ${kind}`;
      this.add(home, { do: 'addPart', kind, part, at: places.before(of, index) });
      places.taken(of, index);
    });
  }
}

/** Where parts come to stand that are not added in their order. */
class Places {
  private readonly indexes = new Map<string, number[]>();

  /** How many of those before it are there. */
  before(of: string, index: number): number {
    return (this.indexes.get(of) ?? []).filter((one) => one < index).length;
  }
  taken(of: string, index: number): void {
    this.indexes.set(of, [...(this.indexes.get(of) ?? []), index]);
  }
}

/** What a structure has beside its tables, kind by kind; roles are in that of a template. */
const partsBeside = (structure: StructureJson): { readonly kind: PartKind; readonly part: PartJson }[] =>
  partKinds
    .filter((kind) => partOf(kind).ofWorkspace)
    .flatMap((kind) =>
      ((structure as unknown as Record<string, PartJson[]>)[partOf(kind).words] ?? []).map(({ id: _, ...part }) => ({
        kind,
        // What used something that was gone there says nothing here.
        part: Array.isArray(part.blocks)
          ? { ...part, blocks: (part.blocks as PartJson[]).filter(({ lost }) => lost === undefined) }
          : part,
      })),
    );

/** The tables of other workspaces that a structure asks for, by their names. */
export const foreignIn = (structure: StructureJson): string[] => [
  ...structure.tables.flatMap(({ fields }) => fields.flatMap(({ to }) => (typeof to === 'string' ? [to] : []))),
  ...partsBeside(structure).flatMap(({ part }) =>
    ((part.blocks ?? []) as { readonly table?: unknown }[]).flatMap(({ table }) =>
      typeof table === 'string' && table.includes('.') ? [table] : [],
    ),
  ),
];

/** A link whose other side is called what stands in its target already has that side named anew. */
function besideOthers(model: Model, link: FieldJson): FieldJson {
  const target = tableNamed(model, link.to ?? '');
  const key = link.counterpart?.key;
  if (!target || key === undefined || !fieldNamed(target, key)) return link;
  return {
    ...link,
    counterpart: {
      ...link.counterpart,
      key: undefined,
      label: freeLabel(
        link.counterpart?.label ?? link.label,
        target.fields.map(({ label }) => label),
      ),
    },
  };
}

/** Does each step once what it reads is there: as long as any can be done, those that could not are tried again. */
function addInOrder(steps: readonly (() => void)[]): void {
  let left = [...steps];
  while (left.length > 0) {
    const next: (() => void)[] = [];
    let refusal: unknown;
    for (const step of left)
      try {
        step();
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        refusal = error;
        next.push(step);
      }
    if (next.length === left.length) throw refusal;
    left = next;
  }
}
