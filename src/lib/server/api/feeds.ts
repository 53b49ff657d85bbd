import { feedOf, sourcesFrom } from '$core/flow/feeds';
import type { Table } from '$core/types/model';
import { tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { whole } from '../base/listed';
import { workspaceEndpoint } from '../http/endpoint';
import { fedFrom } from '../records/feedRecords';
import { endedBySource, feedDifferences } from '../structure/feeds';

const ofTable = '/api/workspaces/{ws}/tables/{t}';

function fedTable(access: WorkspaceAccess, name: string | undefined): Table {
  const table = tableAt(access, name ?? '');
  if (!feedOf(table)) throw refuse(422, `${table.label} is fed from no other table.`, 'Choose another table.');
  return table;
}

export const getFeedCheck = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/feed/check`,
  summary: 'Compare a feed with a pass from nothing: records that it lacks, records too many, values that differ',
  needs: 'design',
  answers: '{records, lacking, beyond, fields: [{field, label, differ}]}',
  answer: ({ pool, access, params }) => feedDifferences(pool, access, fedTable(access, params.t)),
});

export const getFeedsFrom = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/feeds-from`,
  summary: 'The feeds that take records of a table, in whichever workspace they are',
  needs: 'design',
  answers: '{items: [{link, workspace, table, label, records}], next: null}',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const items = [];
    for (const source of sourcesFrom(access.whole.model, table.id)) {
      const home = [access.whole, ...access.whole.peers].find(({ key }) => key === source.table.home) ?? access.whole;
      items.push({
        link: source.link.id,
        workspace: home.key,
        table: source.table.key,
        label: source.table.label,
        records: (await fedFrom(pool, access.whole, source)).fed,
      });
    }
    return whole(items);
  },
});

export const deleteFeedFrom = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/feeds-from/{link}`,
  summary: 'End what a feed takes of a table, also one of another workspace; its records leave it',
  needs: 'design',
  answers: '{batch}',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const source = sourcesFrom(access.whole.model, table.id).find(({ link }) => link.id === params.link);
    if (!source) throw notHere('feed');
    return { batch: await endedBySource(pool, access, source) };
  },
});
