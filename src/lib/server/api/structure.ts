import Joi from 'joi';
import { comesFrom, goesTo } from '$core/parts/impact';
import { structureDifference } from '$core/changes/difference';
import { fieldNamed } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { directory } from '../access/directory';
import { tableAt, telling } from '../access/workspaceAccess';
import { structureDefects } from '../health/storedStructure';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere } from '../base/refusal';
import { binOf, changesToRestore, restoreRecord } from '../history/bin';
import { coordinate, recordId, wholeNumber } from '../base/numbers';
import { candidatesOf } from '../query/candidates';
import { factsOf } from '../query/facts';
import { listOfValues } from '../structure/listOfValues';
import { streamOf } from '../base/streamOf';
import { workspacePackage } from '../export/dataPackage';
import { makePlan } from '../structure/plan';
import { structureSql, wholeSql } from '../export/sqlExport';
import { structureAfter, structureSteps } from '../history/structureHistory';
import { traceField } from '../query/trace';
import { stopWork, workAt } from '../structure/work';
import { workKinds, type WorkName } from '../database/progress';
import { readPlaces, savePlaces } from '../structure/weavePlaces';
import type { WeavePlaces } from '$core/weave/places';
import { fieldJson } from '../structure/fieldJson';
import { modelJson } from './modelJson';
import { changesFromStructure, foreignIn, type StructureJson } from './changes/structureImport';
import { numberAt, withTargets } from './workspaces';
import { readChange, senderOf } from './changes/changes';
import { whole } from '../base/listed';

const ofWorkspace = '/api/workspaces/{ws}';

function fieldAt(table: Table, name: string): Field {
  const field = fieldNamed(table, name);
  if (!field) throw notHere('field');
  return field;
}

export const getDirectory = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/directory`,
  summary: 'The organisation’s people',
  needs: 'see',
  answers: '{items: [{id, name, email, post}], next: null}',
  answer: async ({ pool }) => whole(await directory(pool)),
});

export const getFacts = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/tables/{t}/fields/{f}/facts`,
  summary: 'What is in a field: how many records have it filled, its range, its most frequent values',
  needs: 'see',
  answers: '{field, records, filled, distinct, least, greatest, frequent, setAside}',
  answer: ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    return factsOf(pool, access, table, fieldAt(table, params.f ?? ''));
  },
});

export const getListedValues = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/tables/{t}/fields/{f}/values`,
  summary:
    'The values of a field as the options that a list would get, with how often each stands and what may be meant by it',
  needs: 'design',
  query: Joi.object({
    several: Joi.boolean().default(false).description('texts are taken apart at semicolons or commas'),
  }),
  answers: '{values: [{label, count, near}], left}',
  answer: ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    return listOfValues(pool, access, table, fieldAt(table, params.f ?? ''), query.several === true);
  },
});

export const getTrace = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/tables/{t}/fields/{f}/trace/{id}`,
  summary:
    'How the value of a calculated field of one record comes about: each part with its value, and the records that went in',
  needs: 'see',
  answers:
    '{record, step: {text, value, note, field, gathers, parts}, gathered: [{text, table, total, records: [{id, title, value}]}]}',
  answer: ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    return traceField(pool, access, table, fieldAt(table, params.f ?? ''), numberAt(params.id));
  },
});

