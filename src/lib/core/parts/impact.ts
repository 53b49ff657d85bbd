import type { FieldId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import { dependenciesOf } from '../flow/dependencies';
import { dependentsOf, partWords, type Written } from './dependents';
import { allParts, touchedBy, type KindedPart } from './parts';

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
      for (const { table, kind, words } of writersOf(model, id))
        if (!seen.has(words)) {
          seen.add(words);
          found.push({ steps, field: null, table, kind, words });
        }
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

/** A part of a table that has to do with a field, in words. */
interface PartStep {
  readonly table: string;
  readonly kind: KindedPart['kind'];
  readonly words: string;
}

const touching = (model: Model, id: FieldId, how: 'watches' | 'writes'): PartStep[] =>
  model.tables.flatMap((table) =>
    allParts(table).flatMap((one) =>
      touchedBy(one)[how].includes(id) ? [{ table: table.id, kind: one.kind, words: partWords(table, one) }] : [],
    ),
  );

/** What writes a field by itself: routines. */
export const writersOf = (model: Model, id: FieldId): PartStep[] => touching(model, id, 'writes');

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
  const watching: (PartStep & Pick<ImpactStep, 'steps'>)[] = [];
  const seen = new Set<string>([start]);
  let ring = [start];
  for (let steps = 1; ring.length > 0; steps++) {
    const next: FieldId[] = [];
    for (const id of ring) {
      for (const { table, kind, words } of touching(model, id, 'watches')) watching.push({ steps, table, kind, words });
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
    }
    ring = next;
  }
  const named = new Set(found.map(({ words }) => words));
  // What reads a field and watches it is one step.
  const others = watching.filter(({ words }) => !named.has(words) && named.add(words));
  return [...found, ...others.map((one) => ({ ...one, field: null }))].toSorted((a, b) => a.steps - b.steps);
}
