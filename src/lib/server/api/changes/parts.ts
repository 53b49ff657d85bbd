import Joi from 'joi';
import { newId } from '$core/types/identity';
import { partKinds, partOf, printPart, readPart, standingParts } from '$core/parts/parts';
import type { Change } from '$core/types/change';
import type { Model, Table } from '$core/types/model';
import { partsOf, type AnyPart, type PartKind, type PartValues } from '$core/types/part';
import { refuse } from '../../base/refusal';
import { wholeNumber } from '../../base/numbers';
import { partSchemas } from '../views/partSchemas';
import { tableIn, type OfTable, type SentChange } from './sent';

/** What of a part is sent; see the schema of its kind. */
export type PartJson = Readonly<Record<string, unknown>>;
type OfKind = OfTable & { readonly kind: PartKind };

const id = Joi.string().required();
const byKind = (members: (kind: PartKind) => Joi.SchemaMap) => ({
  member: 'kind',
  shapes: Object.fromEntries(partKinds.map((kind) => [kind, members(kind)])),
});

/** Changes of the parts of a table. */
export const partChanges = {
  addPart: {
    members: { table: id, at: wholeNumber },
    by: byKind((kind) => ({ part: partSchemas[kind].required() })),
    *expand(json, sending) {
      const { kind } = json;
      const [model, table] = [sending.model(), tableIn(json, sending)];
      const { idPrefix, blank } = partOf(kind);
      const blankPart = { ...blank(json.part), id: newId(idPrefix) };
      const part = partFrom(model, table, kind, blankPart, json.part, `${sending.at}/part`);
      yield { do: 'addPart', kind, table: table.id, part, at: json.at ?? partsOf(table, kind).length } as Change;
    },
  } satisfies SentChange<OfKind & { readonly part: PartJson; readonly at?: number }>,

  changePart: {
    members: { table: id, part: id, at: wholeNumber },
    by: byKind((kind) => ({ set: partSchemas[kind].required() })),
    *expand(json, sending) {
      const { kind } = json;
      const [model, table, at] = [sending.model(), tableIn(json, sending), sending.at];
      const old = (standingParts(table, kind) as readonly AnyPart[]).find((part) => part.id === json.part);
      if (!old)
        throw refuse(422, `${table.label} has no such ${partOf(kind).word}.`, 'Read the model again.', `${at}/part`);
      const part = partFrom(model, table, kind, old, json.set, `${at}/set`);
      // What every table has is written once it differs from that.
      yield (
        (partsOf(table, kind) as readonly AnyPart[]).includes(old)
          ? { do: 'changePart', kind, table: table.id, part, ...(json.at === undefined ? {} : { at: json.at }) }
          : { do: 'addPart', kind, table: table.id, part, at: json.at ?? 0 }
      ) as Change;
    },
  } satisfies SentChange<OfKind & { readonly part: string; readonly set: PartJson; readonly at?: number }>,

  removePart: {
    members: {
      kind: Joi.string()
        .valid(...partKinds)
        .required(),
      table: id,
      part: id,
    },
    *expand(json, sending) {
      yield { do: 'removePart', kind: json.kind, table: tableIn(json, sending).id, part: json.part };
    },
  } satisfies SentChange<OfKind & { readonly part: string }>,
};

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
