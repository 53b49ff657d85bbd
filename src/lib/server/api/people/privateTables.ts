import { workspaceEndpoint } from '../../http/endpoint';
import { leftBehind, takeOver } from '../../structure/privateTables';
import { numberAt } from '../workspaces';

const path = '/api/workspaces/{ws}/private-tables';

export const getPrivateTables = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'Whose private tables stand in a workspace that they are no longer in, and how many of each',
  needs: 'people',
  answers: '{items: [{person, name, tables}], next: null}',
  answer: async ({ pool, access }) => ({ items: await leftBehind(pool, access), next: null }),
});

export const postPrivateTables = workspaceEndpoint({
  method: 'POST',
  path: `${path}/{person}`,
  summary: 'Take over the private tables of somebody who is no longer in the workspace; they are private to you then',
  needs: 'people',
  answers: '{person, name, tables}',
  answer: ({ pool, access, params }) => takeOver(pool, access, numberAt(params.person)),
});
