import Joi from 'joi';
import { partOf, printPart } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import type { Written } from '$core/filled/written';
import type { Document } from '$core/types/document';
import type { Table } from '$core/types/model';
import { designsTable } from '../access/changeRights';
import { requireRight, tableAt } from '../access/workspaceAccess';
import { recordId, wholeNumber } from '../base/numbers';
import { refuse } from '../base/refusal';
import { streamOf } from '../base/streamOf';
import { whole } from '../base/listed';
import { documentFormats, documentPieces, mostRecords, tryDocument, type DocumentFormat } from '../documents/made';
import { workspaceEndpoint, type WorkspaceCall } from '../http/endpoint';
import {
  addTablePart,
  partNamed,
  removeTablePart,
  requireOver,
  savedPart,
  saveTablePart,
} from '../structure/tableParts';
import { partFrom } from './changes/parts';
import { countRecords } from '../query/read';
import { selectedOf, selection } from './recordQueries';
import { documentSchema } from './views/documentSchema';
import { numberAt } from './workspaces';

const ofTable = '/api/workspaces/{ws}/tables/{t}/documents';
const kind = 'document';
const place = wholeNumber.description('its place among the documents of the table');

function documentOf({ access, params }: Pick<WorkspaceCall, 'access' | 'params'>): {
  table: Table;
  document: Document;
} {
  const table = tableAt(access, params.t ?? '');
  return { table, document: partNamed({ kind, table }, params.id ?? '') };
}

/** The language that somebody reads before others, as their browser says (RFC 9110, 12.5.4). */
export function languageOf(request: Request, asked?: unknown): string {
  const first = String(asked ?? request.headers.get('accept-language') ?? '').split(/[,;]/)[0] ?? '';
  try {
    const [language] = Intl.getCanonicalLocales(first.trim());
    return language ?? 'en';
  } catch {
    return 'en';
  }
}

const language = Joi.string()
  .max(40)
  .description('of numbers and days, such as `de-AT`; that of the caller unless said');

export const listDocuments = workspaceEndpoint({
  method: 'GET',
  path: ofTable,
  summary: 'The documents of a table',
  needs: 'see',
  answers:
    '{items: [{id, label, description, labels, changeable}], next: null}; `labels`: one for each record on a sheet',
  answer: ({ access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const changeable = designsTable(access, table.id);
    return Promise.resolve(
      whole(
        partsOf(table, kind).map(({ id, label, description, labels }) => ({
          id,
          label,
          description,
          labels: labels !== null,
          changeable,
        })),
      ),
    );
  },
});

export const getDocument = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}`,
  summary: 'A document as it is written; nodes that use what is gone say `lost`',
  needs: 'see',
  answers: '{id, saved, lost}',
  answer: (call) => {
    const { table, document } = documentOf(call);
    const { json, lost } = printPart(call.access.workspace.model, table, kind, document);
    return Promise.resolve({ id: document.id, saved: json, lost });
  },
});

export const postDocument = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Put a document beside the others of a table',
  needs: 'design',
  body: Joi.object({ document: documentSchema.required(), at: place }),
  answers: '{id, saved: the document as it is written}; 409 where one has that name',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { document, at } = body as { document: Written; at?: number };
    const { model } = access.workspace;
    const read = partFrom(model, table, kind, partOf(kind).blank({}), document, '/document');
    return savedPart(access, { kind, table }, await addTablePart(pool, access, { kind, table }, read, at));
  },
});

export const patchDocument = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}`,
  summary: 'Save another design of a document, or put it elsewhere among the others',
  needs: 'design',
  body: Joi.object({
    document: documentSchema,
    over: documentSchema.description('the design this one was made on'),
    at: place,
  }).or('document', 'at'),
  answers: '{id, saved: the document as it is written}; 409 where another design than `over` stands by now',
  answer: async (call) => {
    const { pool, access } = call;
    const { table, document } = documentOf(call);
    const { document: sent = {}, over, at } = call.body as { document?: Written; over?: Written; at?: number };
    const { model } = access.workspace;
    if (over) requireOver(model, { kind, table }, document, over);
    const saved = partFrom(model, table, kind, document, sent, '/document');
    await saveTablePart(pool, access, { kind, table }, saved, at);
    return savedPart(access, { kind, table }, saved);
  },
});

