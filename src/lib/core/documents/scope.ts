import { isGone } from './document';
import type { DocumentNode } from '../types/document';
import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import type { SortPart } from '../types/view';
import { tableOver } from './attrs';

/** What a part of a document asks of records of one table, and what it repeats for records that are linked with them. */
export interface Scope {
  readonly table: Table;
  readonly formulas: readonly Expression[];
  readonly repeated: readonly Repeated[];
}

interface Repeated {
  /** The node that stands once for each of the records. */
  readonly node: DocumentNode;
  readonly over: readonly FieldId[];
  readonly where: Expression | null;
  readonly sort: readonly SortPart[];
  readonly scope: Scope;
}

/** What these nodes ask. What leads to a table that is gone asks nothing. */
export function scopeOf(model: Model, table: Table, nodes: readonly DocumentNode[]): Scope {
  const formulas: Expression[] = [];
  const repeated: Repeated[] = [];
  const look = (all: readonly DocumentNode[]) => {
    for (const node of all) {
      if (isGone(model, node)) continue;
      const { formula, when, over, where = null, sort = [] } = node.attrs ?? {};
      if (!over) {
        if (formula) formulas.push(formula);
        if (when) formulas.push(when);
        look(node.content ?? []);
        continue;
      }
      const target = tableOver(model, table, over);
      if (!target) continue;
      // The condition of a row that is repeated is over the record that it stands for.
      const inner = scopeOf(model, target, node.content ?? []);
      const scope = when ? { ...inner, formulas: [...inner.formulas, when] } : inner;
      repeated.push({ node, over, where, sort, scope });
    }
  };
  look(nodes);
  return { table, formulas, repeated };
}

/** What was read for a scope. */
export interface ReadScope {
  /** A formula's value for a record, as programs get it. */
  value(formula: Expression, id: number): unknown;
  /** The records that a node is repeated for, in their order. */
  linked(node: DocumentNode, id: number): readonly number[];
  /** What was read for these. */
  within(node: DocumentNode): ReadScope;
}
