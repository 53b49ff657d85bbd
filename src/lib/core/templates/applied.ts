import { freeKey } from '../base/key';
import { bad, good, type Result } from '../base/problem';
import { applyChange } from '../changes/change';
import { findTable, isSystem, ownTables } from '../model/model';
import { freeLabel } from '../model/names/naming';
import { partOf } from '../parts/parts';
import type { AddField, AddPart, AddRule, AddTable, Change } from '../types/change';
import type { Field } from '../types/field';
import type { TableId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { partsOf, type AnyPart, type PartOwner } from '../types/part';
import { wholeView } from '../views/view';
import { sameAs, withIdentities, type Identities } from './identities';

/** What becomes of a table of a template: one that stands takes its place, or it is made, under another name if need be. */
export type TableUse =
  | { readonly use: TableId; readonly fields?: Readonly<Record<string, string>> }
  | { readonly key?: string; readonly label?: string };

/** A template as a model, with the changes that build it in an empty one. */
export interface BuiltTemplate {
  readonly model: Model;
  readonly changes: readonly Change[];
}

export interface Applied {
  readonly changes: readonly Change[];
  /** What in the template became what stands, by identity. */
  readonly identities: Identities;
  /** In words: what is called otherwise, as its name was taken, and what is left out. */
  readonly notes: readonly string[];
}

/**
 * The changes that build a template beside what stands. `uses`: by the identity of the template's tables; one that is
 * not named is made. `taken`: keys of tables that the model does not show.
 */
export function applyTemplate(
  standing: Model,
  template: BuiltTemplate,
  uses: ReadonlyMap<TableId, TableUse>,
  taken: readonly string[] = [],
): Result<Applied> {
  const tables = new Map<TableId, TableId>();
  const by: Record<TableId, Readonly<Record<string, string>>> = {};
  for (const [id, use] of uses) {
    if (!('use' in use)) continue;
    tables.set(id, use.use);
    by[id] = use.fields ?? {};
  }
  const identities = sameAs(template.model, standing, tables, by);
  const placing = new Placing(standing, identities, uses, new Set(taken));
  for (const change of template.changes) {
    const placed = placing.place(change);
    if (!placed.ok) return placed;
  }
  const { changes, notes } = placing;
  return good({ changes, identities, notes });
}

const passed = good(true) as Result<true>;
/** What stands keeps its order and its title. */
const unlessStanding =
  <C extends Change>(id: (change: C) => string | null) =>
  (placing: Placing, change: C): Result<true> => {
    const of = id(change);
    return of !== null && placing.stands(of) ? passed : placing.add(change);
  };

/** How each kind of change that builds a template is placed; the others are made as they are. */
const placedBy: {
  readonly [K in Change['do']]?: (placing: Placing, change: Extract<Change, { readonly do: K }>) => Result<true>;
} = {
  addTable: (placing, change) =>
    placing.stands(change.table.id) ? placing.addLacking(change) : placing.add(placing.asNew(change)),
  addField: (placing, change) => (placing.stands(change.field.id) ? passed : placing.add(placing.beside(change))),
  addPart: (placing, change) => placing.placePart(change),
  moveField: unlessStanding(({ table }) => table),
  changeTable: unlessStanding(({ table }) => table),
  addRule: (placing, change) => placing.placeRule(change),
  changeField: unlessStanding(({ field }) => field),
};

/** Changes of a template one by one over what stands: what is there already, by its identity, is passed over. */
export class Placing {
  readonly changes: Change[] = [];
  readonly notes: string[] = [];

  constructor(
    private model: Model,
    private readonly identities: Identities,
    private readonly uses: ReadonlyMap<TableId, TableUse> = new Map(),
    private readonly taken: ReadonlySet<string> = new Set(),
  ) {}

  get now(): Model {
    return this.model;
  }

  place(change: Change): Result<true> {
    const placed = placedBy[change.do] as ((placing: Placing, change: Change) => Result<true>) | undefined;
    return placed ? placed(this, change) : this.add(change);
  }

  stands(id: string): boolean {
    return this.identities.has(id);
  }

  /** Adds a change as it stands, once its identities are those of what stands. */
  add(change: Change): Result<true> {
    const turned = withIdentities(change, this.identities);
    const next = applyChange(this.model, turned);
    if (!next.ok) return bad(next.problem.message, next.problem.fix);
    this.changes.push(turned);
    this.model = next.value;
    return good(true);
  }

  asNew({ table, ...change }: AddTable): AddTable {
    const wish = this.uses.get(table.id);
    const { key = table.key, label = table.label } = wish && !('use' in wish) ? wish : {};
    const own = ownTables(this.model);
    // Tables of linked workspaces have their own.
    const here = this.model.tables.filter(({ home }) => home === undefined);
    const keys = new Set([...here.map((one) => one.key), ...this.taken]);
    const named = {
      key: freeKey(key, keys),
      label: table.pairs
        ? label
        : freeLabel(
            label,
            own.map((one) => one.label),
          ),
    };
    if (named.label !== label) this.notes.push(`${label} is called ${named.label}`);
    return { ...change, table: { ...table, ...named }, at: own.length };
  }

  /** What is entered of a table and lacks in the one that stands for it; the rest is added by changes of its own. */
  addLacking({ table }: AddTable): Result<true> {
    for (const field of table.fields) {
      // One that was deleted lacks nothing.
      if (!this.standing(table.id) || this.stands(field.id) || isSystem(field)) continue;
      const added = this.add(this.beside({ do: 'addField', table: table.id, field, at: 0 }));
      if (!added.ok) return added;
    }
    return passed;
  }

  /** A field with its other side, under names that are free where they come to stand. */
  beside(change: AddField): AddField {
    const { table, field, counterpart } = change;
    const target = field.type.kind === 'link' ? this.standing(field.type.to) : undefined;
    return {
      ...change,
      ...this.placed(this.standing(table), field, change.at),
      ...(counterpart ? { counterpart: this.placed(target, counterpart.field, counterpart.at) } : {}),
    };
  }

  private standing(id: TableId): Table | undefined {
    const now = this.identities.get(id);
    return now === undefined ? undefined : findTable(this.model, now);
  }

  private placed(table: Table | undefined, field: Field, at: number): { field: Field; at: number } {
    if (!table) return { field, at };
    const key = freeKey(field.key, new Set(table.fields.map((one) => one.key)));
    const label = freeLabel(
      field.label,
      table.fields.map((one) => one.label),
    );
    if (label !== field.label) this.notes.push(`${table.label}.${field.label} is called ${label}`);
    return { field: { ...field, key, label }, at: table.fields.length };
  }

  /** The records of a table that stands were entered without it. */
  placeRule(change: AddRule): Result<true> {
    const table = this.standing(change.table);
    if (!table) return this.add(change);
    this.notes.push(`${table.label}: the rule “${change.rule.message}” is left out, as the table stands`);
    return passed;
  }

  placePart(change: AddPart): Result<true> {
    const { kind, table, part } = change;
    const stands = table !== null && this.identities.has(table);
    if (stands && part.id === wholeView) return passed;
    const owner: PartOwner =
      table === null ? this.model : (findTable(this.model, this.identities.get(table) ?? table) ?? {});
    const others = partsOf(owner, kind) as readonly AnyPart[];
    const label = freeLabel(
      part.label,
      others.map((one) => one.label),
    );
    if (label !== part.label) this.notes.push(`the ${partOf(kind).word} “${part.label}” is called “${label}”`);
    return this.add({ ...change, part: { ...part, label }, at: others.length } as AddPart);
  }
}
