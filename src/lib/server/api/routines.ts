import Joi from 'joi';
import { partOf } from '$core/parts/parts';
import type { Written } from '$core/filled/written';
import { tableAt } from '../access/workspaceAccess';
import { recordId } from '../base/numbers';
import { whole } from '../base/listed';
import { workspaceEndpoint } from '../http/endpoint';
import { buttonsOf, listRoutines, resumeRoutine, runByHand, tryOn } from '../routines/routines';
import { listRuns } from '../routines/runs';
import { listOutgoing, sendAgain } from '../sending/outgoing';
import {
  addTablePart,
  partNamed,
  removeTablePart,
  requireOver,
  savedPart,
  saveTablePart,
} from '../structure/tableParts';
import { partFrom } from './changes/parts';
import { ask } from './recordWrites';
import { numberAt } from './workspaces';
import { routineSchema } from './views/routineSchema';

const ofRoutines = '/api/workspaces/{ws}/routines';
const inputs = Joi.object().unknown(true).description('what the button asks for, by key or label');
const paging = { after: recordId, limit: Joi.number().integer().min(1).max(200).default(50) };

export const getRoutines = workspaceEndpoint({
  method: 'GET',
  path: ofRoutines,
  summary: 'The routines of a workspace: what each does in one sentence, and whether it runs',
  needs: 'routines',
  answers:
    '{items: [{id, table, routine, sentence, lost, tried, paused, failures, problem, runs, lastRun}], next: null}',
  answer: async ({ pool, access }) => whole(await listRoutines(pool, access)),
});

const ofTable = '/api/workspaces/{ws}/tables/{t}/routines';
const kind = 'routine';

export const postRoutine = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Make a routine of a table; it runs once it was tried and is on',
  needs: 'routines',
  body: Joi.object({ routine: routineSchema.required() }),
  answers: '{id, saved: the routine as it is written}; 409 where one has that name',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { routine } = body as { routine: Written };
    const blank = partOf(kind).blank(routine);
    const made = partFrom(access.workspace.model, table, kind, blank, routine, '/routine');
    return savedPart(access, { kind, table }, await addTablePart(pool, access, { kind, table }, made));
  },
});

export const patchRoutine = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}`,
  summary: 'Save a routine anew, or switch it on or off; whoever does so keeps it',
  needs: 'routines',
  body: Joi.object({
    routine: routineSchema.required(),
    over: routineSchema.description('what this one was made of'),
  }),
  answers: '{id, saved: the routine as it is written}; 409 where another than `over` stands by now',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { model } = access.workspace;
    const old = partNamed({ kind, table }, params.id ?? '');
    const { routine, over } = body as { routine: Written; over?: Written };
    if (over) requireOver(model, { kind, table }, old, over);
    const part = partFrom(model, table, kind, old, routine, '/routine');
    await saveTablePart(pool, access, { kind, table }, part);
    return savedPart(access, { kind, table }, part);
  },
});

export const deleteRoutine = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/{id}`,
  summary: 'Delete a routine; what it wrote stays',
  needs: 'routines',
  answers: '{id}',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const { id } = partNamed({ kind, table }, params.id ?? '');
    await removeTablePart(pool, access, { kind, table }, id);
    return { id };
  },
});

export const getButtons = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/buttons',
  summary: 'What can be run by hand for records of a table, with what it asks for',
  needs: 'write',
  answers: '{items: [{id, label, inputs: [{key, label, type, to, required}]}], next: null}',
  answer: async ({ pool, access, params }) => whole(await buttonsOf(pool, access, tableAt(access, params.t ?? ''))),
});

export const postTry = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/try`,
  summary: 'Do a routine for a record and roll it back: what each step would write, make and send',
  needs: 'routines',
  body: Joi.object({
    routine: Joi.alternatives(Joi.string().max(40), routineSchema)
      .required()
      .description('one that is not saved yet, or the id of one: that may run once it was tried as it is'),
    record: recordId.required(),
    inputs,
  }),
  answers: '{sentence, met, steps: [{do, words, records, made, changed, sent, samples, took}], problem}',
  answer: ({ pool, access, params, body }) =>
    tryOn(pool, access, params.t ?? '', body as { routine: Written | string; record: number; inputs?: Written }),
});

export const postRun = workspaceEndpoint({
  method: 'POST',
  path: `${ofRoutines}/{id}/run`,
  summary: 'Run a routine by hand for records, with what it asks for',
  needs: 'write',
  body: Joi.object({
    records: Joi.array().items(recordId).min(1).max(10_000).unique().required(),
    inputs,
    ask,
  }),
  answers: '{batch, records}; the batch can be undone',
  answer: ({ pool, access, params, body }) => {
    const { records, inputs: given = {}, ask: asks } = body as { records: number[]; inputs?: Written; ask: boolean };
    return runByHand(pool, access, params.id ?? '', { records, inputs: given, ask: asks });
  },
});

export const postResume = workspaceEndpoint({
  method: 'POST',
  path: `${ofRoutines}/{id}/resume`,
  summary: 'Let a routine that failed too often and was paused go on',
  needs: 'routines',
  answers: 'null',
  answer: async ({ pool, access, params }) => {
    await resumeRoutine(pool, access, params.id ?? '');
    return null;
  },
});

export const getRuns = workspaceEndpoint({
  method: 'GET',
  path: `${ofRoutines}/runs`,
  summary: 'The log of routines, the newest first: what set each run off, what its steps did, how long it took',
  needs: 'routines',
  query: Joi.object({ routine: Joi.string().max(40), batch: recordId, ...paging }),
  answers: '{items: [{id, at, label, routine, table, by, chain, batch, records, first, took, problem, steps}], next}',
  answer: ({ pool, access, query }) =>
    listRuns(pool, access, query as { routine?: string; batch?: number; after?: number; limit: number }),
});

export const getOutgoing = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/outgoing',
  summary: 'Messages and calls of routines, the newest first: sent, waiting for their next try, or failed',
  needs: 'routines',
  query: Joi.object({ state: Joi.string().valid('waiting', 'sent', 'failed'), ...paging }),
  answers: '{items: [{id, at, routine, label, table, record, what, state, tries, answer, sentAt}], next}',
  answer: ({ pool, access, query }) =>
    listOutgoing(pool, access, query as { after?: number; limit: number; state?: string }),
});

export const postAgain = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/outgoing/{id}/again',
  summary: 'Send a message or a call once more that failed or waits',
  needs: 'routines',
  answers: 'null',
  answer: async ({ pool, access, params }) => {
    await sendAgain(pool, access, numberAt(params.id));
    return null;
  },
});
