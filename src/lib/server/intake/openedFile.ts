import type { SourceFile } from '$core/intake/sheets/sourceFile';
import type { FileReader } from './reading/piece';

export interface OpenedFile {
  /** `standing`: the names of the fields of each table that stands. */
  readonly file: SourceFile & { readonly index: number; readonly standing: readonly ReadonlySet<string>[] };
  readonly reader: FileReader;
}
