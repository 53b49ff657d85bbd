import { newId } from '$core/model/identity';
import { partOf, printPart, readPart, standingParts } from '$core/parts/parts';
import type { Change } from '$core/types/change';
import type { Model, Table } from '$core/types/model';
import { partsOf, type AnyPart, type PartKind, type PartValues } from '$core/types/part';
import { refuse } from '../base/refusal';
import type { PartChangeJson, PartJson } from './changeJson';

/** A change of a table's parts with its names looked up. */
export function changeParts(model: Model, table: Table, json: PartChangeJson, at: string): Change {
  const { kind } = json;
  if (json.do === 'removePart') return { do: 'removePart', kind, table: table.id, part: json.part };
  const { word, idPrefix, blank } = partOf(kind);
  const written: readonly AnyPart[] = partsOf(table, kind);
  if (json.do === 'addPart') {
    const part = partFrom(model, table, kind, { ...blank(json.part), id: newId(idPrefix) }, json.part, `${at}/part`);
    return { do: 'addPart', kind, table: table.id, part, at: json.at ?? written.length } as Change;
  }
  const standing: readonly AnyPart[] = standingParts(table, kind);
  const old = standing.find(({ id }) => id === json.part);
  if (!old) throw refuse(422, `${table.label} has no such ${word}.`, 'Read the model again.', `${at}/part`);
  const part = partFrom(model, table, kind, old, json.set, `${at}/set`);
  // What every table has is written once it differs from that.
  return (
    written.includes(old)
      ? { do: 'changePart', kind, table: table.id, part, ...(json.at === undefined ? {} : { at: json.at }) }
      : { do: 'addPart', kind, table: table.id, part, at: json.at ?? 0 }
  ) as Change;
}

/** A part with what was sent of it; refused with the place of what cannot be read. */
export function partFrom<K extends PartKind>(
  model: Model,
  table: Table,
  kind: K,
  part: PartValues[K],
  sent: PartJson,
  at: string,
): PartValues[K] {
  const read = readPart(model, table, kind, part.id, { ...printPart(model, table, kind, part).json, ...sent });
  if (read.ok) return read.value;
  const { message, fix, at: place } = read.problem;
  throw refuse(422, message, fix, `${at}${typeof place === 'string' ? place : ''}`);
}
