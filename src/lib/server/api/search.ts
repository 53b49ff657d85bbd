import Joi from 'joi';
import { tableAt } from '../access/workspaceAccess';
import { workspaceEndpoint } from '../http/endpoint';
import { searchTable, searchWorkspace } from '../query/search';
import { whole } from '../base/listed';

const query = Joi.object({
  q: Joi.string().allow('').max(200).required(),
  limit: Joi.number().integer().min(1).max(50).default(8),
});

export const getSearch = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/search',
  summary: 'Records of all tables by their titles, small mistakes forgiven',
  needs: 'see',
  query,
  answers: '{items: [{table, label, dye, id, title, near}], next: null}; up to `limit` of each table',
  answer: async ({ pool, access, query: { q, limit } }) =>
    whole(await searchWorkspace(pool, access, String(q), limit as number)),
});

export const getTableSearch = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/search',
  summary:
    'What a text typed over a table may mean: records by title, and conditions such as “Keeper is Ida Vale” from what is there',
  needs: 'see',
  query,
  answers: '{records: [{table, label, dye, id, title, near}], suggestions: [{field, label, value, filter, near}]}',
  answer: ({ pool, access, params, query: { q, limit } }) =>
    searchTable(pool, access, tableAt(access, params.t ?? ''), String(q), limit as number),
});
