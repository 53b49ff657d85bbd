import Joi from 'joi';
import { partOf } from '$core/parts/parts';
import type { Choices } from '$core/summaries/narrowing';
import type { Written } from '$core/filled/written';
import { has } from '$core/access/rights';
import type { Summary } from '$core/types/summary';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { whole } from '../base/listed';
import { streamOf } from '../base/streamOf';
import { fileHeaders, language, languageOf, startedWith } from './paperAnswers';
import { workspaceEndpoint } from '../http/endpoint';
import { pageData, recordsBehind } from '../summaries/data';
import {
  addSummary,
  removeSummary,
  saveSummary,
  summariesOf,
  summaryNamed,
  summaryOut,
  type HeldSummary,
} from '../summaries/held';
import { requireOver } from '../structure/tableParts';
import { partFrom } from './changes/parts';
import { summarySchema } from './views/summarySchema';

const path = '/api/workspaces/{ws}/summaries';
const kind = 'summary';
const personal = Joi.boolean().description('for yourself alone, or for everybody (those who may share)');
const choices = Joi.string()
  .max(20_000)
  .description(
    'what is chosen in the page’s filters, as JSON: {"a_1": {"from": "2026-05-01"}, "a_2": {"is": ["Ash"]}}',
  );

const choice = Joi.alternatives(
  Joi.object({ from: Joi.string().max(10), until: Joi.string().max(10) }),
  Joi.object({ least: Joi.number().min(-1e15).max(1e15), most: Joi.number().min(-1e15).max(1e15) }),
  Joi.object({ is: Joi.array().max(200).required() }),
);

/** JSON in an address, as its schema says. */
function jsonIn<T>(text: unknown, schema: Joi.Schema, at: string, otherwise: T): T {
  if (typeof text !== 'string' || text === '') return otherwise;
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch {
    throw refuse(400, 'This is no JSON.', 'Write it as JSON.', at);
  }
  const { error, value } = schema.validate(read) as { error?: Joi.ValidationError; value: T };
  if (error) throw refuse(400, `${error.message}.`, 'See the description of the call.', at);
  return value;
}

const choicesOf = (text: unknown): Choices =>
  jsonIn<Choices>(text, Joi.object().pattern(Joi.string().max(40), choice), '?/filters', {});

/** What was sent of a summary, put into one. */
const summaryFrom = (access: WorkspaceAccess, standing: Summary, sent: Written): Summary =>
  partFrom(access.workspace.model, null, kind, standing, sent, '/summary');

const shared = (access: WorkspaceAccess, held: HeldSummary | { personal: boolean }): void => {
  if (!held.personal) requireRight(access, 'share');
};

export const getSummaries = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'The summaries that you have: everybody’s and your groups’, then your own',
  needs: 'see',
  answers: '{items: [{id, label, description, personal, groups, blocks, changeable}], next: null}',
  answer: async ({ pool, access }) => {
    const all = await summariesOf(pool, access);
    return whole(
      all.map(({ summary: { id, label, description, groups, blocks }, personal: own }) => ({
        id,
        label,
        description,
        personal: own,
        groups,
        blocks: blocks.length,
        changeable: own || has(access.rights, 'share'),
      })),
    );
  },
});

export const postSummary = workspaceEndpoint({
  method: 'POST',
  path,
  summary: 'Make a summary',
  needs: 'see',
  body: Joi.object({ summary: summarySchema.required(), personal: personal.default(true) }),
  answers: '{id, saved: the summary as it is written}; 409 where one has that name',
  answer: async ({ pool, access, body }) => {
    const { summary, personal: own } = body as { summary: Written; personal: boolean };
    shared(access, { personal: own });
    const made = summaryFrom(access, partOf(kind).blank({}), summary);
    return summaryOut(access, await addSummary(pool, access, made, own));
  },
});

export const getSummary = workspaceEndpoint({
  method: 'GET',
  path: `${path}/{id}`,
  summary: 'A summary as it is written; `lost` says what of it uses fields that are gone',
  needs: 'see',
  answers: '{id, personal, saved, lost}',
  answer: async ({ pool, access, params }) => summaryOut(access, await summaryNamed(pool, access, params.id ?? '')),
});

