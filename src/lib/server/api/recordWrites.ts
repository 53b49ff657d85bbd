import type { RequestEvent } from '@sveltejs/kit';
import Joi from 'joi';
import { tableAt } from '../access/workspaceAccess';
import { workspaceEndpoint } from '../http/endpoint';
import { Refusal, refuse } from '../base/refusal';
import { recordId, wholeNumber } from '../base/numbers';
import { paste, previewPaste, type PastedCells } from '../entry/paste';
import { effectWords, removalOf } from '../records/removal';
import { upsertRecords } from '../entry/upsert';
import { writeRecords } from '../entry/write';
import { numberAt } from './workspaces';

const ofTable = '/api/workspaces/{ws}/tables/{t}/records';
const mostWritten = 10_000;

/** What a program prefers to be answered with (RFC 7240): `Prefer: return=minimal` leaves the records out. */
const prefers = ({ request }: Pick<RequestEvent, 'request'>): { readonly minimal: boolean } => ({
  minimal: /\breturn=minimal\b/.test(request.headers.get('prefer') ?? ''),
});

const values = Joi.object().unknown(true).required();

export const ask = Joi.boolean()
  .default(false)
  .description(
    'refuse with counts: in `reach`, where more than 20,000 records would be calculated anew; ' +
      'in `sends`, where routines would write to more than 100 recipients',
  );

export const postRecords = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Make records, all or none',
  inOneTransaction: true,
  recalls: true,
  needs: 'write',
  body: Joi.object({ records: Joi.array().min(1).max(mostWritten).items(Joi.object({ values })).required(), ask }),
  answers: '{batch, records}',
  answer: ({ event, pool, access, params, body }) => {
    const { records, ask: asks } = body as { records: { values: Record<string, unknown> }[]; ask: boolean };
    return writeRecords(pool, access, params.t ?? '', { insert: records, ask: asks }, prefers(event));
  },
});

export const patchRecords = workspaceEndpoint({
  method: 'PATCH',
  path: ofTable,
  summary: 'Change records, all or none',
  inOneTransaction: true,
  recalls: true,
  needs: 'write',
  body: Joi.object({
    records: Joi.array()
      .min(1)
      .max(mostWritten)
      .items(Joi.object({ id: recordId.required(), version: wholeNumber, values }))
      .required(),
    ask,
  }),
  answers: '{batch, records}; 409 with both values where a record moved on',
  answer: ({ event, pool, access, params, body }) => {
    const { records, ask: asks } = body as {
      records: { id: number; version?: number; values: Record<string, unknown> }[];
      ask: boolean;
    };
    return writeRecords(pool, access, params.t ?? '', { update: records, ask: asks }, prefers(event));
  },
});

export const byFields = Joi.string()
  .max(500)
  .required()
  .description('a unique field by key, or several with commas between');

export const putRecords = workspaceEndpoint({
  method: 'PUT',
  path: ofTable,
  summary: 'Make records, or change those that have the same in fields that are unique; all or none',
  inOneTransaction: true,
  needs: 'write',
  query: Joi.object({ by: byFields }),
  body: Joi.object({ records: Joi.array().min(1).max(mostWritten).items(Joi.object({ values })).required() }),
  answers: '{batch, records, made, found}; records made first, then those that were found',
  answer: ({ event, pool, access, params, query, body }) => {
    const { records } = body as { records: { values: Record<string, unknown> }[] };
    return upsertRecords(pool, access, params.t ?? '', keysIn(query.by), records, prefers(event).minimal);
  },
});

/** The fields by which records are found, as the call names them. */
export const keysIn = (by: unknown): string[] =>
  String(by)
    .split(',')
    .map((name) => name.trim());

/** The version that a change was made on, by the tag of the record as it was read; none where it says nothing. */
function versionIn({ request }: Pick<RequestEvent, 'request'>): number | undefined {
  const tag = request.headers.get('if-match')?.trim();
  if (tag === undefined || tag === '*') return undefined;
  const version = /^"(\d{1,9})\./.exec(tag)?.[1];
  if (version === undefined)
    throw refuse(412, 'If-Match is no tag of a record.', 'Send the ETag that reading the record answered.');
  return Number(version);
}

