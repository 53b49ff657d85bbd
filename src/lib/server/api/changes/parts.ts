import Joi from 'joi';
import { newId } from '$core/types/identity';
import { partKinds, partOf, printPart, readPart, standingParts } from '$core/parts/parts';
import type { Change } from '$core/types/change';
import type { Model, Table } from '$core/types/model';
import { partsOf, type AnyPart, type OwnerOf, type PartKind, type PartValues } from '$core/types/part';
import { refuse } from '../../base/refusal';
import { wholeNumber } from '../../base/numbers';
import { partSchemas } from '../views/partSchemas';
import { tableIn, type OfTable, type Sending, type SentChange } from './sent';

/** What of a part is sent; see the schema of its kind. */
export type PartJson = Readonly<Record<string, unknown>>;
/** A part of the workspace itself names no table. */
type OfKind = Partial<OfTable> & { readonly kind: PartKind };

/** The table whose part it is; null for one of the workspace itself. */
const ownerIn = ({ kind, table = '' }: OfKind, sending: Sending): Table | null =>
  isOfTable(kind) ? tableIn({ table }, sending) : null;
const isOfTable = (kind: PartKind): boolean => !partOf(kind).ofWorkspace;

const id = Joi.string().required();
const byKind = (members: (kind: PartKind) => Joi.SchemaMap) => ({
  member: 'kind',
  shapes: Object.fromEntries(
    partKinds.map((kind) => [kind, { ...(isOfTable(kind) ? { table: id } : {}), ...members(kind) }]),
  ),
});

/** Changes of the parts of a table. */
export const partChanges = {
  addPart: {
    members: { at: wholeNumber },
    by: byKind((kind) => ({ part: partSchemas[kind].required() })),
    *expand(json, sending) {
      const { kind } = json;
      const [model, table] = [sending.model(), ownerIn(json, sending)];
      const { idPrefix, blank } = partOf(kind);
      const blankPart = { ...blank(json.part), id: newId(idPrefix) };
      const part = partFrom(model, table as never, kind, blankPart, json.part, `${sending.at}/part`);
      yield {
        do: 'addPart',
        kind,
        table: table?.id ?? null,
        part,
        at: json.at ?? partsOf(table ?? model, kind).length,
      } as Change;
    },
  } satisfies SentChange<OfKind & { readonly part: PartJson; readonly at?: number }>,

  changePart: {
    members: { part: id, at: wholeNumber },
    by: byKind((kind) => ({ set: partSchemas[kind].required() })),
    *expand(json, sending) {
      const { kind } = json;
      const [model, table, at] = [sending.model(), ownerIn(json, sending), sending.at];
      const owner = table ?? model;
      const old = (standingParts(owner, kind) as readonly AnyPart[]).find((part) => part.id === json.part);
      if (!old) throw refuse(422, `There is no such ${partOf(kind).word}.`, 'Read the model again.', `${at}/part`);
      const part = partFrom(model, table as never, kind, old, json.set, `${at}/set`);
      // What every table has is written once it differs from that.
      yield (
        (partsOf(owner, kind) as readonly AnyPart[]).includes(old)
          ? {
              do: 'changePart',
              kind,
              table: table?.id ?? null,
              part,
              ...(json.at === undefined ? {} : { at: json.at }),
            }
          : { do: 'addPart', kind, table: table?.id ?? null, part, at: json.at ?? 0 }
      ) as Change;
    },
  } satisfies SentChange<OfKind & { readonly part: string; readonly set: PartJson; readonly at?: number }>,

  removePart: {
    members: { part: id },
    by: byKind(() => ({})),
    *expand(json, sending) {
      yield { do: 'removePart', kind: json.kind, table: ownerIn(json, sending)?.id ?? null, part: json.part };
    },
  } satisfies SentChange<OfKind & { readonly part: string }>,
};

/** A part with what was sent of it; refused with the place of what cannot be read. */
export function partFrom<K extends PartKind>(
  model: Model,
  table: OwnerOf<K, Table>,
  kind: K,
  part: PartValues[K],
  sent: PartJson,
  at: string,
): PartValues[K] {
  const read = readPart(model, table, kind, part.id, { ...printPart(model, table, kind, part).json, ...sent }, part);
  if (read.ok) return read.value;
  const { message, fix, at: place } = read.problem;
  throw refuse(422, message, fix, `${at}${typeof place === 'string' ? place : ''}`);
}
