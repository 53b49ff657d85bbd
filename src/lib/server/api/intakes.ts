import Joi from 'joi';
import { columnTypes, encodings, rowTests, type Decisions, type ReadingWish } from '$core/intake/intake';
import { workspaceEndpoint } from '../http/endpoint';
import { recordId, wholeNumber } from '../base/numbers';
import { filesSent, isJson, pastedSent, receiveFiles, receiveJson } from '../http/upload';
import { packTable } from '../intake/staged/fromTable';
import {
  beginIntake,
  correctIntake,
  endIntake,
  listIntakes,
  readAgain,
  readIntake,
  splitByHand,
} from '../intake/intakes';
import type { SplitWish } from '../intake/staged/splitByHand';
import { dryRun, misfitRows, startLoad, undoLoad } from '../intake/load/loading';
import { whyNot } from '../intake/discovery/whyNot';
import { nearTargets } from '../intake/load/nearTargets';
import { distributionOf, firstRows } from '../intake/staged/stagedRows';
import { csvFile } from '../export/csv';
import { numberAt } from './workspaces';
import { whole } from '../base/listed';

const limits = { files: 20, size: 1024 * 1024 * 1024, words: '1 GB' };

export const getIntakes = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes',
  summary: 'The newest intakes',
  needs: 'bringIn',
  answers: '{items: [{id, state, madeAt, names, rows}], next}',
  query: Joi.object({ after: recordId, limit: Joi.number().integer().min(1).max(100).default(20) }),
  answer: ({ pool, access, query }) => listIntakes(pool, access, query as { after?: number; limit: number }),
});

export const postIntake = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/intakes',
  summary: 'Bring files in: they are read and profiled while you ask for the intake',
  needs: 'bringIn',
  streams: true,
  sends: { 'multipart/form-data': filesSent, 'application/json': pastedSent },
  answers:
    'the intake: {id, state, progress, sheets, proposal}; a pasted range is sent as JSON {text} or {html}, with a name; a table that stands as {from: "workspace.table", records}',
  answer: async ({ pool, access, event, person }) => {
    if (!isJson(event)) return beginIntake(pool, access, await receiveFiles(event, limits));
    const sent = await receiveJson(event);
    return beginIntake(pool, access, ['from' in sent ? await packTable(pool, access, person, sent) : sent]);
  },
});

export const getIntake = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}',
  summary: 'An intake as it stands',
  needs: 'bringIn',
  answers: '{state, problem, progress, sheets, proposal, receipt, batch}',
  answer: ({ pool, access, params }) => readIntake(pool, access, numberAt(params.id)),
});

const reading = Joi.object({
  decimal: Joi.string().valid('.', ',').required(),
  dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy').required(),
});
const decisions = Joi.object({
  tables: Joi.object()
    .pattern(
      /^\d+$/,
      Joi.object({
        label: Joi.string().trim().min(1).max(120),
        skip: Joi.boolean(),
        into: Joi.string().max(40),
        keeps: Joi.alternatives(Joi.string().valid('last'), wholeNumber),
        leaveOutWhere: Joi.array()
          .items(
            Joi.object({
              column: wholeNumber.required(),
              test: Joi.string()
                .valid(...rowTests)
                .required(),
              text: Joi.string().trim().min(1).max(1_000),
            }),
          )
          .max(20)
          .description('rows that are left out besides: those that one of these holds for'),
        record: wholeNumber,
        with: wholeNumber,
        mark: Joi.object({
          field: Joi.string().trim().min(1).max(120).required(),
          text: Joi.string().trim().min(1).max(120).required(),
        }),
        by: Joi.array().items(Joi.string().max(40)).max(4),
        mode: Joi.string().valid('add', 'update', 'both'),
        blanks: Joi.string().valid('keep', 'clear'),
        keep: Joi.array()
          .items(Joi.object({ row: wholeNumber.min(1).required(), column: wholeNumber.required() }))
          .max(10_000)
          .description('values of records that stay as they are, though their row says something else'),
        key: Joi.array()
          .items(wholeNumber)
          .max(4)
          .unique()
          .description('the columns that tell its records, together; without it the one that was found'),
        leaveOut: Joi.array()
          .items(wholeNumber.min(1))
          .max(10_000)
          .description('rows that are no records, counted from 1 below the names; without it those that were found'),
      }),
    )
    .default({}),
  seen: Joi.array().items(Joi.string().max(1_000)).max(2_000).description('things to look at that were looked at'),
  columns: Joi.object()
    .pattern(
      /^\d+\.\d+$/,
      Joi.object({
        as: Joi.string().valid(...columnTypes, 'link', 'skip'),
        field: Joi.string().max(40),
        formula: Joi.string().allow('').max(20_000),
        replace: Joi.array()
          .items(Joi.object({ from: Joi.string().max(1_000).required(), to: Joi.string().max(1_000).required() }))
          .max(100_000),
        missing: Joi.string().valid('setAside', 'create', 'refuse'),
        to: Joi.string().max(40),
        match: Joi.string().max(40),
        also: Joi.object({ column: wholeNumber.required(), match: Joi.string().max(40).required() }),
        keepBlanks: Joi.boolean(),
        keepSpellings: Joi.boolean(),
        label: Joi.string().trim().min(1).max(120),
        reading,
      }),
    )
    .default({}),
});

