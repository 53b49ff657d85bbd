import Joi from 'joi';
import { analystsOf, deleteAnalyst, makeAnalyst, type AnalystWish } from '../../analysts/analysts';
import { workspaceEndpoint } from '../../http/endpoint';
import { numberAt } from '../workspaces';

const path = '/api/workspaces/{ws}/analysts';

export const getAnalysts = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'Read-only ways into the database: for whom, by which role, and whether somebody is connected',
  needs: 'people',
  answers: '{items: [{id, label, role, roleLabel, names, login, madeAt, by, connected}], next: null}',
  answer: async ({ pool, access }) => ({ items: await analystsOf(pool, access), next: null }),
});

export const postAnalyst = workspaceEndpoint({
  method: 'POST',
  path,
  summary: 'Make a database role that reads the workspace as views, cut to what a role of it may see',
  needs: 'people',
  body: Joi.object({
    label: Joi.string().trim().min(1).max(120).required().description('whom it is for'),
    role: Joi.string().max(63).required(),
    names: Joi.string()
      .valid('labels', 'keys')
      .default('labels')
      .description('what tables and columns are called: as people read them, or by key'),
  }),
  shownOnce: true,
  answers: 'the same with `password`, and `address` to connect to; both are shown only now',
  answer: ({ pool, access, body }) => makeAnalyst(pool, access, body as AnalystWish),
});

export const removeAnalyst = workspaceEndpoint({
  method: 'DELETE',
  path: `${path}/{id}`,
  summary: 'Take a way into the database away; whoever reads by it is put out at once',
  needs: 'people',
  answers: '{}',
  answer: async ({ pool, access, params }) => {
    await deleteAnalyst(pool, access, numberAt(params.id));
    return {};
  },
});
