import { isFillable } from '$core/transfer/lineUp';
import { isSystem } from '$core/model/model';
import type { Table } from '$core/types/model';
import { call, workspacePath } from '../api';

/** A field that records get a value for. */
export interface Target {
  readonly key: string;
  readonly label: string;
  readonly required: boolean;
}

/** A table as the API writes it, as far as it is looked at. */
interface TableJson {
  readonly key: string;
  readonly label: string;
  readonly fields: readonly {
    readonly key: string;
    readonly label: string;
    readonly type: string;
    readonly required?: boolean | string;
    readonly counterpartOf?: unknown;
    readonly many?: boolean;
  }[];
}

export const targetsOf = (table: Table): Target[] =>
  table.fields
    .filter((field) => isFillable(field) && !isSystem(field) && field.type.kind !== 'runningNumber')
    .map(({ key, label, required }) => ({ key, label, required: required !== false }));

const given = new Set(['formula', 'runningNumber', 'createdAt', 'createdBy', 'changedAt', 'changedBy']);

/** Those of a table of another workspace, named `workspace.table`. */
export async function targetsElsewhere(path: string): Promise<{ label: string; targets: Target[] } | null> {
  const [workspace = '', key = ''] = path.split('.');
  const answer = await call<{ tables: readonly TableJson[] }>('GET', workspacePath(workspace, '/model'));
  const table = answer.ok ? answer.value.tables.find((one) => one.key === key) : undefined;
  return table
    ? {
        label: table.label,
        targets: table.fields
          .filter(({ type, counterpartOf, many }) => !given.has(type) && counterpartOf === undefined && many !== true)
          .map((field) => ({ key: field.key, label: field.label, required: Boolean(field.required) })),
      }
    : null;
}
