import type { TransferReceipt } from '$core/transfer/receipt';
import { tableNamed } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { raw, sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { titleSql } from '../query/selection';

/** A receipt as it is kept: with the numbers of records alone, as what their person may see of them can change. */
export const keptReceipt = (receipt: TransferReceipt): TransferReceipt => ({
  ...receipt,
  lines: receipt.lines.map((line) => ({
    ...line,
    left: line.left.map((left) => ({ ...left, records: left.records.map(({ id }) => ({ id, title: '' })) })),
  })),
  formulas: receipt.formulas.map((one) => ({ ...one, samples: [] })),
});

/** A receipt that was kept, with the titles that its records have by now; those that are not seen are left out. */
export async function shownReceipt(
  pool: Pool,
  access: WorkspaceAccess,
  receipt: TransferReceipt | null,
): Promise<TransferReceipt | null> {
  if (receipt === null) return null;
  const lines = [];
  for (const line of receipt.lines) {
    const table = line.table === null ? undefined : tableNamed(access.workspace.model, line.table);
    const ids = line.left.flatMap(({ records }) => records.map(({ id }) => id));
    const { rows } =
      table && ids.length > 0
        ? await pool.query<{ id: number; title: string }>(sql`
            select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
            from ${tableSql(access.workspace, table)} r
            where r._id = any(${ids}::bigint[])
          `)
        : { rows: [] };
    const titles = new Map(rows.map(({ id, title }) => [id, title]));
    lines.push({
      ...line,
      left: line.left.map((left) => ({
        ...left,
        records: left.records.flatMap(({ id }) => {
          const title = titles.get(id);
          return title === undefined ? [] : [{ id, title }];
        }),
      })),
    });
  }
  return { ...receipt, lines };
}
