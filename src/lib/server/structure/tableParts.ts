import { isDeepStrictEqual } from 'node:util';
import { partOf, printPart, readPart } from '$core/parts/parts';
import type { Written } from '$core/filled/written';
import type { Change } from '$core/types/change';
import { newId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { partsOf, type OwnerOf, type PartKind, type PartValues, type TablePartKind } from '$core/types/part';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import type { Pool } from '../database/pool';
import { changeAtOnce } from './plan';

/**
 * A table with the kind of parts that is meant. TypeScript does not follow that kind and part belong together through a
 * union of kinds, so changes of them are said to be changes.
 */
interface OfKind<K extends TablePartKind> {
  readonly kind: K;
  readonly table: Table;
}

/** A part of a table, by id or name. */
export function partNamed<K extends TablePartKind>({ kind, table }: OfKind<K>, name: string): PartValues[K] {
  const all = partsOf(table, kind);
  const found =
    all.find(({ id }) => id === name) ?? all.find(({ label }) => label.toLowerCase() === name.toLowerCase());
  if (!found) throw notHere(partOf(kind).word);
  return found;
}

/** Puts a part beside the others of its table, at the end unless another place is said. */
export async function addTablePart<K extends TablePartKind>(
  pool: Pool,
  access: WorkspaceAccess,
  { kind, table }: OfKind<K>,
  given: PartValues[K],
  at = partsOf(table, kind).length,
): Promise<PartValues[K]> {
  const part = { ...given, id: newId(partOf(kind).idPrefix) };
  await changeAtOnce(pool, access, [{ do: 'addPart', kind, table: table.id, part, at } as Change]);
  return part;
}

/** Refuses what was made of another version of a part than the one that stands by now, however it is written. */
export function requireOver<K extends PartKind>(
  model: Model,
  { kind, table }: { readonly kind: K; readonly table: OwnerOf<K, Table> },
  part: PartValues[K],
  over: Written,
): void {
  const read = readPart(model, table as never, kind, part.id, over, part);
  const printed = (one: PartValues[K]) => printPart(model, table, kind, one).json;
  if (read.ok && isDeepStrictEqual(printed(read.value), printed(part))) return;
  throw refuse(
    409,
    `Somebody else saved “${part.label}” meanwhile.`,
    'Open it in another window, and copy over what you changed.',
  );
}

/** What is answered once a part is saved: itself as programs read it. */
export const savedPart = <K extends TablePartKind>(
  { workspace }: WorkspaceAccess,
  { kind, table }: OfKind<K>,
  part: PartValues[K],
): { readonly id: string; readonly saved: Written } => ({
  id: part.id,
  saved: printPart(workspace.model, table, kind, part).json,
});

/** Saves a part anew under its identity. */
export const saveTablePart = <K extends TablePartKind>(
  pool: Pool,
  access: WorkspaceAccess,
  { kind, table }: OfKind<K>,
  part: PartValues[K],
  at?: number,
): Promise<void> =>
  changeAtOnce(pool, access, [
    { do: 'changePart', kind, table: table.id, part, ...(at === undefined ? {} : { at }) } as Change,
  ]);

/** Takes a part away; an undo brings it back. */
export const removeTablePart = (
  pool: Pool,
  access: WorkspaceAccess,
  { kind, table }: OfKind<TablePartKind>,
  id: string,
): Promise<void> => changeAtOnce(pool, access, [{ do: 'removePart', kind, table: table.id, part: id }]);
