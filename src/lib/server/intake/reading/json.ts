import type { DeclaredSheet } from '$core/intake/intake';
import { createReadStream } from 'node:fs';
import { Tokenizer, TokenParser } from '@streamparser/json';
import { refuse } from '../../base/refusal';
import type { Piece } from './piece';
import { plainNumber } from './numberFormat';

const mostColumns = 1000;
const deepest = 40;
/** In bytes: one object that is no list has to be kept whole. */
const mostWhole = 64_000_000;
const batch = 500;

/** A value of a JSON text (RFC 8259); numbers stay the texts they are written as, so that none loses digits. */
type Json = string | boolean | null | readonly Json[] | { readonly [key: string]: Json };

class NumberText {
  constructor(readonly text: string) {}
}

/** The library turns numbers into binary ones; ours pass as what they are written as. */
class TextTokenizer extends Tokenizer {
  protected override parseNumber(written: string): number {
    return new NumberText(written) as unknown as number;
  }
}

/** What a JSON file holds: a list, objects one after the other, or one object of lists. */
type Shape = 'list' | 'sequence' | 'object';

/**
 * Reads JSON as tables: a list of objects is a sheet, each of their members a column; an object within gives columns
 * `a.b`, a list of plain values one cell with semicolons, a list of objects a sheet of its own that names its parent's
 * row. Read twice: columns may appear with the last object.
 */
export async function* jsonPieces(path: string, file: string, mostRows = Infinity): AsyncGenerator<Piece, void> {
  const read = { path, file, shape: await shapeOf(path, file), name: file.replace(/\.[^.]*$/, ''), mostRows };
  const { columns, parents } = await sheetsWithin(read);
  // A sheet a pass, so that each is staged by itself.
  for (const [sheet, known] of columns) {
    const above = parents.get(sheet) ?? null;
    const isParent = [...parents.values()].includes(sheet);
    const own = [...(isParent ? ['row'] : []), ...(above ? [`${above} row`] : []), ...known];
    const declared: DeclaredSheet = {
      header: true,
      ...(isParent ? { key: ['row'], record: 'row' } : {}),
      ...(above ? { links: [{ columns: [`${above} row`], sheet: above, to: ['row'] }] } : {}),
    };
    yield { kind: 'sheet', name: sheet, declared };
    yield { kind: 'rows', rows: [own] };
    yield* rowsOf(read, own, parents, { sheet, isParent, above });
  }
}

/** A file of JSON as it is gone through, over and over. */
interface Gone {
  readonly path: string;
  readonly file: string;
  readonly shape: Awaited<ReturnType<typeof shapeOf>>;
  readonly name: string;
  readonly mostRows: number;
}

/** The columns of each sheet in the order in which they are met, and the sheet above each that has one. */
async function sheetsWithin({ path, file, shape, name, mostRows }: Gone) {
  const columns = new Map<string, Set<string>>();
  const parents = new Map<string, string>();
  const learn = (of: string, row: readonly (readonly [string, string])[]) => {
    const known = columns.get(of) ?? new Set<string>();
    columns.set(of, known);
    for (const [column] of row) known.add(column);
    if (known.size > mostColumns)
      throw refuse(
        422,
        `${file} has objects with more than ${mostColumns} different members.`,
        'Bring in a part of it.',
      );
  };
  const passing = { rows: new Map<string, number>(), parents };
  let seen = 0;
  for await (const values of valuesOf(path, file, shape))
    for (const { sheet, value } of sheetsIn(values, shape, name)) {
      if (seen++ > mostRows) break;
      spread(sheet, value, learn, passing);
    }
  return { columns, parents };
}

/** The rows of one sheet, some at a time. */
async function* rowsOf(
  { path, file, shape, name, mostRows }: Gone,
  columns: readonly string[],
  parents: Map<string, string>,
  numbered: { readonly sheet: string; readonly isParent: boolean; readonly above: string | null },
): AsyncGenerator<Piece, void> {
  const places = new Map(columns.map((column, index) => [column, index]));
  const rows: string[][] = [];
  let taken = 0;
  const take = (of: string, row: readonly (readonly [string, string])[]) => {
    if (of !== numbered.sheet) return;
    taken++;
    const cells = columns.map(() => '');
    for (const [column, text] of row) cells[places.get(column) ?? 0] = text;
    rows.push(cells);
  };
  const passing = { rows: new Map<string, number>(), parents, numbered };
  for await (const values of valuesOf(path, file, shape)) {
    for (const { sheet, value } of sheetsIn(values, shape, name)) {
      if (taken >= mostRows) break;
      spread(sheet, value, take, passing);
    }
    if (rows.length >= batch) yield { kind: 'rows', rows: rows.splice(0) };
  }
  if (rows.length > 0) yield { kind: 'rows', rows };
}

interface Spreading {
  /** How many objects of each sheet went by. */
  readonly rows: Map<string, number>;
  readonly parents: Map<string, string>;
  readonly numbered?: { readonly sheet: string; readonly isParent: boolean; readonly above: string | null };
}