export const deleteDocument = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/{id}`,
  summary: 'Delete a document; an undo brings it back',
  needs: 'design',
  answers: '{id}',
  answer: async (call) => {
    const { table, document } = documentOf(call);
    await removeTablePart(call.pool, call.access, { kind, table }, document.id);
    return { id: document.id };
  },
});

export const tryOne = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/try`,
  summary: 'A document that need not be saved, tried on a record',
  needs: 'see',
  reads: true,
  body: Joi.object({ document: documentSchema.required(), record: recordId.min(1).required(), language }),
  answers: '{html, pages, notes}; `notes` says in words what could not be filled or shown',
  answer: async ({ pool, access, params, body, event }) => {
    const table = tableAt(access, params.t ?? '');
    const { document, record, language: said } = body as { document: Written; record: number; language?: string };
    const { model } = access.workspace;
    const read = partFrom(model, table, kind, partOf(kind).blank({}), document, '/document');
    return tryDocument(pool, access, table, read, record, {
      language: languageOf(event.request, said),
      origin: event.url.origin,
    });
  },
});

/** `1,2,3`: records by their numbers, in this order. */
function idsIn(text: unknown): number[] | null {
  if (typeof text !== 'string' || text === '') return null;
  const ids = [...new Set(text.split(',').map((one) => numberAt(one.trim())))];
  return ids;
}

export const getMade = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}/made`,
  summary: 'A document filled for records: as one file, or one file each in an archive; streamed as it is made',
  needs: 'see',
  downloads: true,
  query: Joi.object({
    ...selection,
    records: Joi.string()
      .allow('')
      .max(100_000)
      .description('records by their numbers, such as 3,7; else those of the filter or view'),
    as: Joi.string()
      .valid(...Object.keys(documentFormats))
      .default('pdf'),
    each: Joi.boolean().default(false).description('one file each, in an archive'),
    skip: Joi.number().integer().min(0).max(1000).default(0).description('labels that stay free on the first sheet'),
    language,
  }),
  answers: `the file; for more than one record one must be allowed to take data out; ${mostRecords.toLocaleString('en')} records at most`,
  media: [...Object.values(documentFormats).map(({ type }) => type), 'application/zip'],
  answer: async (call) => {
    const { pool, access, query, event } = call;
    const { table, document } = documentOf(call);
    const ids = idsIn(query.records);
    if (ids?.length !== 1) requireRight(access, 'takeOut');
    const format = query.as as DocumentFormat;
    const each = query.each === true;
    if (document.labels && (each || format !== 'pdf'))
      throw refuse(422, 'Labels are made as one PDF.', 'Ask for a PDF, all in one.', '?/as');
    const chosen = ids ? { ids } : await selectedOf(pool, access, table, query);
    const count =
      'ids' in chosen ? chosen.ids.length : await countRecords(pool, access, table, chosen.filter, chosen.of);
    if (count > mostRecords)
      throw refuse(
        422,
        `These would be ${count.toLocaleString('en')} documents; one call makes ${mostRecords.toLocaleString('en')} at most.`,
        'Narrow the filter, or make them in parts.',
      );
    const pieces = documentPieces(pool, access, table, document, {
      format,
      each,
      skip: query.skip as number,
      chosen,
      language: languageOf(event.request, query.language),
      origin: event.url.origin,
    });
    // What is refused is refused before the answer begins.
    const first = await pieces.next();
    const ending = each ? 'zip' : format;
    const name = encodeURIComponent(`${document.label}.${ending}`);
    return new Response(streamOf(startedWith(first, pieces)), {
      headers: {
        'content-type': each ? 'application/zip' : documentFormats[format].type,
        'content-disposition': `attachment; filename="document.${ending}"; filename*=UTF-8''${name}`,
        'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox",
      },
    });
  },
});

async function* startedWith(
  first: IteratorResult<Uint8Array, void>,
  others: AsyncGenerator<Uint8Array, void>,
): AsyncGenerator<Uint8Array, void> {
  if (first.done !== true) yield first.value;
  yield* others;
}
