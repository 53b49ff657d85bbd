import { partKinds, partOf, printPart, standingParts, tablePartKinds } from '$core/parts/parts';
import type { Model } from '$core/types/model';
import { partsOf, type AnyPart, type PartKind } from '$core/types/part';
import { modelJson } from './modelJson';

type Json = Readonly<Record<string, unknown>>;
type Known = Json & { readonly id: string };

export interface WrittenTables {
  readonly tables: readonly (Json & { readonly key: string; readonly fields: readonly Json[] })[];
}

/** Without identities, but for those that are the same everywhere: of what every table has. */
function withoutId(kind: PartKind, { id, ...part }: Known, turned: (part: Json) => Json): Json {
  const everywhere = (standingParts({}, kind) as readonly AnyPart[]).some((one) => one.id === id);
  return everywhere ? { id, ...turned(part) } : turned(part);
}

/**
 * The structure of a workspace as it is written for elsewhere: tables, fields and parts by their keys and labels,
 * formulas in writing, in an order that stays. `turned` makes of each part what it is elsewhere.
 */
export function writtenStructure(model: Model, turned: (part: Json) => Json): WrittenTables & Json {
  const { tables } = modelJson(model) as unknown as { tables: readonly Json[] };
  return {
    tables: tables.map((table) => {
      const { id: _, fields, rules, ...names } = table as { id: string; fields: Json[]; rules: Json[] } & Json;
      const parts = tablePartKinds().map((kind) => {
        const { words } = partOf(kind);
        return [words, (names[words] as Known[]).map((part) => withoutId(kind, part, turned))] as const;
      });
      return {
        ...names,
        key: String(names.key),
        fields: fields.map(({ id: _id, result: _result, ...field }) => field),
        rules: rules.map(({ id: _id, ...rule }) => rule),
        ...Object.fromEntries(parts),
      };
    }),
    ...Object.fromEntries(
      partKinds
        .filter((kind) => partOf(kind).ofWorkspace)
        .map((kind) => [
          partOf(kind).words,
          partsOf(model, kind).map((part) =>
            // A block is known by its identity within its page alone.
            withoutId(kind, { id: part.id, ...printPart(model, null, kind, part).json }, turned),
          ),
        ]),
    ),
  };
}
