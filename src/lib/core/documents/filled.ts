import type { FileReference } from '../fieldTypes/files';
import type { Wording } from '../fieldTypes/kind';
import { textOfJson } from '../fieldTypes/registry';
import { shownFormula } from '../formula/shownType';
import type { Document, DocumentNode, LabelSheet, NodeAttrs, Paper } from '../types/document';
import type { Expression } from '../types/expression';
import type { Model } from '../types/model';
import { isGone } from './document';
import type { ReadScope } from './scope';

/** A piece of a line of text that looks the same. `\n` begins a line. */
export interface Run {
  readonly text: string;
  readonly bold?: true;
  readonly italic?: true;
  readonly underline?: true;
  /** Instead of a text: the number of the page, or of all pages. */
  readonly page?: 'number' | 'count';
}

type Align = 'left' | 'center' | 'right';

export interface FilledCell {
  readonly span: number;
  readonly head: boolean;
  readonly blocks: readonly FilledBlock[];
}

export interface FilledRow {
  /** It stands again at the top of each page on which the table goes on. */
  readonly head: boolean;
  readonly cells: readonly FilledCell[];
}

/** What stands on paper: the same for a page of a browser, a PDF and a text document. */
export type FilledBlock =
  | { readonly is: 'text'; readonly level: 0 | 1 | 2 | 3; readonly align: Align; readonly runs: readonly Run[] }
  | { readonly is: 'list'; readonly ordered: boolean; readonly items: readonly (readonly FilledBlock[])[] }
  | {
      readonly is: 'table';
      readonly lines: boolean;
      /** Of its columns, together 1. */
      readonly widths: readonly number[];
      readonly rows: readonly FilledRow[];
    }
  | { readonly is: 'rule' | 'pageBreak' }
  | {
      readonly is: 'picture';
      readonly file: string;
      /** Millimetres. */
      readonly width: number;
      readonly align: Align;
      readonly alt: string;
    }
  | { readonly is: 'code'; readonly text: string; readonly width: number; readonly align: Align };

/** A document filled for one record. */
export interface FilledDocument {
  readonly header: readonly FilledBlock[];
  readonly body: readonly FilledBlock[];
  readonly footer: readonly FilledBlock[];
}

/** How documents are laid out, whatever they are filled with. */
export interface Layout {
  readonly title: string;
  /** BCP 47. */
  readonly language: string;
  readonly paper: Paper;
  readonly labels: LabelSheet | null;
}

/** What filling needs beside the values of records. */
export interface Filling {
  readonly model: Model;
  readonly wording: Wording;
  /** Where the record of the document is seen. */
  readonly address: string;
  /** Told what could not be filled as it is meant, in words. */
  readonly note: (words: string) => void;
  /**
   * Told each time that a part is filled once more; throws where it was so too often. Parts within parts over a ring of
   * links grow without end, though each record is read once.
   */
  readonly once: () => void;
}

/** A document filled for the record `id` with what was read for its scope. */
export function filled(
  document: Pick<Document, 'header' | 'body' | 'footer'>,
  read: ReadScope,
  id: number,
  filling: Filling,
): FilledDocument {
  const blocks = (nodes: readonly DocumentNode[]) => blocksOf(nodes, read, id, filling);
  return { header: blocks(document.header), body: blocks(document.body), footer: blocks(document.footer) };
}

/** More than a code of a size that can be printed is read back from (ISO/IEC 18004). */
const mostCoded = 600;

const gone = 'Something in it uses a field that was deleted, and is left out.';

const holds = (read: ReadScope, id: number, when: Expression | null | undefined): boolean =>
  !when || read.value(when, id) === true;

function runsOf(nodes: readonly DocumentNode[], read: ReadScope, id: number, filling: Filling): Run[] {
  return nodes.flatMap((node): Run[] => {
    const { type, text = '', attrs = {}, marks = [] } = node;
    const look: Omit<Run, 'text'> = Object.fromEntries(marks.map((mark) => [mark.type, true]));
    switch (type) {
      case 'hardBreak':
        return [{ text: '\n' }];
      case 'pageNumber':
        return [{ ...look, text: '', page: attrs.count ? 'count' : 'number' }];
      case 'field': {
        const { formula } = attrs;
        if (!formula) return [];
        if (isGone(filling.model, node)) {
          filling.note(gone);
          return [];
        }
        const words = textOfJson(read.value(formula, id), shownFormula(filling.model, formula), filling.wording);
        return words === '' ? [] : [{ ...look, text: words }];
      }
      default:
        return text === '' ? [] : [{ ...look, text }];
    }
  });
}

