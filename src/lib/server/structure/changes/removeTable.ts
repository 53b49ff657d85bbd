import { tableOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { RemoveTable } from '$core/types/change';
import { tableName } from '../../access/workspaceState';
import { countOf } from './counting';
import type { StoredChange } from './descriptor';
import { binName, none, placesOf } from './places';

export const removeTable: StoredChange<RemoveTable> = {
  statements(change, context) {
    const table = tableOf(context.before, change.table);
    const { named } = placesOf(context);
    return { shape: [`alter table ${named(table)} rename to ${quoteIdentifier(binName(table.id))}`], rules: none };
  },
  counts: async (_, { client, access, table }) => ({
    counts: [
      {
        what: 'records kept in the bin',
        count: await countOf(client, `select count(*) as n from ${tableName(access.workspace, table)}`),
      },
    ],
  }),
};
