import { partDescriptors, partOf } from '../../parts/parts';
import type { PartDescriptor } from '../../parts/part';
import { bad, good, type Result } from '../../base/problem';
import type { AddPart, ChangePart, RemovePart } from '../../types/change';
import type { TableId } from '../../types/identity';
import type { Model } from '../../types/model';
import { partsOf, type AnyPart, type PartKind, type PartOwner } from '../../types/part';
import { findTable } from '../../model/model';
import type { ChangeDescriptor, Names } from './descriptor';

/** What has parts: a table, or the workspace itself; undefined for a table that is not there. */
const ownerOf = (model: Model, table: TableId | null): PartOwner | undefined =>
  table === null ? model : findTable(model, table);

function applyAddPart(model: Model, { kind, table: id, part, at }: AddPart): Result<Model> {
  const owner = ownerOf(model, id);
  if (!owner) return bad('There is no such table.');
  const standing = partsOf(owner, kind) as readonly AnyPart[];
  if (standing.some((other) => other.id === part.id)) return bad(`This ${partOf(kind).word} exists already.`);
  const checked = checkPart(model, id, kind, part);
  return checked.ok ? good(withParts(model, id, kind, standing.toSpliced(at, 0, part))) : checked;
}

const invertAddPart = (_: Model, { kind, table, part }: AddPart): RemovePart => ({
  do: 'removePart',
  kind,
  table,
  part: part.id,
});

function applyChangePart(model: Model, { kind, table: id, part, at }: ChangePart): Result<Model> {
  const standing: readonly AnyPart[] = partsOf(ownerOf(model, id) ?? {}, kind);
  const place = standing.findIndex((other) => other.id === part.id);
  if (place < 0) return bad(`There is no such ${partOf(kind).word}.`);
  const checked = checkPart(model, id, kind, part);
  return checked.ok
    ? good(withParts(model, id, kind, standing.toSpliced(place, 1).toSpliced(at ?? place, 0, part)))
    : checked;
}

const invertChangePart = (model: Model, { kind, table, part }: ChangePart): ChangePart =>
  ({ do: 'changePart', kind, table, ...standingAt(model, table, kind, part.id) }) as ChangePart;

function applyRemovePart(model: Model, { kind, table: id, part }: RemovePart): Result<Model> {
  const standing: readonly AnyPart[] = partsOf(ownerOf(model, id) ?? {}, kind);
  if (!standing.some((other) => other.id === part)) return bad(`There is no such ${partOf(kind).word}.`);
  return good(
    withParts(
      model,
      id,
      kind,
      standing.filter((other) => other.id !== part),
    ),
  );
}

const invertRemovePart = (model: Model, { kind, table, part }: RemovePart): AddPart =>
  ({ do: 'addPart', kind, table, ...standingAt(model, table, kind, part) }) as AddPart;

/** Whether a part can stand among the others of its kind. */
function checkPart(model: Model, id: TableId | null, kind: PartKind, part: AnyPart): Result<true> {
  const descriptor = partDescriptors[kind] as PartDescriptor<PartKind>;
  const { word, ofWorkspace } = descriptor;
  const table = id === null ? null : findTable(model, id);
  if ((table === null) !== (ofWorkspace !== undefined)) return bad(`This is no place for a ${word}.`);
  const others: readonly AnyPart[] = partsOf(table ?? model, kind);
  if (part.label.trim() === '') return bad(`The ${word} has no name.`, 'Write what people will read.', '/label');
  if (others.some((other) => other.id !== part.id && other.label.toLowerCase() === part.label.toLowerCase()))
    return bad(
      `${table?.label ?? 'The workspace'} has a ${word} called “${part.label}” already.`,
      'Choose another name.',
      '/label',
    );
  return descriptor.check(model, table as never, part);
}

/** The model with these parts of a kind in a table, or of its own; an owner without any has none written. */
function withParts(model: Model, table: TableId | null, kind: PartKind, all: readonly AnyPart[]): Model {
  const owned = <O extends PartOwner>(owner: O): O => {
    const { parts: standing, ...rest } = owner;
    const { [kind]: _, ...others } = standing ?? {};
    const parts = all.length > 0 ? { ...others, [kind]: all } : others;
    return (Object.keys(parts).length > 0 ? { ...rest, parts } : rest) as O;
  };
  if (table === null) return owned(model);
  return { ...model, tables: model.tables.map((one) => (one.id === table ? owned(one) : one)) };
}

/** A part that stands and its place; a missing one is a fault of the caller. */
function standingAt(model: Model, table: TableId | null, kind: PartKind, id: string): { part: AnyPart; at: number } {
  const all: readonly AnyPart[] = partsOf(ownerOf(model, table) ?? {}, kind);
  const at = all.findIndex((part) => part.id === id);
  const part = all[at];
  if (!part) throw new Error(`no ${kind} ${id} in the model`);
  return { part, at };
}

/** The words of a change of a part, behind the name of the table that has it. */
const inWords = (table: TableId | null, names: Names, words: string): string =>
  table === null ? `${words.charAt(0).toUpperCase()}${words.slice(1)}` : `${names.table(table)}: ${words}`;

export const addPart: ChangeDescriptor<AddPart> = {
  apply: applyAddPart,
  invert: (model, change) => [invertAddPart(model, change)],
  subjects: ({ part }) => [part.id],
  words: ({ table, kind, part }, names) => inWords(table, names, `new ${partOf(kind).word} “${part.label}”`),
};

export const changePart: ChangeDescriptor<ChangePart> = {
  apply: applyChangePart,
  invert: (model, change) => [invertChangePart(model, change)],
  subjects: ({ part }) => [part.id],
  words: ({ table, kind, part }, names) => inWords(table, names, `${partOf(kind).word} “${part.label}” changed`),
};

export const removePart: ChangeDescriptor<RemovePart> = {
  apply: applyRemovePart,
  invert: (model, change) => [invertRemovePart(model, change)],
  subjects: ({ part }) => [part],
  words: ({ table, kind }, names) => inWords(table, names, `a ${partOf(kind).word} deleted`),
};
