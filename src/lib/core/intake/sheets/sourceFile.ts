import type { ReadingWish } from '../intake';

/** What a reading wishes of the columns of a sheet, by their names. */
export const shapeWishes = ['fill', 'parts', 'turns'] as const;
export type ShapeWishKind = (typeof shapeWishes)[number];

/** A file of an intake, as it came in, and how a person wants it read. */
export interface SourceFile {
  readonly name: string;
  readonly wish: ReadingWish;
  /** Of these the wish is that of an earlier reading: it holds for the columns that are still there. */
  readonly kept?: readonly ShapeWishKind[];
  /** SHA-256 of what is in it, once it was read. */
  readonly hash?: string;
}
