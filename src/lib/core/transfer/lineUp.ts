import { pathTo } from '../filled/path';
import { conversionWay } from '../fieldTypes/conversion';
import { isEnteredType, type EnteredType } from '../fieldTypes/registry';
import { shownType } from '../formula/shownType';
import { likeness } from '../intake/matchFields';
import { isFed, isStored, isSystem, isToMany, isWritten, tableOf, valueTypeOf } from '../model/model';
import type { Field } from '../types/field';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import type { FilledField } from '../types/recordChange';

/** Names less alike than this do not mean the same. */
const leastAlike = 0.62;

/** How a field is filled from another; null where none of its values can be. */
export function filledFrom(model: Model, target: Field, source: Field): FilledField | null {
  const plain: FilledField = { field: target.id, from: { is: 'formula', formula: pathTo(source) } };
  if (isSystem(target)) return source.type.kind === target.type.kind ? plain : null;
  if (target.type.kind === 'link') return linkFrom(model, target, source);
  if (source.type.kind === 'link') {
    const title = titleOf(model, source.type.to);
    return title ? { field: target.id, from: { is: 'formula', formula: pathTo(title, [source.id]) } } : null;
  }
  const [from, to] = [shownType(model, source), target.type];
  if (!isEnteredType(from) || !isEnteredType(to) || conversionWay(from.kind, to.kind) === 'never') return null;
  const options = optionsAlike(from, to);
  return options ? { ...plain, options } : plain;
}

const titleOf = (model: Model, table: string): Field | undefined => {
  const { title, fields } = tableOf(model, table);
  return fields.find(({ id }) => id === title);
};

function linkFrom(model: Model, target: Field, source: Field): FilledField | null {
  const to = target.type.kind === 'link' ? target.type.to : '';
  const match = titleOf(model, to)?.id;
  if (source.type.kind === 'link') {
    if (source.type.to === to) return { field: target.id, from: { is: 'formula', formula: pathTo(source) } };
    const title = titleOf(model, source.type.to);
    return title && match
      ? {
          field: target.id,
          from: { is: 'formula', formula: pathTo(title, [source.id]) },
          match,
          missing: 'setAside',
        }
      : null;
  }
  return match && isStored(source) && valueTypeOf(source).is === 'text'
    ? { field: target.id, from: { is: 'formula', formula: pathTo(source) }, match, missing: 'setAside' }
    : null;
}

/** Options of one list as those of another that are called the same. */
function optionsAlike(from: EnteredType, to: EnteredType): Readonly<Record<string, string>> | null {
  const list = (type: EnteredType) => (type.kind === 'option' || type.kind === 'options' ? type.options : null);
  const [old, now] = [list(from), list(to)];
  if (!old || !now) return null;
  const pairs = old.flatMap(({ id, label }) => {
    const same = now.find((one) => one.label.toLowerCase() === label.toLowerCase());
    return same ? [[id, same.id] as const] : [];
  });
  return Object.fromEntries(pairs);
}

/** Whether a field can be filled in records that are made: what people enter, numbers that are given, what the system keeps. */
export const isFillable = (field: Field): boolean =>
  isSystem(field) || (isWritten(field) && !isToMany(field) && !field.still && !isFed(field));

/**
 * The fields of a table filled from those of another, by name and by type, the most alike first; each is used once. The
 * rest is left to be chosen. A table's title goes to the other's title where nothing is more like it.
 */
export function lineUp(model: Model, target: Table, source: Table): FilledField[] {
  const pairs = target.fields.filter(isFillable).flatMap((field) =>
    source.fields.flatMap((other) => {
      if (!isStored(other)) return [];
      const filled = filledFrom(model, field, other);
      if (!filled) return [];
      const same = field.type.kind === other.type.kind;
      const titles = field.id === target.title && other.id === source.title ? 0.7 : 0;
      const alike = isSystem(field)
        ? 1
        : Math.max(likeness(field.label, other.label), likeness(field.key, other.key), titles);
      return [{ filled, field: field.id, other: other.id, score: same ? alike : alike * 0.9 }];
    }),
  );
  const taken = new Map<FieldId, FilledField>();
  const used = new Set<FieldId>();
  for (const { filled, field, other, score } of pairs.toSorted((a, b) => b.score - a.score)) {
    if (score < leastAlike || taken.has(field) || used.has(other)) continue;
    // Numbers that are given anew need not be brought along.
    if (target.fields.find(({ id }) => id === field)?.type.kind === 'runningNumber' && filled.from.is !== 'formula')
      continue;
    taken.set(field, filled);
    used.add(other);
  }
  return target.fields.flatMap(({ id }) => taken.get(id) ?? []);
}
