import Joi from 'joi';
import { standingCondition } from '$core/views/viewJson';
import { tableAt } from '../access/workspaceAccess';
import { acceptedOf, acceptFinding, unaccept, type Accepting } from '../health/acceptedFindings';
import { workspaceEndpoint } from '../http/endpoint';
import { countFindings, findingsOf, forgetCount } from '../health/findings';
import { recordId } from '../base/numbers';
import { numberAt } from './workspaces';

const ofWorkspace = '/api/workspaces/{ws}';

export const getFindings = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/tables/{t}/findings`,
  summary:
    'What is wrong with a table, in its calculated values and in what stands in it: for which reason, how many records, and the first of them',
  needs: 'see',
  answers:
    '{findings: [{id, byRecord, kind, table, field, label, words, part, count, filter, records: [{id, title}], acceptedRecords}], accepted: [{id, finding, words, condition, records, reason, by, at, lost}]}; `lost` says that its condition uses what is gone, so that it accepts nothing',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const { model } = access.workspace;
    const accepted = (await acceptedOf(pool, access, table)).map((one) => {
      const condition = one.condition && standingCondition(model, table, one.condition);
      return { ...one, condition, lost: one.condition !== null && condition === null };
    });
    return { findings: await findingsOf(pool, access, table), accepted };
  },
});

export const getFindingsCount = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/findings`,
  summary: 'How many findings there are in all tables',
  needs: 'see',
  answers: '{count}',
  answer: async ({ pool, access }) => ({ count: await countFindings(pool, access) }),
});

export const postAccepted = workspaceEndpoint({
  method: 'POST',
  path: `${ofWorkspace}/tables/{t}/findings/accepted`,
  summary:
    'Accept a finding: all of it for good, the records that meet a condition, or certain records; with the reason',
  needs: 'write',
  body: Joi.object({
    finding: Joi.string().max(200).required().description('the id of a finding'),
    condition: Joi.string()
      .max(10_000)
      .description('a formula over the table: records that meet it are as they should be'),
    records: Joi.array()
      .items(recordId.min(1))
      .min(1)
      .max(1000)
      .description('numbers of records that are as they should be'),
    reason: Joi.string().trim().min(1).max(1000).required(),
  }).oxor('condition', 'records'),
  answers: '{id}; 404 where there is no such finding now',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const id = await acceptFinding(pool, access, table, await findingsOf(pool, access, table), body as Accepting);
    forgetCount(access);
    return { id };
  },
});

export const deleteAccepted = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofWorkspace}/tables/{t}/findings/accepted/{id}`,
  summary: 'No longer accept a finding: what was covered is found again',
  needs: 'write',
  answers: '{id}',
  answer: async ({ pool, access, params }) => {
    const id = numberAt(params.id);
    await unaccept(pool, access, tableAt(access, params.t ?? ''), id);
    forgetCount(access);
    return { id };
  },
});
