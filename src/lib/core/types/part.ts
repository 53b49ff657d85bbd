/**
 * What one part of each kind is: a value with an identity and a label. Each kind declares its own beside its
 * descriptor, in core/parts.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface PartValues {}

export type PartKind = keyof PartValues;
/** The kinds that belong to the workspace itself, and to no table. */
type WorkspacePartKind = 'role' | 'summary' | 'language';
/** The kinds that belong to a table. */
export type TablePartKind = Exclude<PartKind, WorkspacePartKind>;
/** The table that has parts of a kind; null where the workspace itself does. */
export type OwnerOf<K extends PartKind, T> = K extends WorkspacePartKind ? null : T;
export type PartId = string;
export type AnyPart = PartValues[PartKind];

/** The parts of a table, or of the workspace itself, by kind and in their order. A kind without any is left out. */
export type Parts = { readonly [K in PartKind]?: readonly PartValues[K][] };

/** What has parts: a table, and the model for those of no table. */
export interface PartOwner {
  readonly parts?: Parts;
}

export const partsOf = <K extends PartKind>({ parts }: PartOwner, kind: K): readonly PartValues[K][] =>
  parts?.[kind] ?? [];
