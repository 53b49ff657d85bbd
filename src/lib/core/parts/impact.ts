import type { FieldId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import { dependenciesOf } from '../flow/dependencies';
import { dependentsOf, type Written } from './dependents';

/** A field on the way to another, or something written that uses one, with the steps between. */
export interface ImpactStep {
  /** 1: directly; more: over as many formulas. */
  readonly steps: number;
  /** The field it is, or belongs to; null for a rule or a part, which belong to a table. */
  readonly field: FieldId | null;
  readonly table: string;
  readonly kind: 'entered' | Written['kind'];
  readonly words: string;
}

/** Everything a calculated field comes from, down to what is entered; the nearest first, each once. */
export function comesFrom(model: Model, start: FieldId): ImpactStep[] {
  const found: ImpactStep[] = [];
  const seen = new Set([start]);
  let ring = [start];
  for (let steps = 1; ring.length > 0; steps++) {
    const next: FieldId[] = [];
    for (const id of ring) {
      const { type } = fieldOf(model, id).field;
      if (type.kind !== 'formula') continue;
      for (const { field: on } of dependenciesOf(model, type.formula).on) {
        if (seen.has(on)) continue;
        seen.add(on);
        next.push(on);
        const { field, table } = fieldOf(model, on);
        found.push({
          steps,
          field: on,
          table: table.id,
          kind: field.type.kind === 'formula' ? 'formula' : 'entered',
          words: `${table.label}.${field.label}`,
        });
      }
    }
    ring = next;
  }
  return found;
}

/** What tells one user from another. */
function identityOf(user: Written): string {
  // The view of all records has the same identity in every table.
  if ('part' in user) return `${user.table.id} ${user.part.id}`;
  switch (user.kind) {
    case 'rule':
      return user.rule.id;
    case 'formula':
      return user.field.id;
    default:
      return `${user.kind} ${user.field.id}`;
  }
}

/**
 * Everything that comes from a field: calculated fields over any number of steps, defaults, candidate limits, rules,
 * parts; the nearest first.
 */
export function goesTo(model: Model, start: FieldId): ImpactStep[] {
  const found: ImpactStep[] = [];
  const seen = new Set<string>([start]);
  let ring = [start];
  for (let steps = 1; ring.length > 0; steps++) {
    const next: FieldId[] = [];
    for (const id of ring)
      for (const user of dependentsOf(model, id)) {
        const key = identityOf(user);
        if (seen.has(key)) continue;
        seen.add(key);
        if (user.kind === 'formula') next.push(user.field.id);
        found.push({
          steps,
          field: 'field' in user ? user.field.id : null,
          table: user.table.id,
          kind: user.kind,
          words: user.words,
        });
      }
    ring = next;
  }
  return found;
}
