import type { Change } from '$core/types/change';
import { applyChange } from '$core/changes/change';
import { fieldNamed, tableNamed } from '$core/model/model';
import type { Model } from '$core/types/model';
import { freeLabel } from '$core/model/names/naming';
import { partKinds, partOf, standingParts, tablePartKinds } from '$core/parts/parts';
import type { AnyPart, PartKind } from '$core/types/part';
import { Refusal, refuse } from '../../base/refusal';
import type { PartJson } from './parts';
import type { FieldJson } from '../../structure/fieldJson';

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

/**
 * The changes that build a structure beside what stands: tables, then links, then what is calculated and ruled, each
 * once everything it needs is there.
 */
export function changesFromStructure(model: Model, structure: StructureJson, read: ReadChange): Change[] {
  const { tables } = structure;
  const changes: Change[] = [];
  let current = model;
  const add = (json: Written): void => {
    for (const change of read(current, json)) {
      changes.push(change);
      const applied = applyChange(current, change);
      // What follows goes by names: it must never find the table that has taken one instead.
      if (!applied.ok) throw refuse(422, applied.problem.message, applied.problem.fix);
      current = applied.value;
    }
  };
  const isLater = (field: Record<string, unknown>) =>
    field.type === 'formula' ||
    field.candidates !== undefined ||
    (typeof field.default === 'object' && field.default !== null && 'formula' in field.default);
  for (const table of tables) {
    const { rules: _, fields, title, ...names } = table;
    const plain = fields
      .filter((field) => field.type !== 'link' && !isLater(field) && !isSystem(field.type))
      .map(written);
    const first = fields.find(({ key }) => key === title);
    add({
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
  const waiting: (() => void)[] = [];
  for (const table of tables) {
    for (const field of table.fields) {
      // The other side of a link comes with the link; of a link to many either side brings both.
      if (field.counterpartOf !== undefined || isSystem(field.type)) continue;
      if (field.type === 'link') {
        const { candidates, shows, ...link } = field;
        const known = () => {
          const owner = tableNamed(current, table.key);
          return owner && fieldNamed(owner, field.key);
        };
        if (!known()) add({ do: 'addField', table: table.key, field: besideOthers(current, written(link)) });
        if (candidates !== undefined || shows !== undefined)
          waiting.push(() =>
            add({
              do: 'changeField',
              table: table.key,
              field: field.key,
              set: {
                ...(candidates ? { candidates: String(candidates) } : {}),
                ...(shows ? { shows: shows as string[] } : {}),
              },
            }),
          );
      } else if (isLater(field)) waiting.push(() => add({ do: 'addField', table: table.key, field: written(field) }));
    }
    for (const { message, condition, unique, fromNow } of table.rules ?? [])
      waiting.push(() => add({ do: 'addRule', table: table.key, message, condition, unique, fromNow }));
  }
  addInOrder(waiting);
  for (const table of tables) putInOrder(table, add, () => current);
  // A routine attaches a summary, which lists what a view of a table shows: each once what it names is there.
  const places = new Places();
  addInOrder([
    ...tables.flatMap((table) => partsToAdd(table, add, () => current, places)),
    ...partsBeside(structure).map(({ kind, part }, index) => () => {
      add({ do: 'addPart', kind, part, at: places.before(kind, index) });
      places.taken(kind, index);
    }),
  ]);
  return changes;
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

/** The parts of a table as they were; what every table has of a kind is written where it differs from that. */
const partsToAdd = (
  table: StructureJson['tables'][number],
  add: (json: Written) => void,
  model: () => Model,
  places: Places,
): (() => void)[] =>
  tablePartKinds().flatMap((kind) =>
    ((table as unknown as Record<string, PartJson[]>)[partOf(kind).words] ?? []).map(({ id, ...part }, index) => () => {
      const owner = tableNamed(model(), table.key);
      const stands = owner && (standingParts(owner, kind) as readonly AnyPart[]).some((one) => one.id === id);
      const at = places.before(`${table.key} ${kind}`, index);
      add(
        stands
          ? { do: 'changePart', kind, table: table.key, part: String(id), set: part }
          : { do: 'addPart', kind, table: table.key, part, at },
      );
      places.taken(`${table.key} ${kind}`, index);
    }),
  );

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

function putInOrder(table: StructureJson['tables'][number], add: (json: Written) => void, model: () => Model): void {
  const keys = table.fields.map(({ key }) => key);
  for (const [index, key] of keys.entries()) {
    const owner = tableNamed(model(), table.key);
    const at = owner?.fields.findIndex((field) => field.key === key) ?? -1;
    if (at >= 0 && at !== index) add({ do: 'moveField', table: table.key, field: key, to: index });
  }
  const owner = tableNamed(model(), table.key);
  const title = owner?.fields.find(({ key }) => key === table.title);
  if (owner && title && owner.title !== title.id)
    add({ do: 'changeTable', table: table.key, set: { title: title.key } });
}