/** A record that moved on since it was read does not meet what `If-Match` asks for (RFC 9110, 13.1.1). */
const asUnmet = (error: unknown): unknown =>
  error instanceof Refusal && error.status === 409 && 'version' in error.details
    ? new Refusal(412, error.problem, error.details)
    : error;

export const patchRecord = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}`,
  summary: 'Change one record; with If-Match only if nobody changed it since it was read',
  inOneTransaction: true,
  recalls: true,
  needs: 'write',
  body: Joi.object({ values, ask }),
  versioned: true,
  answers: '{batch, records}; 412 with both values where the record moved on',
  answer: async ({ event, pool, access, params, body }) => {
    const { values: sent, ask: asks } = body as { values: Record<string, unknown>; ask: boolean };
    const version = versionIn(event);
    const update = [{ id: numberAt(params.id), values: sent, ...(version === undefined ? {} : { version }) }];
    return writeRecords(pool, access, params.t ?? '', { update, ask: asks }, prefers(event)).catch((error: unknown) => {
      throw asUnmet(error);
    });
  },
});

const mostPasted = 100_000;

const side = Joi.object({ decimal: Joi.string().valid('.', ','), dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy') });

export const postPaste = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/paste`,
  inOneTransaction: true,
  summary:
    'Write cells given as texts: numbers, days, options and links by title or key are read from them; with `dry` only what would become of them',
  needs: 'write',
  body: Joi.object({
    fields: Joi.array().min(1).max(1600).items(Joi.string()).required(),
    rows: Joi.array()
      .min(1)
      .max(mostPasted)
      .items(
        Joi.object({
          id: recordId.allow(null).required(),
          cells: Joi.array().items(Joi.string().allow('').max(100_000)).required(),
        }),
      )
      .required(),
    misfits: Joi.string()
      .valid('setAside', 'leave')
      .default('setAside')
      .description('kept beside the record, which is blank there; or left out'),
    readings: Joi.object().pattern(Joi.string(), side).default({}),
    preset: Joi.object().unknown(true).default({}),
    dry: Joi.boolean().default(false),
    ask,
  }),
  answers:
    '{batch, records, preview}, dry {preview}; preview = {records: {changed, made}, cells: {fit, blank, misfit}, misfits, readings}',
  answer: async ({ pool, access, params, body }) => {
    const { dry, ask: asks, ...pasted } = body as PastedCells & { dry: boolean; ask: boolean };
    if (pasted.rows.length * pasted.fields.length > mostPasted)
      throw refuse(
        413,
        `${(pasted.rows.length * pasted.fields.length).toLocaleString('en')} cells are more than can be pasted at once.`,
        'Bring them in as a file through Intake.',
      );
    return dry
      ? { preview: await previewPaste(pool, access, params.t ?? '', pasted) }
      : paste(pool, access, params.t ?? '', pasted, asks);
  },
});

const ids = Joi.array().min(1).max(mostWritten).items(recordId).required();

export const deleteRecords = workspaceEndpoint({
  method: 'DELETE',
  path: ofTable,
  summary: 'Delete records, as the rules of their links say',
  inOneTransaction: true,
  recalls: true,
  needs: 'write',
  body: Joi.object({ ids, ask }),
  answers: '{batch, records: []}; 409 where a rule prevents it',
  answer: ({ pool, access, params, body }) => {
    const { ids: gone, ask: asks } = body as { ids: number[]; ask: boolean };
    return writeRecords(pool, access, params.t ?? '', { remove: gone, ask: asks });
  },
});

export const postRemoval = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/removal`,
  reads: true,
  summary: 'What a deletion would do to linked records; nothing is written',
  needs: 'write',
  body: Joi.object({ ids }),
  answers: '{possible, records, effects: [{rule, table, field, count, words, samples}]}',
  answer: async ({ pool, access, params, body }) => {
    const removal = await removalOf(pool, access, tableAt(access, params.t ?? ''), (body as { ids: number[] }).ids);
    const effects = removal.effects.map((effect) => ({
      rule: effect.rule,
      table: effect.table.key,
      field: effect.link.key,
      count: effect.ids.length,
      words: effectWords(effect),
      samples: effect.samples,
    }));
    return {
      possible: removal.remove.length > 0 && effects.every(({ rule }) => rule !== 'prevent'),
      records: removal.remove.reduce((sum, { ids: gone }) => sum + gone.length, 0),
      effects,
    };
  },
});
