import type { PartId } from './part';

/** A language that the texts of a workspace are there in, beside the one that they were written in. */
export interface Language {
  readonly id: PartId;
  /** What it is called in itself, such as Deutsch. */
  readonly label: string;
  /** BCP 47, such as `de` or `pt-BR`. */
  readonly code: string;
  /** The one that texts are written in at first; it has no others. */
  readonly first?: true;
  /**
   * What texts are in it, by the text that was written first. A text that is written anew is not translated until
   * somebody does it again.
   */
  readonly texts: Readonly<Record<string, string>>;
}
