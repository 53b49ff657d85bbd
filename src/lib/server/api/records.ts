import Joi from 'joi';
import { blankReasons } from '$core/formula/findings/blankReasons';
import { checkOwnFormula } from '$core/flow/ownFormula';
import { printFormula } from '$core/formula/printer';
import { typeWord } from '$core/types/expression';
import { fieldNamed } from '$core/model/model';
import { newFieldKey } from '$core/model/names/naming';
import { tableAt } from '../access/workspaceAccess';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere, refuse } from '../base/refusal';
import { recordId, wholeNumber } from '../base/numbers';
import { formulaSamples } from '../structure/changes/counting';
import { withAside } from '../records/asideMarks';
import { wentTo } from '../records/moved';
import { readByIds } from '../query/read';
import { recordHistory } from '../records/recordHistory';
import { numberAt } from './workspaces';

const ofTable = '/api/workspaces/{ws}/tables/{t}/records';

export const getRecord = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}`,
  summary: 'One record; its ETag goes with a change as If-Match',
  needs: 'see',
  versioned: true,
  answers: '{id, version, values}',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const [record] = await withAside(pool, access, table, await readByIds(pool, access, table, [numberAt(params.id)]));
    if (record) return record;
    const movedTo = await wentTo(pool, access, table, numberAt(params.id));
    if (!movedTo) throw notHere('record');
    const { workspace, table: key, id } = movedTo;
    throw Object.assign(
      refuse(404, 'This record was moved.', `It is at /api/workspaces/${workspace}/tables/${key}/records/${id} now.`),
      { details: { movedTo } },
    );
  },
});

export const getRecordHistory = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}/history`,
  summary: 'What became of a record, newest first: each field from what to what, when, by whom and by what',
  needs: 'see',
  query: Joi.object({ after: recordId, limit: Joi.number().integer().min(1).max(500).default(50) }),
  answers: '{items: [{batch, at, by, how, title, kind, undone, fields: [{field, label, from, to, entered}]}], next}',
  answer: ({ pool, access, params, query }) =>
    recordHistory(
      pool,
      access,
      tableAt(access, params.t ?? ''),
      numberAt(params.id),
      query as { after?: number; limit: number },
    ),
});

export const postFormulaCheck = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/formulas/check',
  reads: true,
  summary: 'Type, problems with their place, and values for the first records',
  needs: 'see',
  body: Joi.object({
    table: Joi.string().required(),
    formula: Joi.string().allow('').max(30_000).required(),
    field: Joi.string().description(
      'the calculated field it is for, by key or identity: it may read itself over a hierarchy',
    ),
    label: Joi.string().max(120).description('of a field that is not there yet'),
    on: wholeNumber.max(20).default(5),
    records: Joi.array()
      .max(20)
      .items(recordId)
      .description('the records to give values for, instead of the first ones'),
  }),
  answers: '{type, printed, problems, blanks, samples: [{record, after}], overHierarchy}',
  answer: async ({ pool, access, body }) => {
    const {
      table: name,
      formula,
      on,
      field,
      label,
      records,
    } = body as {
      table: string;
      formula: string;
      on: number;
      field?: string;
      label?: string;
      records?: number[];
    };
    const table = tableAt(access, name);
    const own = (field === undefined ? undefined : fieldNamed(table, field)) ?? {
      id: 'draft',
      key: newFieldKey(table.fields, label ?? 'draft'),
      label: label ?? 'draft',
    };
    const { expression, problems, model, overHierarchy } = checkOwnFormula(
      access.workspace.model,
      table.id,
      own,
      formula,
    );
    if (!expression) return { type: null, printed: null, problems, blanks: [], samples: [], overHierarchy };
    const draft = {
      ...own,
      help: '',
      required: false,
      unique: false,
      type: { kind: 'formula', formula: expression, result: expression.type },
    } as const;
    // What a formula reads may have gone in this moment: then there is nothing to show.
    const samples = overHierarchy
      ? []
      : await formulaSamples(pool, access, model, table, draft, on, records).catch(() => []);
    return {
      type: typeWord(expression.type),
      printed: printFormula(model, expression),
      problems,
      blanks: blankReasons(model, expression),
      samples,
      overHierarchy,
    };
  },
});