function blocksOf(nodes: readonly DocumentNode[], read: ReadScope, id: number, filling: Filling): FilledBlock[] {
  return nodes.flatMap((node): FilledBlock[] => {
    const { type, attrs = {}, content = [] } = node;
    const align = attrs.textAlign ?? 'left';
    if (isGone(filling.model, node)) {
      filling.note(gone);
      return [];
    }
    switch (type) {
      case 'paragraph':
        return [{ is: 'text', level: 0, align, runs: runsOf(content, read, id, filling) }];
      case 'heading': {
        const level = attrs.level === 1 || attrs.level === 3 ? attrs.level : 2;
        return [{ is: 'text', level, align, runs: runsOf(content, read, id, filling) }];
      }
      case 'bulletList':
      case 'orderedList': {
        const items = content.map((item) => blocksOf(item.content ?? [], read, id, filling));
        return items.length === 0 ? [] : [{ is: 'list', ordered: type === 'orderedList', items }];
      }
      case 'table':
        return tableOf(node, read, id, filling);
      case 'horizontalRule':
        return [{ is: 'rule' }];
      case 'pageBreak':
        return [{ is: 'pageBreak' }];
      case 'picture':
        return picturesOf(attrs, read, id).map((file) => ({
          is: 'picture',
          file,
          width: attrs.width ?? 60,
          align,
          alt: attrs.alt ?? '',
        }));
      case 'code': {
        const { formula, width = 25 } = attrs;
        const value =
          formula && textOfJson(read.value(formula, id), shownFormula(filling.model, formula), { zone: 'UTC' });
        const text = formula ? (value ?? '') : filling.address;
        if (text.length > mostCoded) {
          filling.note(`A code in it would say more than ${mostCoded} characters, and is left out.`);
          return [];
        }
        return text === '' ? [] : [{ is: 'code', text, width, align }];
      }
      case 'repeat': {
        const within = read.within(node);
        return read.linked(node, id).flatMap((one) => {
          filling.once();
          return blocksOf(content, within, one, filling);
        });
      }
      case 'part':
        return holds(read, id, attrs.when) ? blocksOf(content, read, id, filling) : [];
      default:
        return [];
    }
  });
}

/** The pictures of a node: the one that was sent, or those of the record's field. */
function picturesOf({ file, formula }: NodeAttrs, read: ReadScope, id: number): string[] {
  if (!formula) return file ? [file] : [];
  const value = read.value(formula, id);
  return Array.isArray(value) ? (value as FileReference[]).map((one) => one.file) : [];
}

function tableOf(
  { attrs = {}, content = [] }: DocumentNode,
  read: ReadScope,
  id: number,
  filling: Filling,
): FilledBlock[] {
  const cellsOf = (row: DocumentNode, from: ReadScope, one: number): FilledRow => {
    const cells = (row.content ?? []).map((cell) => ({
      span: cell.attrs?.colspan ?? 1,
      head: cell.type === 'tableHeader',
      blocks: blocksOf(cell.content ?? [], from, one, filling),
    }));
    return { head: cells.length > 0 && cells.every(({ head }) => head), cells };
  };
  const rows = content.flatMap((row): FilledRow[] => {
    if (isGone(filling.model, row)) {
      filling.note(gone);
      return [];
    }
    const { over, when } = row.attrs ?? {};
    if (!over) return holds(read, id, when) ? [cellsOf(row, read, id)] : [];
    const within = read.within(row);
    return read.linked(row, id).flatMap((one) => {
      filling.once();
      return holds(within, one, when) ? [cellsOf(row, within, one)] : [];
    });
  });
  if (rows.length === 0) return [];
  const columns = Math.max(...rows.map(({ cells }) => cells.reduce((sum, { span }) => sum + span, 0)));
  return [{ is: 'table', lines: attrs.lines !== false, widths: widthsOf(content, columns), rows }];
}

/** The shares of a table's columns: as its cells say, the others alike. */
function widthsOf(rows: readonly DocumentNode[], columns: number): number[] {
  const said = Array.from({ length: columns }, (): number | null => null);
  for (const row of rows) {
    let at = 0;
    for (const { attrs } of row.content ?? []) {
      attrs?.colwidth?.forEach((width, index) => (said[at + index] ??= width));
      at += attrs?.colspan ?? 1;
    }
  }
  const known = said.filter((one) => one !== null);
  const mean = known.length === 0 ? 1 : known.reduce((sum, one) => sum + one, 0) / known.length;
  const widths = said.slice(0, columns).map((one) => one ?? mean);
  const all = widths.reduce((sum, one) => sum + one, 0);
  return widths.map((one) => one / all);
}

/** All blocks in these, each before what it holds. */
function* blocksIn(blocks: readonly FilledBlock[]): Generator<FilledBlock> {
  for (const block of blocks) {
    yield block;
    if (block.is === 'list') for (const item of block.items) yield* blocksIn(item);
    if (block.is === 'table')
      for (const { cells } of block.rows) for (const cell of cells) yield* blocksIn(cell.blocks);
  }
}

/** The pictures that blocks show. */
export const filesIn = (blocks: readonly FilledBlock[]): string[] =>
  [...blocksIn(blocks)].flatMap((block) => (block.is === 'picture' ? [block.file] : []));

/** What their codes say. */
export const codesIn = (blocks: readonly FilledBlock[]): string[] =>
  [...blocksIn(blocks)].flatMap((block) => (block.is === 'code' ? [block.text] : []));