export const putProposal = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/intakes/{id}/proposal',
  summary: "The person's corrections, by sheet and by sheet.column; the rest adapts",
  needs: 'bringIn',
  body: decisions,
  answers: 'the intake with its proposal made anew',
  answer: ({ pool, access, params, body }) => correctIntake(pool, access, numberAt(params.id), body as Decisions),
});

const place = wholeNumber.required();

export const postSplit = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/intakes/{id}/splits',
  summary: 'Split columns of a sheet off into a table of their own; rows that disagree are told',
  needs: 'bringIn',
  body: Joi.object({
    sheet: place,
    determinant: place,
    beside: wholeNumber,
    dependents: Joi.array().items(wholeNumber).min(1).required(),
  }),
  answers: 'the intake with its proposal made anew',
  answer: ({ pool, access, params, body }) => splitByHand(pool, access, numberAt(params.id), body as SplitWish),
});

export const putReading = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/intakes/{id}/reading',
  summary:
    'Read one of the files again another way: its encoding, signs, where the names of the columns stand, and which columns become rows; what was decided of columns that keep their names stays',
  needs: 'bringIn',
  body: Joi.object({
    file: wholeNumber.required(),
    encoding: Joi.string().valid(...encodings),
    delimiter: Joi.string().length(1),
    quote: Joi.string().length(1),
    preamble: wholeNumber.max(99),
    header: wholeNumber.max(3),
    parts: Joi.object()
      .pattern(
        Joi.string(),
        Joi.object().pattern(
          Joi.string(),
          Joi.object({
            by: Joi.string().min(1).max(20).required(),
            names: Joi.array().items(Joi.string().trim().min(1).max(120)).min(2).max(10).unique(),
          }),
        ),
      )
      .description('by the name of a sheet, and of a column: how the column becomes several'),
    oneTable: Joi.boolean().description('a sheet is one table, whatever stands between its rows'),
    fill: Joi.object()
      .pattern(Joi.string(), Joi.array().items(Joi.string()).max(1_000).unique())
      .description('by the name of a sheet: columns whose blank cells say what stands above them'),
    turns: Joi.object()
      .pattern(
        Joi.string(),
        Joi.object({
          columns: Joi.array().items(Joi.string()).min(2).max(1_000).unique().required(),
          label: Joi.string().trim().min(1).max(120),
          value: Joi.string().trim().min(1).max(120),
        }).allow(null),
      )
      .description('by the name of a sheet: the columns that become rows, or null for none; without it those found'),
  }),
  answers: 'the intake, being read',
  answer: ({ pool, access, params, body }) => {
    const { file, ...wish } = body as { file: number } & ReadingWish;
    return readAgain(pool, access, numberAt(params.id), file, wish);
  },
});

const placeOfColumn = Joi.object({
  sheet: wholeNumber.required(),
  column: wholeNumber.required(),
  limit: Joi.number().integer().min(1).max(5_000).default(200),
});