export const getImpact = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/tables/{t}/fields/{f}/impact`,
  summary: 'What a field comes from, and what comes from it, over any number of steps',
  needs: 'see',
  answers: '{comesFrom: [{steps, field, table, kind, words}], goesTo: [{steps, field, table, kind, words}]}',
  answer: ({ access, params }) => {
    const { id } = fieldAt(tableAt(access, params.t ?? ''), params.f ?? '');
    const { model } = access.workspace;
    return Promise.resolve({ comesFrom: comesFrom(model, id), goesTo: goesTo(model, id) });
  },
});

export const postCandidates = workspaceEndpoint({
  method: 'POST',
  path: `${ofWorkspace}/tables/{t}/fields/{f}/candidates`,
  summary: 'Records a link can point at, given what is filled in on the record',
  reads: true,
  needs: 'see',
  body: Joi.object({
    q: Joi.string().allow('').max(200).default(''),
    record: recordId.allow(null).default(null),
    values: Joi.object().unknown(true).default({}),
    limit: Joi.number().integer().min(1).max(100).default(12),
    any: Joi.boolean().default(false).description('also records that the link’s limit leaves out, as for a filter'),
  }),
  answers: '{items: [{id, title, shows}], next: null}',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { q, record, values, limit, any } = body as {
      q: string;
      record: number | null;
      values: Record<string, unknown>;
      limit: number;
      any: boolean;
    };
    return whole(
      await candidatesOf(pool, access, table, fieldAt(table, params.f ?? ''), {
        typed: q,
        limit,
        record,
        draft: values,
        any,
      }),
    );
  },
});

export const getBin = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/bin`,
  summary: 'Deleted tables, fields and records that can be brought back',
  needs: 'see',
  answers: '{items: [{kind, batch, at, by, id, label}], next: null, cut}; `cut` says that older ones are left out',
  answer: async ({ pool, access }) => {
    const { things, cut } = await binOf(pool, access);
    return { ...whole(things), cut };
  },
});

export const postRestore = workspaceEndpoint({
  method: 'POST',
  path: `${ofWorkspace}/bin/restore`,
  summary: 'Bring something back: a record at once, a table or a field as a plan to be applied',
  needs: 'write',
  body: Joi.object({
    kind: Joi.string().valid('table', 'field', 'record').required(),
    id: Joi.when('kind', {
      is: 'record',
      then: wholeNumber,
      otherwise: Joi.string().max(200),
    }).required(),
    batch: recordId,
    table: Joi.string(),
  }),
  answers: '{batch} or {plan: {id, effects, possible}}',
  answer: async ({ pool, access, body }) => {
    const {
      kind,
      id,
      batch = 0,
      table = '',
    } = body as { kind: string; id: string | number; batch?: number; table?: string };
    if (kind === 'record') return restoreRecord(pool, access, table, Number(id));
    return { plan: await makePlan(pool, access, await changesToRestore(pool, access, batch, String(id))) };
  },
});

export const getStructureCheck = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/structure/check`,
  summary: 'Where the structure differs from the tables that stand in the database; empty where all is well',
  needs: 'see',
  answers: '{items: [{table, words}], next: null}',
  answer: async ({ pool, access }) => whole(await structureDefects(pool, telling(access).workspace)),
});

export const getStructureSteps = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/structure`,
  summary: 'The steps that changed the structure, newest first',
  needs: 'see',
  query: Joi.object({ after: recordId, limit: Joi.number().integer().min(1).max(500).default(200) }),
  answers: '{items: [{batch, at, by, title}], next}',
  answer: ({ pool, access, query }) => structureSteps(pool, access, query as { after?: number; limit: number }),
});

