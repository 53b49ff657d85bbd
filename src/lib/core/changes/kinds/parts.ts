import { partDescriptors, partOf } from '../../parts/parts';
import type { PartDescriptor } from '../../parts/part';
import { bad, good, type Result } from '../../base/problem';
import type { AddPart, ChangePart, RemovePart } from '../../types/change';
import type { Model, Table } from '../../types/model';
import { partsOf, type AnyPart, type PartKind } from '../../types/part';
import { findTable, tableOf } from '../../model/model';
import { replaceTable } from '../../model/replace';
import type { ChangeDescriptor } from './descriptor';

function applyAddPart(model: Model, { kind, table: id, part, at }: AddPart): Result<Model> {
  const table = findTable(model, id);
  if (!table) return bad('There is no such table.');
  const standing = partsOf(table, kind) as readonly AnyPart[];
  if (standing.some((other) => other.id === part.id)) return bad(`This ${partOf(kind).word} exists already.`);
  const checked = checkPart(model, table, kind, part);
  return checked.ok ? good(withParts(model, table, kind, standing.toSpliced(at, 0, part))) : checked;
}

const invertAddPart = (_: Model, { kind, table, part }: AddPart): RemovePart => ({
  do: 'removePart',
  kind,
  table,
  part: part.id,
});

function applyChangePart(model: Model, { kind, table: id, part, at }: ChangePart): Result<Model> {
  const table = findTable(model, id);
  const standing: readonly AnyPart[] = table ? partsOf(table, kind) : [];
  const place = standing.findIndex((other) => other.id === part.id);
  if (!table || place < 0) return bad(`There is no such ${partOf(kind).word}.`);
  const checked = checkPart(model, table, kind, part);
  return checked.ok
    ? good(withParts(model, table, kind, standing.toSpliced(place, 1).toSpliced(at ?? place, 0, part)))
    : checked;
}

const invertChangePart = (model: Model, { kind, table, part }: ChangePart): ChangePart =>
  ({ do: 'changePart', kind, table, ...standingAt(model, table, kind, part.id) }) as ChangePart;

function applyRemovePart(model: Model, { kind, table: id, part }: RemovePart): Result<Model> {
  const table = findTable(model, id);
  const standing: readonly AnyPart[] = table ? partsOf(table, kind) : [];
  if (!table || !standing.some((other) => other.id === part)) return bad(`There is no such ${partOf(kind).word}.`);
  return good(
    withParts(
      model,
      table,
      kind,
      standing.filter((other) => other.id !== part),
    ),
  );
}

const invertRemovePart = (model: Model, { kind, table, part }: RemovePart): AddPart =>
  ({ do: 'addPart', kind, table, ...standingAt(model, table, kind, part) }) as AddPart;

/** Whether a part can stand among the others of its kind. */
function checkPart(model: Model, table: Table, kind: PartKind, part: AnyPart): Result<true> {
  const descriptor = partDescriptors[kind] as PartDescriptor<PartKind>;
  const { word } = descriptor;
  const others: readonly AnyPart[] = partsOf(table, kind);
  if (part.label.trim() === '') return bad(`The ${word} has no name.`, 'Write what people will read.', '/label');
  if (others.some(({ id, label }) => id !== part.id && label.toLowerCase() === part.label.toLowerCase()))
    return bad(`${table.label} has a ${word} called “${part.label}” already.`, 'Choose another name.', '/label');
  return descriptor.check(model, table, part);
}

/** The table with these parts of a kind; one without any has none written. */
function withParts(model: Model, table: Table, kind: PartKind, all: readonly AnyPart[]): Model {
  const { parts: standing, ...rest } = table;
  const { [kind]: _, ...others } = standing ?? {};
  const parts = all.length > 0 ? { ...others, [kind]: all } : others;
  return replaceTable(model, Object.keys(parts).length > 0 ? { ...rest, parts } : rest);
}

/** A part that stands and its place; a missing one is a fault of the caller. */
function standingAt(model: Model, table: string, kind: PartKind, id: string): { part: AnyPart; at: number } {
  const all: readonly AnyPart[] = partsOf(tableOf(model, table), kind);
  const at = all.findIndex((part) => part.id === id);
  const part = all[at];
  if (!part) throw new Error(`no ${kind} ${id} in the model`);
  return { part, at };
}

export const addPart: ChangeDescriptor<AddPart> = {
  apply: applyAddPart,
  invert: (model, change) => [invertAddPart(model, change)],
  subjects: ({ part }) => [part.id],
  words: ({ table, kind, part }, names) => `${names.table(table)}: new ${partOf(kind).word} “${part.label}”`,
};

export const changePart: ChangeDescriptor<ChangePart> = {
  apply: applyChangePart,
  invert: (model, change) => [invertChangePart(model, change)],
  subjects: ({ part }) => [part.id],
  words: ({ table, kind, part }, names) => `${names.table(table)}: ${partOf(kind).word} “${part.label}” changed`,
};

export const removePart: ChangeDescriptor<RemovePart> = {
  apply: applyRemovePart,
  invert: (model, change) => [invertRemovePart(model, change)],
  subjects: ({ part }) => [part],
  words: ({ table, kind }, names) => `${names.table(table)}: a ${partOf(kind).word} deleted`,
};