export const getNearTargets = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/near',
  summary: 'Texts of a link column that find no target, each with what may be meant',
  needs: 'bringIn',
  query: placeOfColumn,
  answers: '{texts: [{text, count, candidates: [{key, title, score}]}], missing, near}',
  answer: ({ pool, access, params, query }) =>
    nearTargets(pool, access, numberAt(params.id), query as { sheet: number; column: number; limit: number }),
});

export const getStagedRows = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/rows',
  summary: 'The first rows of a sheet as they were read',
  needs: 'bringIn',
  query: Joi.object({
    sheet: wholeNumber.required(),
    limit: Joi.number().integer().min(1).max(200).default(20),
  }),
  answers: '{items: [[text or null]], next: null}',
  answer: async ({ pool, access, params, query }) =>
    whole(await firstRows(pool, access, numberAt(params.id), query.sheet as number, query.limit as number)),
});

export const getDistribution = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/distribution',
  summary: 'How a column’s values spread over all rows',
  needs: 'bringIn',
  query: Joi.object({
    sheet: wholeNumber.required(),
    column: wholeNumber.required(),
  }),
  answers: '{kind, bars: [{label, count}], others, blank, misfits}',
  answer: ({ pool, access, params, query }) =>
    distributionOf(pool, access, numberAt(params.id), query.sheet as number, query.column as number),
});

export const getWhyNot = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/why-not',
  summary:
    'Why a column is no key, is not split off, or leads not to a table: what was counted, and what speaks for and against it',
  needs: 'bringIn',
  query: Joi.object({
    sheet: place,
    column: place,
    what: Joi.string()
      .max(40)
      .required()
      .description(
        '`key`, `split`, `t` with the place of a sheet that becomes a table, or the id of a table that stands',
      ),
  }),
  answers: '{proposed, says, reasons: [{says, weight}]}',
  answer: ({ pool, access, params, query }) =>
    whyNot(pool, access, numberAt(params.id), query as { sheet: number; column: number; what: string }),
});

export const postDryRun = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/intakes/{id}/dry-run',
  summary: 'The whole load, rolled back: what it would add, set aside and refuse',
  needs: 'bringIn',
  answers: 'the intake with its receipt',
  answer: ({ pool, access, params }) => dryRun(pool, access, numberAt(params.id)),
});

export const postLoad = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/intakes/{id}/load',
  summary: 'Load as a job; ask for the intake to see how far it is',
  needs: 'bringIn',
  answers: 'the intake',
  answer: ({ pool, access, params }) => startLoad(pool, access, numberAt(params.id)),
});

export const postLoadUndo = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/intakes/{id}/undo',
  summary: 'Undo the whole load',
  needs: 'bringIn',
  answers: 'the intake',
  answer: ({ pool, access, params }) => undoLoad(pool, access, numberAt(params.id)),
});

export const deleteIntake = workspaceEndpoint({
  method: 'DELETE',
  path: '/api/workspaces/{ws}/intakes/{id}',
  summary: 'Cancel what is going on, or discard the intake',
  needs: 'bringIn',
  answers: 'the intake, or null when it is gone',
  answer: ({ pool, access, params }) => endIntake(pool, access, numberAt(params.id)),
});

export const getReceipt = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/receipt',
  summary: 'The reconciliation of the last dry run or load',
  needs: 'bringIn',
  answers: '{dry, sheets, seconds} or null',
  answer: async ({ pool, access, params }) => (await readIntake(pool, access, numberAt(params.id))).receipt,
});

export const getMisfits = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/intakes/{id}/receipt/misfits.csv',
  summary:
    'Rows of a sheet that did not come in whole, with the reason; corrected and brought in again they fill the gaps',
  needs: 'bringIn',
  query: Joi.object({ sheet: wholeNumber.default(0) }),
  answers: 'the rows with a column of reasons',
  media: ['text/csv'],
  answer: async ({ pool, access, params, query }) => {
    return csvFile('misfits', [await misfitRows(pool, access, numberAt(params.id), query.sheet as number)]);
  },
});