export const getStructureAt = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/structure/{batch}`,
  summary:
    'The structure as it was right after a step (0: before the first), and what is different since, or after the step named by `to`',
  needs: 'see',
  query: Joi.object({ to: recordId }),
  answers: '{tables, difference: [{kind, what, changes: [{of, before, now}]}]}',
  answer: async ({ pool, access, params, query }) => {
    const before = await structureAfter(pool, access, numberAt(params.batch));
    const now =
      query.to === undefined ? access.workspace.model : await structureAfter(pool, access, query.to as number);
    return { ...modelJson(before), difference: structureDifference(before, now) };
  },
});

export const getStructureExport = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/export`,
  summary:
    'The structure in an open format: as JSON that can be brought in again, or as SQL, with the records too where `data` says so; or everything as a Data Package, records and links included',
  downloads: true,
  needs: 'takeOut',
  query: Joi.object({
    format: Joi.string().valid('structure', 'sql', 'datapackage').default('structure'),
    data: Joi.boolean().default(false).description('of SQL: with the records, for psql into an empty database'),
  }),
  answers: 'the structure as JSON or SQL, or a package of everything',
  media: ['application/json', 'application/sql', 'application/zip'],
  answer: ({ pool, access, query }) => {
    const { workspace } = access;
    if (query.format === 'datapackage')
      return Promise.resolve(
        new Response(streamOf(workspacePackage(pool, access, (field) => fieldJson(workspace.model, field))), {
          headers: {
            'content-type': 'application/zip',
            'content-disposition': `attachment; filename="${workspace.key}.zip"`,
          },
        }),
      );
    const isSql = query.format === 'sql';
    if (isSql && query.data === true)
      return Promise.resolve(
        new Response(streamOf(wholeSql(pool, access)), {
          headers: {
            'content-type': 'application/sql; charset=utf-8',
            'content-disposition': `attachment; filename="${workspace.key}.sql"`,
          },
        }),
      );
    const text = isSql
      ? structureSql(workspace)
      : JSON.stringify({ structure: 1, label: workspace.label, ...modelJson(workspace.model) }, null, 2);
    return Promise.resolve(
      new Response(text, {
        headers: {
          'content-type': isSql ? 'application/sql; charset=utf-8' : 'application/json; charset=utf-8',
          'content-disposition': `attachment; filename="${workspace.key}.${isSql ? 'sql' : 'structure.json'}"`,
        },
      }),
    );
  },
});

export const postStructureImport = workspaceEndpoint({
  method: 'POST',
  path: `${ofWorkspace}/structure/import`,
  summary: 'A plan that builds an exported structure beside what stands',
  needs: 'design',
  body: Joi.object({
    tables: Joi.array()
      .min(1)
      .max(500)
      .items(
        Joi.object({
          key: Joi.string().required(),
          label: Joi.string().required(),
          fields: Joi.array().items(Joi.object().unknown(true)).required(),
        }).unknown(true),
      )
      .required(),
  }).unknown(true),
  answers: '{id, effects, possible}',
  answer: async ({ pool, access, body }) => {
    const structure = body as StructureJson;
    const over = await withTargets(pool, access, foreignIn(structure));
    return makePlan(pool, over, changesFromStructure(over.workspace.model, structure, readChange(senderOf(over))));
  },
});

export const getWeavePlaces = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/weave`,
  summary: 'Where people put the tables in Weave',
  needs: 'see',
  answers: '{places: {table: {x, y}}}',
  answer: async ({ pool, access }) => ({ places: await readPlaces(pool, access) }),
});

export const putWeavePlaces = workspaceEndpoint({
  method: 'PUT',
  path: `${ofWorkspace}/weave`,
  summary: 'Keep where tables were put in Weave; null lets one be laid out again',
  needs: 'design',
  body: Joi.object({
    places: Joi.object()
      .pattern(Joi.string(), Joi.object({ x: coordinate.required(), y: coordinate.required() }).allow(null))
      .max(1000)
      .required(),
  }),
  answers: '{places}',
  answer: async ({ pool, access, body }) => ({
    places: await savePlaces(pool, access, (body as { places: WeavePlaces }).places),
  }),
});

export const getWork = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/work`,
  summary: 'Long changes that go on',
  needs: 'see',
  answers: '{items: [{kind: "plan"|"undo"|"edit", id, phase, done, of, seconds}], next: null}',
  answer: async ({ pool, access }) => whole(await workAt(pool, access)),
});

export const deleteWork = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofWorkspace}/work`,
  summary: 'Stop a long change, or an edit of one’s own with very many consequences; nothing of it is kept',
  needs: 'write',
  body: Joi.object({
    kind: Joi.string()
      .valid(...workKinds)
      .required(),
    id: recordId.required(),
  }),
  answers: '{}; its own call answers 409',
  answer: async ({ pool, access, body }) => {
    await stopWork(pool, access, body as WorkName);
    return {};
  },
});