/** Gives an object's row, and those of the lists of objects within it. */
function spread(
  sheet: string,
  value: Json,
  onto: (sheet: string, row: readonly (readonly [string, string])[]) => void,
  how: Spreading,
  parentRow = 0,
): void {
  const number = (how.rows.get(sheet) ?? 0) + 1;
  how.rows.set(sheet, number);
  const row: [string, string][] = [];
  if (how.numbered?.sheet === sheet) {
    if (how.numbered.isParent) row.push(['row', String(number)]);
    if (how.numbered.above) row.push([`${how.numbered.above} row`, String(parentRow)]);
  }
  // The row itself goes first, so that parents stand before what lies within them.
  const within: { readonly child: string; readonly one: Json }[] = [];
  const members = (of: Json, before: string, depth: number): void => {
    if (depth > deepest) throw refuse(422, 'The JSON is nested too deeply.', `At most ${deepest} levels are read.`);
    if (isObject(of)) {
      for (const [key, inner] of Object.entries(of))
        members(inner, before === '' ? key : `${before}.${key}`, depth + 1);
      return;
    }
    if (Array.isArray(of) && of.some((one) => isObject(one as Json))) {
      const child = `${sheet} ${before}`;
      how.parents.set(child, sheet);
      within.push(...(of as readonly Json[]).map((one) => ({ child, one })));
      return;
    }
    row.push([before === '' ? 'value' : before, textOf(of)]);
  };
  members(value, '', 0);
  onto(sheet, row);
  for (const { child, one } of within) spread(child, one, onto, how, number);
}

const isObject = (value: Json): value is { readonly [key: string]: Json } =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !((value as object) instanceof NumberText);

function textOf(value: Json): string {
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return value;
  if ((value as object) instanceof NumberText) return plainWritten((value as unknown as NumberText).text);
  return Array.isArray(value) ? (value as readonly Json[]).map(textOf).join('; ') : '';
}

const plainWritten = (written: string) => (/[eE]/.test(written) ? plainNumber(written) : written);

function* sheetsIn(
  values: readonly Json[],
  shape: Shape,
  name: string,
): Generator<{ sheet: string; value: Json }, void> {
  for (const value of values) {
    const lists =
      shape === 'object' && isObject(value)
        ? Object.entries(value).filter(
            ([, inner]) => Array.isArray(inner) && inner.some((one) => isObject(one as Json)),
          )
        : [];
    if (lists.length === 0) yield { sheet: name, value };
    for (const [key, list] of lists) for (const one of list as readonly Json[]) yield { sheet: key, value: one };
  }
}

async function shapeOf(path: string, file: string): Promise<Shape> {
  for await (const chunk of createReadStream(path, { encoding: 'utf8', end: 1_000_000 })) {
    const start = (chunk as string).replace(/^\uFEFF/, '').trimStart();
    if (start === '') continue;
    if (start.startsWith('[')) return 'list';
    const line = start.split('\n', 1)[0] ?? '';
    // One object a line, or one after the other: the first ends before the file does.
    try {
      JSON.parse(line);
      return start.slice(line.length).trim() === '' ? 'object' : 'sequence';
    } catch {
      return 'object';
    }
  }
  throw refuse(422, `${file} is empty.`, 'Choose a file with a list of objects.');
}

/** The values one level in (of a list), or one after the other, in batches. */
async function* valuesOf(path: string, file: string, shape: Shape): AsyncGenerator<readonly Json[], void> {
  let found: Json[] = [];
  let broken: Error | null = null;
  const tokenizer = new TextTokenizer(shape === 'sequence' ? { separator: '' } : {});
  const parser = new TokenParser({
    paths: [shape === 'list' ? '$.*' : '$'],
    keepStack: false,
    ...(shape === 'sequence' ? { separator: '' } : {}),
  });
  tokenizer.onToken = parser.write.bind(parser);
  parser.onValue = ({ value }) => found.push(value as Json);
  parser.onError = (error) => (broken = error);
  tokenizer.onError = (error) => (broken = error);
  parser.onEnd = () => undefined;
  let bytes = 0;
  for await (const chunk of createReadStream(path, { highWaterMark: 256 * 1024 })) {
    bytes += (chunk as Buffer).length;
    if (shape === 'object' && bytes > mostWhole)
      throw refuse(413, `${file} is one object of more than 64 MB.`, 'Send its lists, or one object a line.');
    tokenizer.write(chunk as Buffer);
    if (broken)
      throw refuse(
        422,
        `${file} is no JSON from byte ${bytes.toLocaleString('en')} or before on.`,
        'Save it again and bring in the whole file.',
      );
    if (found.length > 0) yield found;
    found = [];
  }
  if (shape !== 'sequence' && !parser.isEnded) throw refuse(422, `${file} is cut off.`, 'Bring in the whole file.');
}
