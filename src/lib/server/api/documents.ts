import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import Joi from 'joi';
import { partOf, printPart } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import type { Written } from '$core/filled/written';
import type { Document } from '$core/types/document';
import type { Table } from '$core/types/model';
import { designsTable } from '../access/changeRights';
import { requireRight, tableAt } from '../access/workspaceAccess';
import { recordId, wholeNumber } from '../base/numbers';
import { notHere, refuse } from '../base/refusal';
import { streamOf } from '../base/streamOf';
import { whole } from '../base/listed';
import { keeping, keptFile } from '../documents/kept';
import { documentFormats, makeDocuments, mostRecords, tryDocument, type DocumentFormat } from '../documents/made';
import { fileHeaders, language, languageOf, startedWith } from './paperAnswers';
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

const wish = {
  filter: selection.filter,
  sort: selection.sort,
  view: selection.view,
  as: Joi.string()
    .valid(...Object.keys(documentFormats))
    .default('pdf'),
  each: Joi.boolean().default(false).description('one file each, in an archive'),
  skip: Joi.number().integer().min(0).max(1000).default(0).description('labels that stay free on the first sheet'),
  language,
};

/** What is asked for, once it is known that it may be and how many they are. */
async function makingOf(call: WorkspaceCall, asked: Readonly<Record<string, unknown>>, ids: readonly number[] | null) {
  const { pool, access, event } = call;
  const { table, document } = documentOf(call);
  if (ids?.length !== 1) requireRight(access, 'takeOut');
  const format = asked.as as DocumentFormat;
  const each = asked.each === true;
  if (document.labels && (each || format !== 'pdf'))
    throw refuse(422, 'Labels are made as one PDF.', 'Ask for a PDF, all in one.', '?/as');
  const places = document.labels ? document.labels.columns * document.labels.rows : 1;
  if ((asked.skip as number) >= places)
    throw refuse(
      422,
      document.labels ? `A sheet has ${places} labels.` : 'Only labels can be left free.',
      `Leave ${places - 1} free at most.`,
      '?/skip',
    );
  const chosen = ids ? { ids } : await selectedOf(pool, access, table, asked);
  const count = 'ids' in chosen ? chosen.ids.length : await countRecords(pool, access, table, chosen.filter, chosen.of);
  if (count > mostRecords)
    throw refuse(
      422,
      `These would be ${count.toLocaleString('en')} documents; one call makes ${mostRecords.toLocaleString('en')} at most.`,
      'Narrow the filter, or make them in parts.',
    );
  const making = makeDocuments(pool, access, table, document, {
    format,
    each,
    skip: asked.skip as number,
    chosen,
    language: languageOf(event.request, asked.language),
    origin: event.url.origin,
  });
  const ending = each ? 'zip' : format;
  const type = each ? 'application/zip' : documentFormats[format].type;
  return { making, count, ending, type, label: document.label };
}

const media = [...Object.values(documentFormats).map(({ type }) => type), 'application/zip'];
const bounds = `for more than one record one must be allowed to take data out; ${mostRecords.toLocaleString('en')} records at most`;

export const getMade = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}/made`,
  summary: 'A document filled for records: as one file, or one file each in an archive; streamed as it is made',
  needs: 'see',
  downloads: true,
  query: Joi.object({
    ...wish,
    records: Joi.string()
      .allow('')
      .max(100_000)
      .description('records by their numbers, such as 3,7; else those of the filter or view'),
  }),
  answers: `the file; ${bounds}`,
  media,
  answer: async (call) => {
    const { making, ending, type, label } = await makingOf(call, call.query, idsIn(call.query.records));
    // What is refused is refused before the answer begins.
    const first = await making.pieces.next();
    return new Response(streamOf(startedWith(first, making.pieces)), { headers: fileHeaders(type, label, ending) });
  },
});

export const postMade = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/{id}/made`,
  summary: 'The same, told how far it is as it is made, and kept for an hour for whoever asked',
  needs: 'see',
  reads: true,
  downloads: true,
  body: Joi.object({ ...wish, records: Joi.array().max(mostRecords).items(recordId.min(1)) }),
  answers: `lines of JSON: {made, count, bytes}, the last with {file, notes}, or {problem}; ${bounds}`,
  media: ['application/x-ndjson'],
  sends: {
    'application/x-ndjson': Joi.object({
      made: wholeNumber,
      count: wholeNumber,
      bytes: recordId,
      file: Joi.string(),
      notes: Joi.array().items(Joi.string()),
      problem: Joi.object(),
    }),
  },
  answer: async (call) => {
    const { records, ...asked } = call.body as { records?: readonly number[] };
    const { making, count, ending, label } = await makingOf(call, asked, records ? [...new Set(records)] : null);
    const fileAt = (key: string) =>
      `/api/workspaces/${call.params.ws ?? ''}/made/${key}?${new URLSearchParams({ name: `${label}.${ending}` }).toString()}`;
    const lines = keeping(call.person.id, making.pieces, { ...making, count }, fileAt);
    return new Response(streamOf(lines), { headers: { 'content-type': 'application/x-ndjson' } });
  },
});

export const getKept = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/made/{key}',
  summary: 'A file of documents that you had made within the last hour',
  needs: 'see',
  downloads: true,
  query: Joi.object({ name: Joi.string().max(200).required().description('what it is called, with its ending') }),
  answers: 'the file',
  media,
  answer: async ({ person, params, query }) => {
    const name = String(query.name);
    const ending = name.split('.').at(-1) ?? '';
    const type = ending === 'zip' ? 'application/zip' : documentFormats[ending as DocumentFormat]?.type;
    if (!type) throw notHere('file');
    const { path, size } = await keptFile(person.id, params.key ?? '');
    return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
      headers: { ...fileHeaders(type, name.slice(0, -ending.length - 1), ending), 'content-length': String(size) },
    });
  },
});
