import type { FieldId } from '../types/identity';
import { findField } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { dependenciesOf, type Dependency } from './dependencies';
import { feedDependencies, feedSources, type StandingSource } from './feeds';
import { hierarchyPaths, isOverHierarchy } from './hierarchy';

/** A field that is kept up to date, with what it comes from: a formula, or the link of a feed's source. */
export interface CalculatedField {
  readonly table: Table;
  readonly field: Field;
  readonly on: readonly Dependency[];
}

/**
 * Calculated fields of one table that are worked out by one statement. One may come from another of them on the same
 * record; then it stands behind it. A field that reads itself over a hierarchy has a step of its own, and so has the link of each
 * source of a feed: it makes the records whose other fields are worked out behind it.
 */
export interface CalculationStep {
  readonly table: Table;
  readonly fields: readonly CalculatedField[];
  /** The paths over which the step's one field reads itself. */
  readonly hierarchy?: readonly (readonly FieldId[])[];
  readonly feeds?: StandingSource;
}

interface Graph {
  readonly calculated: ReadonlyMap<FieldId, CalculatedField>;
  /** For each field, the calculated fields that come from it directly. */
  readonly users: ReadonlyMap<FieldId, readonly CalculatedField[]>;
  steps?: readonly CalculationStep[];
}

const graphs = new WeakMap<Model, Graph>();

function graphOf(model: Model): Graph {
  const known = graphs.get(model);
  if (known) return known;
  const calculated = new Map<FieldId, CalculatedField>();
  const users = new Map<FieldId, CalculatedField[]>();
  for (const table of model.tables)
    for (const field of table.fields) {
      if (field.type.kind !== 'formula' && !feedSources(model).has(field.id)) continue;
      const node = { table, field, on: comesFrom(model, field) };
      calculated.set(field.id, node);
      for (const id of new Set(node.on.map((dependency) => dependency.field)))
        users.set(id, [...(users.get(id) ?? []), node]);
    }
  const graph = { calculated, users };
  graphs.set(model, graph);
  return graph;
}

/** What a field comes from: its formula, or which records there are. */
const comesFrom = (model: Model, { id, type }: Field): readonly Dependency[] =>
  type.kind === 'formula' ? dependenciesOf(model, type.formula).on : feedDependencies(model, id);

const reaches = new WeakMap<Model, Map<string, readonly Table[]>>();

/** The tables in which something is calculated from these fields, over any number of steps. */
export function tablesFrom(model: Model, fields: readonly FieldId[]): readonly Table[] {
  const ofModel = reaches.get(model) ?? new Map<string, readonly Table[]>();
  reaches.set(model, ofModel);
  const key = [...fields].sort().join();
  const known = ofModel.get(key);
  if (known) return known;
  const seen = new Set(fields);
  const tables = new Set<Table>();
  for (const id of seen)
    for (const { table, field } of usersOf(model, id)) {
      tables.add(table);
      seen.add(field.id);
    }
  ofModel.set(key, [...tables]);
  return [...tables];
}

/** The calculated fields that come directly from this one. */
export const usersOf = (model: Model, field: FieldId): readonly CalculatedField[] =>
  graphOf(model).users.get(field) ?? [];

/**
 * The path by which a field would be calculated from itself on the same record, beginning and ending with it, or null.
 * A field that reads itself over a hierarchy is none. Depth first, each field visited once.
 */
export function cycleThrough(model: Model, start: FieldId): FieldId[] | null {
  const visited = new Set<FieldId>();
  // Only what the field comes from is looked at: a new formula is checked in a model of which nothing is known yet.
  const dependencies = (id: FieldId): readonly Dependency[] => {
    const field = findField(model, id)?.field;
    return field ? comesFrom(model, field) : [];
  };
  function search(id: FieldId, path: readonly FieldId[]): FieldId[] | null {
    for (const dependency of dependencies(id)) {
      const { field } = dependency;
      if (isOverHierarchy(id, dependency)) continue;
      if (field === start) return [...path, field];
      if (visited.has(field)) continue;
      visited.add(field);
      const found = search(field, [...path, field]);
      if (found) return found;
    }
    return null;
  }
  return search(start, [start]);
}

/**
 * Calculated fields of one table in layers: those of a layer come, on their own record, only from those of the layers
 * before it, or from none of them.
 */
export function layersOf(fields: readonly CalculatedField[]): readonly (readonly CalculatedField[])[] {
  const among = new Map(fields.map((one) => [one.field.id, one]));
  const known = new Map<FieldId, number>();
  function layer(one: CalculatedField): number {
    const found = known.get(one.field.id) ?? Math.max(0, ...before(one).map((other) => layer(other) + 1));
    known.set(one.field.id, found);
    return found;
  }
  const before = ({ on }: CalculatedField) =>
    on.flatMap(({ path, field }) => (path.length === 0 ? (among.get(field) ?? []) : []));
  const layers: CalculatedField[][] = [];
  for (const one of fields) (layers[layer(one)] ??= []).push(one);
  return layers;
}

/**
 * All calculated fields in an order in which each comes after what it needs, those of one table that need nothing from
 * outside it in between gathered into one step. The model is free of cycles, as changes that make one are refused.
 */
export function calculationSteps(model: Model): readonly CalculationStep[] {
  const graph = graphOf(model);
  if (graph.steps) return graph.steps;
  const sources = feedSources(model);
  const depths = new Map<FieldId, number>();
  const hierarchies = new Map([...graph.calculated].map(([id, { field }]) => [id, hierarchyPaths(model, field)]));
  const alone = (id: FieldId) => (hierarchies.get(id)?.length ?? 0) > 0;
  function depth(id: FieldId): number {
    const node = graph.calculated.get(id);
    // What people enter in a fed table is there once its records are.
    if (!node) return Math.max(0, ...feedDependencies(model, id).map(({ field }) => depth(field)));
    const known = depths.get(id);
    if (known !== undefined) return known;
    const needed = node.on.flatMap((one) => {
      if (isOverHierarchy(id, one)) return [];
      const together =
        one.path.length === 0 &&
        graph.calculated.has(one.field) &&
        ![id, one.field].some((other) => alone(other) || sources.has(other));
      return [depth(one.field) - (together ? 1 : 0)];
    });
    const found = 1 + Math.max(0, ...needed);
    depths.set(id, found);
    return found;
  }
  const steps = new Map<string, { depth: number; table: Table; fields: CalculatedField[] }>();
  for (const node of graph.calculated.values()) {
    const at = depth(node.field.id);
    const key = `${at} ${node.table.id} ${alone(node.field.id) || sources.has(node.field.id) ? node.field.id : ''}`;
    const step = steps.get(key) ?? { depth: at, table: node.table, fields: [] };
    step.fields.push(node);
    steps.set(key, step);
  }
  graph.steps = [...steps.values()]
    .sort((a, b) => a.depth - b.depth)
    .map(({ table, fields }) => {
      const [first] = fields;
      const hierarchy = hierarchies.get(first?.field.id ?? '') ?? [];
      const feeds = sources.get(first?.field.id ?? '');
      return {
        table,
        fields: layersOf(fields).flat(),
        ...(hierarchy.length > 0 ? { hierarchy } : {}),
        ...(feeds ? { feeds } : {}),
      };
    });
  return graph.steps;
}