export const patchSummary = workspaceEndpoint({
  method: 'PATCH',
  path: `${path}/{id}`,
  summary: 'Save a summary anew, give it to everybody, or take it for yourself',
  needs: 'see',
  body: Joi.object({
    summary: summarySchema,
    over: summarySchema.description('what this one was made of'),
    personal,
  }).or('summary', 'personal'),
  answers: '{id, saved: the summary as it is written}; 409 where another than `over` stands by now',
  answer: async ({ pool, access, params, body }) => {
    const held = await summaryNamed(pool, access, params.id ?? '');
    shared(access, held);
    const {
      summary,
      over,
      personal: own = held.personal,
    } = body as { summary?: Written; over?: Written; personal?: boolean };
    shared(access, { personal: own });
    if (over) requireOver(access.workspace.model, { kind, table: null }, held.summary, over);
    const now = summary ? summaryFrom(access, held.summary, summary) : held.summary;
    await saveSummary(pool, access, held, now, own);
    return summaryOut(access, { summary: now, personal: own });
  },
});

export const deleteSummary = workspaceEndpoint({
  method: 'DELETE',
  path: `${path}/{id}`,
  summary: 'Delete a summary; an undo brings back one that everybody had',
  needs: 'see',
  answers: '{id}',
  answer: async ({ pool, access, params }) => {
    const held = await summaryNamed(pool, access, params.id ?? '');
    shared(access, held);
    await removeSummary(pool, access, held);
    return { id: held.summary.id };
  },
});

export const getSummaryData = workspaceEndpoint({
  method: 'GET',
  path: `${path}/{id}/data`,
  summary: 'What the blocks of a summary show, with what is chosen in the page’s filters',
  needs: 'see',
  query: Joi.object({ filters: choices }),
  answers: '{items: [{id, asked?: {groups, measures, whole, rows, cut, period}, list?, problem?}], next: null}',
  answer: async ({ pool, access, params, query }) => {
    const { summary } = await summaryNamed(pool, access, params.id ?? '');
    return whole(await pageData(pool, access, summary, choicesOf(query.filters)));
  },
});

export const getSummaryPdf = workspaceEndpoint({
  method: 'GET',
  path: `${path}/{id}/pdf`,
  summary: 'The page of a summary as a PDF, with what is chosen in its filters',
  needs: 'see',
  downloads: true,
  query: Joi.object({ filters: choices, language }),
  answers: 'the file',
  media: ['application/pdf'],
  answer: async ({ pool, access, params, query, event }) => {
    const { summary } = await summaryNamed(pool, access, params.id ?? '');
    // What draws charts is loaded with the first one.
    const { summaryPdf } = await import('../summaries/paper');
    const pieces = summaryPdf(
      pool,
      access,
      summary,
      choicesOf(query.filters),
      languageOf(event.request, query.language),
    );
    const first = await pieces.next();
    return new Response(streamOf(startedWith(first, pieces)), {
      headers: fileHeaders('application/pdf', summary.label, 'pdf'),
    });
  },
});

export const tryBlocks = workspaceEndpoint({
  method: 'POST',
  path: `${path}/try`,
  summary: 'What the blocks of a summary would show that is not saved',
  needs: 'see',
  reads: true,
  body: Joi.object({
    summary: summarySchema.required(),
    filters: Joi.object().pattern(Joi.string().max(40), choice).default({}),
  }),
  answers: '{items: [{id, asked?, list?, problem?}], next: null}',
  answer: async ({ pool, access, body }) => {
    const { summary, filters } = body as { summary: Written; filters: Choices };
    return whole(await pageData(pool, access, summaryFrom(access, partOf(kind).blank({}), summary), filters));
  },
});

export const getBehind = workspaceEndpoint({
  method: 'GET',
  path: `${path}/{id}/blocks/{b}/records`,
  summary: 'The records behind a row of a block, 200 at most',
  needs: 'see',
  query: Joi.object({
    values: Joi.string().max(4000).description('the values of its groups as JSON: ["2026-05-01", {"id": 3}]'),
    against: Joi.boolean().default(false).description('of what the period is held against'),
    filters: choices,
  }),
  answers: '{table, columns, records: [{id, values}], count}',
  answer: async ({ pool, access, params, query }) => {
    const { summary } = await summaryNamed(pool, access, params.id ?? '');
    const block = summary.blocks.find(({ id }) => id === params.b);
    if (!block) throw notHere('block');
    return recordsBehind(pool, access, summary, block, {
      values: jsonIn<unknown[]>(query.values, Joi.array().max(3), '?/values', []),
      against: query.against === true,
      choices: choicesOf(query.filters),
    });
  },
});
