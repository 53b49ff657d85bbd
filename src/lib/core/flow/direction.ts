import type { FieldId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import { usersOf } from './graph';

const known = new WeakMap<Model, Map<string, boolean>>();

/**
 * Whether what follows from a change of these fields goes both up (from records to those they link to, as sums do) and
 * down again (from a record to those that link to it, as looked-up fields do). Two such edits would lock the same
 * records in opposite orders, so they take turns instead.
 */
export function turnsAround(model: Model, fields: readonly FieldId[]): boolean {
  const ofModel = known.get(model) ?? new Map<string, boolean>();
  known.set(model, ofModel);
  const key = [...fields].sort().join();
  const found = ofModel.get(key);
  if (found !== undefined) return found;
  let [up, down] = [false, false];
  const seen = new Set(fields);
  const queue = [...fields];
  for (let id = queue.pop(); id !== undefined; id = queue.pop()) {
    for (const { field, on } of usersOf(model, id)) {
      for (const dependency of on) {
        if (dependency.field !== id) continue;
        for (const step of dependency.path) {
          if (fieldOf(model, step).field.type.kind === 'counterpart') up = true;
          else down = true;
        }
      }
      if (!seen.has(field.id)) queue.push(field.id);
      seen.add(field.id);
    }
  }
  ofModel.set(key, up && down);
  return up && down;
}
