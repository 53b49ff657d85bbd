import { toString as codeSvg } from 'qrcode';
import { codesIn, filesIn, filled, type FilledDocument, type Layout } from '$core/documents/filled';
import { htmlBegin, htmlEnd, htmlOf, type HtmlSources } from '$core/documents/html';
import { scopeOf } from '$core/documents/scope';
import { titled, pathTo } from '$core/filled/path';
import { fieldOf } from '$core/model/model';
import { textOfJson } from '$core/fieldTypes/registry';
import { shownFormula } from '$core/formula/shownType';
import type { Document } from '$core/types/document';
import type { Expression } from '$core/types/expression';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { raw, sql } from '../base/sql';
import { tableSql } from '../access/workspaceState';
import { among } from '../sql/statement';
import { asOfNow } from '../database/transaction';
import type { Client, Pool } from '../database/pool';
import type { Selected } from '../export/cells';
import { ZipWriter } from '../export/zip';
import { readThrough } from '../query/read';
import type { Filled, PaperTools } from './pdf/pdf';
import { pictureSource, type PaperPicture } from './pictures';
import { readScope } from './values';

/** For which records documents are made: these in their order, or those of a filter. */
type Chosen = { readonly ids: readonly number[] } | Pick<Selected, 'filter' | 'sort' | 'of'>;

/** How and for whom they are made. */
export interface Making {
  /** BCP 47. */
  readonly language: string;
  /** Where the workspace is seen, without a slash at its end. */
  readonly origin: string;
}

/** More than anybody prints at once. */
export const mostRecords = 5000;
/** A text document is held whole while it is written. */
const mostInDocx = 200;
const atOnce = 50;
/** More lines than one document has. */
const mostParts = 20_000;

interface Made {
  readonly name: string;
  readonly filled: FilledDocument;
}

/** The title of a record as a formula. */
function titleOf(access: WorkspaceAccess, table: Table): Expression | null {
  const field = table.title === null ? null : fieldOf(access.workspace.model, table.title).field;
  return field && field.type.kind !== 'counterpart' ? titled(access.workspace.model, pathTo(field)) : null;
}

/** Documents filled one after the other, as of one moment; no more is held than of some. */
async function* filledOf(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  document: Document,
  chosen: Chosen,
  { language, origin }: Making,
  note: (words: string) => void,
): AsyncGenerator<Made, void> {
  const { model, zone, key } = access.workspace;
  const wording = { zone, locale: language, written: true } as const;
  const title = titleOf(access, table);
  const asked = scopeOf(model, table, [...document.header, ...document.body, ...document.footer]);
  const scope = title ? { ...asked, formulas: [...asked.formulas, title] } : asked;
  for await (const ids of idsOf(client, access, table, chosen)) {
    const read = await readScope(client, access, scope, ids);
    for (const id of ids) {
      const name = title ? textOfJson(read.value(title, id), shownFormula(model, title), { zone }) : '';
      const address = `${origin}/w/${table.home ?? key}/t/${table.key}/r/${id}`;
      let parts = 0;
      const once = () => {
        if (++parts > mostParts)
          throw refuse(
            422,
            `“${document.label}” of ${name || `#${id}`} repeats its parts more than ${mostParts.toLocaleString('en')} times.`,
            'Give a repeated part a condition, or take one away.',
          );
      };
      yield { name: name || `#${id}`, filled: filled(document, read, id, { model, wording, address, note, once }) };
    }
  }
}

/** The records some at a time; those of a list that are not there are left out. */
async function* idsOf(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  chosen: Chosen,
): AsyncGenerator<number[], void> {
  if ('ids' in chosen) {
    const { rows } = await client.query<{ id: number }>(sql`
      select r._id as id from ${tableSql(access.workspace, table)} r where ${among(raw('r._id'), chosen.ids)}
    `);
    const there = new Set(rows.map(({ id }) => id));
    const ids = chosen.ids.filter((id) => there.has(id));
    for (let from = 0; from < ids.length; from += atOnce) yield ids.slice(from, from + atOnce);
    return;
  }
  // A record that stands under each of its values is made once.
  const sort = chosen.sort.filter(({ by }) => by !== 'each');
  const query = { fields: [], filter: chosen.filter, sort, of: chosen.of ?? null, limit: 0, after: null };
  for await (const records of readThrough(client, access, table, query, atOnce)) yield records.map(({ id }) => id);
}

/** Notes told one after the other, each once. */
class Notes {
  private readonly told = new Set<string>();
  readonly note = (words: string): void => void this.told.add(words);
  get all(): readonly string[] {
    return [...this.told];
  }
}

async function* onlyFilled(made: AsyncIterable<Made>): AsyncGenerator<FilledDocument, void> {
  for await (const one of made) yield one.filled;
}

/** The same, each counted once it was taken. */
async function* counting<T>(first: T, others: AsyncIterable<T>, count: () => void): AsyncGenerator<T, void> {
  yield first;
  count();
  for await (const one of others) {
    yield one;
    count();
  }
}

