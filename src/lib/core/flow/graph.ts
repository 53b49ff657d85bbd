import type { FieldId } from '../model/identity';
import type { Field, Model, Table } from '../model/model';
import { dependenciesOf, type Dependency } from './dependencies';
import { hierarchyPaths, isOverHierarchy } from './hierarchy';

/** A calculated field with what it comes from. */
export interface CalculatedField {
  readonly table: Table;
  readonly field: Field;
  readonly on: readonly Dependency[];
}

/**
 * Calculated fields of one table that can be worked out together: none comes from another of them. A field that reads
 * itself over a hierarchy has a step of its own.
 */
export interface CalculationStep {
  readonly table: Table;
  readonly fields: readonly CalculatedField[];
  /** The paths over which the step's one field reads itself. */
  readonly hierarchy?: readonly (readonly FieldId[])[];
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
      if (field.type.kind !== 'formula') continue;
      const node = { table, field, on: dependenciesOf(model, field.type.formula).on };
      calculated.set(field.id, node);
      for (const id of new Set(node.on.map((dependency) => dependency.field))) users.set(id, [...(users.get(id) ?? []), node]);
    }
  const graph = { calculated, users };
  graphs.set(model, graph);
  return graph;
}

/** The calculated fields that come directly from this one. */
export const usersOf = (model: Model, field: FieldId): readonly CalculatedField[] => graphOf(model).users.get(field) ?? [];

/**
 * The path by which a field would be calculated from itself on the same record, beginning and ending with it, or null. A
 * field that reads itself over a hierarchy is none. Depth first, each field visited once.
 */
export function cycleThrough(model: Model, start: FieldId): FieldId[] | null {
  const { calculated } = graphOf(model);
  const visited = new Set<FieldId>();
  function search(id: FieldId, path: readonly FieldId[]): FieldId[] | null {
    for (const dependency of calculated.get(id)?.on ?? []) {
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
 * All calculated fields in an order in which each comes after what it needs, those of one table and depth gathered
 * into one step. The model is free of cycles, as changes that make one are refused.
 */
export function calculationSteps(model: Model): readonly CalculationStep[] {
  const graph = graphOf(model);
  if (graph.steps) return graph.steps;
  const depths = new Map<FieldId, number>();
  function depth(id: FieldId): number {
    const node = graph.calculated.get(id);
    if (!node) return 0;
    const known = depths.get(id);
    if (known !== undefined) return known;
    const found = 1 + Math.max(0, ...node.on.flatMap((one) => (isOverHierarchy(id, one) ? [] : [depth(one.field)])));
    depths.set(id, found);
    return found;
  }
  const steps = new Map<string, { depth: number; table: Table; fields: CalculatedField[]; hierarchy?: readonly (readonly FieldId[])[] }>();
  for (const node of graph.calculated.values()) {
    const at = depth(node.field.id);
    const hierarchy = hierarchyPaths(model, node.field);
    const key = `${at} ${node.table.id} ${hierarchy.length > 0 ? node.field.id : ''}`;
    const step = steps.get(key) ?? { depth: at, table: node.table, fields: [], ...(hierarchy.length > 0 ? { hierarchy } : {}) };
    step.fields.push(node);
    steps.set(key, step);
  }
  graph.steps = [...steps.values()].sort((a, b) => a.depth - b.depth);
  return graph.steps;
}
