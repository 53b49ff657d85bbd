import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { ShownColumn } from '$core/views/view';
import type { TotalKind } from '$core/types/view';
import { orderPath, pathLabel } from '$core/query/query';
import { call, workspacePath } from '../api';
import type { GroupPart } from '../grid/groupContext';
import { orderParts } from './viewWords';

export interface AskedTotal {
  readonly field: Field;
  readonly kind: TotalKind;
}

export interface ShownGroup {
  readonly level: number;
  readonly values: readonly unknown[];
  readonly count: number;
  readonly totals: readonly unknown[];
}

/** Totals as they were asked for, of all records and of each group. */
export interface ShownTotals {
  readonly asked: readonly AskedTotal[];
  readonly all: readonly unknown[];
}

interface Answered {
  readonly count: number;
  readonly totals: readonly unknown[];
  readonly groups: readonly ShownGroup[];
  readonly cut: boolean;
}

export const askedTotals = (columns: readonly ShownColumn[]): AskedTotal[] =>
  columns.flatMap(({ field, total }) => (total ? [{ field, kind: total }] : []));

/** The totals and groups of a view, read anew whenever records change. */
export class ViewTotals {
  answer = $state.raw<Answered | null>(null);
  problem = $state<string | null>(null);
  reading = $state(false);
  private asked = 0;

  constructor(
    private readonly workspace: string,
    private readonly table: string,
    private readonly query: { readonly filter: string; readonly group: string; readonly totals: string },
  ) {}

  get needed(): boolean {
    return this.query.group !== '' || this.query.totals !== '';
  }

  async read(): Promise<void> {
    if (!this.needed) return;
    const mine = ++this.asked;
    this.reading = true;
    const answer = await call<Answered>(
      'GET',
      workspacePath(this.workspace, `/tables/${this.table}/totals?${new URLSearchParams(this.query)}`),
    );
    if (mine !== this.asked) return;
    this.reading = false;
    if (answer.ok) [this.answer, this.problem] = [answer.value, null];
    else this.problem = [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
  }
}

/** The total of a column as the API is asked for it. */
export const totalText = ({ field, kind }: AskedTotal): string => `${kind}(${field.key})`;

/** The fields by which a written order puts records together, for reading the values of groups. */
export const groupParts = (model: Model, table: Table, written: string): GroupPart[] =>
  orderParts(written).flatMap(({ key, by }) => {
    const path = orderPath(model, table, key);
    return path ? [{ field: path.field, label: pathLabel(path), by }] : [];
  });