/** Pictures and codes of documents as a page of HTML holds them: their contents stand in it. */
async function sourcesOf(documents: readonly FilledDocument[], picture: PaperTools['picture']): Promise<HtmlSources> {
  const pictures = new Map<string, PaperPicture | null>();
  const codes = new Map<string, string>();
  for (const { header, body, footer } of documents) {
    const blocks = [...header, ...body, ...footer];
    for (const file of filesIn(blocks)) if (!pictures.has(file)) pictures.set(file, await picture(file));
    for (const text of codesIn(blocks)) codes.set(text, codes.get(text) ?? (await codeSvg(text, { type: 'svg' })));
  }
  return {
    picture: (file) => {
      const held = pictures.get(file);
      if (!held) return null;
      return held.type === 'svg'
        ? `data:image/svg+xml;base64,${Buffer.from(held.svg).toString('base64')}`
        : `data:image/${held.type};base64,${held.bytes.toString('base64')}`;
    },
    code: (text) => codes.get(text) ?? '',
  };
}

async function* htmlPieces(
  documents: Filled,
  layout: Layout,
  { picture }: PaperTools,
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  yield encoder.encode(htmlBegin(layout));
  for await (const one of documents) yield encoder.encode(htmlOf(one, await sourcesOf([one], picture)));
  yield encoder.encode(htmlEnd);
}

async function* docxPieces(documents: Filled, layout: Layout, tools: PaperTools): AsyncGenerator<Uint8Array, void> {
  const held: FilledDocument[] = [];
  for await (const one of documents) {
    if (held.push(one) > mostInDocx)
      throw refuse(
        422,
        `One text document holds ${mostInDocx} documents at most.`,
        'Make fewer at once, one file each, or a PDF.',
      );
  }
  const { docxOf } = await import('./docx');
  yield await docxOf(held, layout, tools);
}

async function* pdfPieces(documents: Filled, layout: Layout, tools: PaperTools): AsyncGenerator<Uint8Array, void> {
  const { pdfOf } = await import('./pdf/pdf');
  yield* pdfOf(documents, layout, tools);
}

/** What documents are made as, by the ending of their files: the same filled documents for each. */
export const documentFormats = {
  pdf: { type: 'application/pdf', write: pdfPieces },
  docx: { type: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document', write: docxPieces },
  html: { type: 'text/html; charset=utf-8', write: htmlPieces },
} as const;
export type DocumentFormat = keyof typeof documentFormats;

const layoutOf = ({ label, paper, labels }: Document, { language }: Making): Layout => ({
  title: label,
  language,
  paper,
  labels,
});

/** What is wanted of a document. */
export interface Wish extends Making {
  readonly format: DocumentFormat;
  readonly chosen: Chosen;
  /** One file each, in an archive. */
  readonly each: boolean;
  /** Labels that stay free at the beginning of the first sheet. */
  readonly skip: number;
}

/** Documents as they are made: the pieces of a file, how many are in it, and what is to be said of them. */
interface BeingMade {
  readonly pieces: AsyncGenerator<Uint8Array, void>;
  readonly made: () => number;
  readonly notes: () => readonly string[];
}

/** A document for many records: one file, or an archive of one file each. */
export function makeDocuments(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  document: Document,
  wish: Wish,
): BeingMade {
  const notes = new Notes();
  const tools: PaperTools = { picture: pictureSource(pool, access), note: notes.note, skip: wish.skip };
  const layout = layoutOf(document, wish);
  const { write } = documentFormats[wish.format];
  let count = 0;
  const pieces = asOfNow(pool, async function* (client) {
    const all = filledOf(client, access, table, document, wish.chosen, wish, notes.note);
    const first = await all.next();
    // An empty sheet would look like a document.
    if (first.done === true)
      throw refuse(422, 'There is no record to make it for.', 'Choose others, or another filter.');
    const made = counting(first.value, all, () => (count += 1));
    if (!wish.each) return yield* write(onlyFilled(made), layout, tools);
    const zip = new ZipWriter();
    const taken = new Set<string>();
    for await (const { name, filled: one } of made) {
      const part = zip.long(`${fileName(`${document.label} ${name}`, taken)}.${wish.format}`);
      for await (const piece of write([one], layout, tools)) part(piece);
      part(new Uint8Array(), true);
      yield* zip.take();
    }
    yield* zip.end();
  });
  return { pieces, made: () => count, notes: () => notes.all };
}

/** A name that files can have everywhere, and that none of these has yet. */
function fileName(words: string, taken: Set<string>): string {
  const plain =
    words
      .replaceAll(/[\\/:*?"<>|\p{Cc}]/gu, '-')
      .slice(0, 100)
      .trim() || 'document';
  let name = plain;
  for (let more = 2; taken.has(name.toLowerCase()); more++) name = `${plain} (${more})`;
  taken.add(name.toLowerCase());
  return name;
}

/** A document tried on one record: as a page of HTML, how many pages it has on paper, and what is to be said of it. */
export async function tryDocument(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  document: Document,
  id: number,
  making: Making,
): Promise<{ readonly html: string; readonly pages: number; readonly notes: readonly string[] }> {
  const notes = new Notes();
  const tools: PaperTools = { picture: pictureSource(pool, access), note: notes.note };
  const layout = layoutOf(document, making);
  const found: FilledDocument[] = [];
  for await (const { filled: one } of asOfNow(pool, (client) =>
    filledOf(client, access, table, document, { ids: [id] }, making, notes.note),
  ))
    found.push(one);
  const [one] = found;
  if (!one) throw notHere('record');
  let pdf = '';
  for await (const piece of pdfPieces([one], layout, tools)) pdf += Buffer.from(piece).toString('latin1');
  const html = htmlBegin(layout) + htmlOf(one, await sourcesOf([one], tools.picture)) + htmlEnd;
  return { html, pages: pdf.match(/\/Type \/Page\b(?!s)/g)?.length ?? 0, notes: notes.all };
}
