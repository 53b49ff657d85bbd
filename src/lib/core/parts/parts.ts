import type { Expression } from '../types/expression';
import type { Result } from '../base/problem';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import {
  partsOf,
  type OwnerOf,
  type PartKind,
  type PartOwner,
  type Parts,
  type PartValues,
  type TablePartKind,
} from '../types/part';
import { document } from './document';
import { feed } from './feed';
import { form } from './form';
import { language } from './language';
import type { PartDescriptor, WrittenPart } from './part';
import { role } from './role';
import { routine } from './routine';
import { summary } from './summary';
import { view } from './view';

/** The registry: each kind of part stands here once. */
export const partDescriptors: { readonly [K in PartKind]: PartDescriptor<K> } = {
  view,
  form,
  feed,
  document,
  routine,
  role,
  summary,
  language,
};

export const partKinds = Object.keys(partDescriptors) as readonly PartKind[];

/** The kinds that tables have. */
export const tablePartKinds = (): readonly TablePartKind[] =>
  partKinds.filter((kind) => !partDescriptors[kind].ofWorkspace) as TablePartKind[];

/** The kinds that the structure of a workspace has beside its tables. */
export const structurePartKinds = (): readonly PartKind[] =>
  partKinds.filter((kind) => partDescriptors[kind].ofWorkspace === 'structure');

/** What is known of a kind. */
export const partOf = <K extends PartKind>(kind: K): PartDescriptor<K> => partDescriptors[kind];

/** A part with its kind. */
export type KindedPart = { [K in PartKind]: { readonly kind: K; readonly part: PartValues[K] } }[PartKind];

/** All parts of a table, or of the workspace itself, kind by kind. */
export const allParts = (owner: PartOwner): KindedPart[] =>
  partKinds.flatMap((kind) => partsOf(owner, kind).map((part) => ({ kind, part }) as KindedPart));

/** All parts of a table, each as `change` makes it anew. */
export function mapParts<O extends PartOwner>(
  owner: O,
  change: (one: KindedPart, at: number) => PartValues[PartKind],
): O {
  if (!owner.parts) return owner;
  const parts = Object.fromEntries(
    Object.entries(owner.parts).map(([kind, all]) => [
      kind,
      all.map((part, at) => change({ kind, part } as KindedPart, at)),
    ]),
  ) as Parts;
  return { ...owner, parts };
}

/** The parts of a kind that a table has, those included that nobody had to make. */
export function standingParts<K extends PartKind>(owner: PartOwner, kind: K): readonly PartValues[K][] {
  const written = partsOf(owner, kind);
  return partOf(kind).standing?.(written) ?? written;
}

// TypeScript does not follow that kind and value belong together through a union of descriptors.
const known = ({ kind }: KindedPart) => partDescriptors[kind] as PartDescriptor<PartKind>;

/** Everything in a part that is written in the formula language. */
export const conditionsIn = (one: KindedPart): ReturnType<PartDescriptor<PartKind>['conditions']> =>
  known(one).conditions(one.part);

const touchesNothing = { watches: [], writes: [] };

/** The fields that a part watches and writes by itself. */
export const touchedBy = (
  one: KindedPart,
): { readonly watches: readonly FieldId[]; readonly writes: readonly FieldId[] } =>
  known(one).touches?.(one.part) ?? touchesNothing;

/** A part without the conditions that are not kept. */
export const keepingIn = (one: KindedPart, kept: (condition: Expression) => boolean) =>
  known(one).keeping(one.part, kept);

/** A part with one field in the place of another. */
export const followingIn = (one: KindedPart, fields: Parameters<PartDescriptor<PartKind>['following']>[1]) =>
  known(one).following(one.part, fields);

/** A part as programs read it; see `PartDescriptor`. */
export const printPart = (model: Model, table: Table | null, kind: PartKind, part: PartValues[PartKind]): WrittenPart =>
  known({ kind, part } as KindedPart).print(model, table as never, part);

/** Reads what `printPart` wrote. */
export const readPart = <K extends PartKind>(
  model: Model,
  table: OwnerOf<K, Table>,
  kind: K,
  id: string,
  json: WrittenPart['json'],
  standing?: PartValues[K],
): Result<PartValues[K]> => partOf(kind).read(model, table, id, json, standing);
