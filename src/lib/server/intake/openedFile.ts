import type { SourceFile } from '$core/intake/sheets/sourceFile';
import type { FileReader } from './reading/piece';

export interface OpenedFile {
  readonly file: SourceFile & { readonly index: number };
  readonly reader: FileReader;
}
