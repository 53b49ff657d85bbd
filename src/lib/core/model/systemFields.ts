import { newId } from '../types/identity';
import { isSystem } from './model';
import { systemKinds, type Field, type SystemKind } from '../types/field';
import { freeLabel, newFieldKey } from './names/naming';

const labels: Record<SystemKind, string> = {
  createdAt: 'Created',
  createdBy: 'Created by',
  changedAt: 'Last changed',
  changedBy: 'Last changed by',
};

/**
 * Fields with those behind them that every table has: who made and who changed a record, and when. Switched off until
 * somebody wants to see them.
 */
export function withSystemFields(fields: readonly Field[]): Field[] {
  const all = [...fields];
  for (const kind of systemKinds) {
    if (all.some(({ type }) => type.kind === kind)) continue;
    const label = freeLabel(
      labels[kind],
      all.map((field) => field.label),
    );
    all.push({
      id: newId('f'),
      key: newFieldKey(all, label),
      label,
      help: '',
      required: false,
      unique: false,
      off: true,
      type: { kind },
    });
  }
  return all;
}

/** Where a new field stands unless somebody says otherwise: behind the last that is not the system's. */
export const newFieldPlace = (fields: readonly Field[]): number =>
  fields.findLastIndex((field) => !isSystem(field)) + 1;
