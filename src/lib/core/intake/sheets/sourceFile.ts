import type { ReadingWish } from '../intake';

/** A file of an intake, as it came in, and how a person wants it read. */
export interface SourceFile {
  readonly name: string;
  readonly wish: ReadingWish;
  /** SHA-256 of what is in it, once it was read. */
  readonly hash?: string;
}
