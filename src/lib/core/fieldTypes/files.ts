import type { NoSettings } from '../types/field';
import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import type { ValueKind } from './kind';
import { compareCodePoints } from './text';

/** A file kept beside the database, named by the SHA-256 of its contents. */
export interface FileReference {
  readonly file: string;
  readonly name: string;
  /** In bytes. */
  readonly size: number;
  /** The media type found in the contents, never the one that was claimed. */
  readonly type: string;
}

const mostFiles = 50;

export const filesOf = (value: Scalar): FileReference[] =>
  value === null ? [] : (JSON.parse(String(value)) as FileReference[]);

/** The one way a list of files is written as a value. */
export const filesValue = (files: readonly FileReference[]): Scalar =>
  files.length === 0 ? null : JSON.stringify(files.map(({ file, name, size, type }) => ({ file, name, size, type })));

function reference(value: unknown): FileReference | null {
  if (typeof value !== 'object' || value === null) return null;
  const { file, name, size, type } = value as Record<string, unknown>;
  if (
    typeof file !== 'string' ||
    !/^[0-9a-f]{64}$/.test(file) ||
    typeof name !== 'string' ||
    typeof size !== 'number' ||
    typeof type !== 'string'
  )
    return null;
  return name.length > 0 && name.length <= 255 && Number.isSafeInteger(size) ? { file, name, size, type } : null;
}

function take(value: unknown, picturesOnly: boolean): Result<Scalar> {
  if (!Array.isArray(value))
    return bad('This is no list of files.', 'Send the references that POST …/files answers, as an array.');
  if (value.length > mostFiles)
    return bad(`${value.length} files; ${mostFiles} is the most in one field.`, 'Leave some out.');
  const files = value.map(reference);
  if (files.includes(null))
    return bad('One of these is no file that was sent here.', 'Send the file to POST …/files first.');
  const known = files.filter((file) => file !== null);
  const other = picturesOnly ? known.find(({ type }) => !type.startsWith('image/')) : undefined;
  return other ? bad(`“${other.name}” is no picture.`, 'Choose a PNG, JPEG, WebP or GIF.') : good(filesValue(known));
}

declare module '../types/field' {
  interface FieldTypes {
    readonly files: NoSettings;
    readonly pictures: NoSettings;
  }
}

/** Several files, in the order in which they were put. No text says a file, so none can be read from one. */
const kindOf = (picturesOnly: boolean): ValueKind<'files'> & ValueKind<'pictures'> => ({
  word: picturesOnly ? 'pictures' : 'files',
  valueType: () => ({ is: 'files' }),
  looksLike: 'files',
  json: filesOf,
  parse: () => bad('A text is no file.', 'Add the file itself.'),
  take: (value) => take(value, picturesOnly),
  print: (value) =>
    filesOf(value)
      .map(({ name }) => name)
      .join('; '),
  compare: (a, b) => filesOf(a).length - filesOf(b).length || compareCodePoints(String(a), String(b)),
  sample: () => null,
});

export const files: ValueKind<'files'> = kindOf(false);
export const pictures: ValueKind<'pictures'> = kindOf(true);
