import type { IntakeSheet, Proposal } from '$core/intake/intake';
import type { ChangeField } from '$core/types/change';
import { findField } from '$core/model/model';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import type { Client } from '../../database/pool';
import { growth, isOpenList, newWordsOf } from '../../entry/freeOptions';
import { cleanedSql } from '../staged/cleaning';
import { stagedName } from '../staged/stagedName';
import { raw, sql } from '../../base/sql';

/** More words at once are no list that people add to; what is beyond is set aside. */
const mostWords = 500;

/** Changes by which the open lists of standing tables get the words that a load brings. */
export async function growingLists(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  proposal: Proposal,
): Promise<ChangeField[]> {
  const grown = new Map<string, ChangeField>();
  for (const { sheet: index, into, columns } of proposal.mappings) {
    const sheet = sheets[index];
    if (!into || !sheet) continue;
    for (const { column, field: id, clean } of columns) {
      const standing = findField(access.workspace.model, id);
      // A field that is only made with the load has a list of its own.
      if (!standing) continue;
      const { field: stored, table } = standing;
      // Two sheets may bring words to one list.
      const type = grown.get(id)?.set.type ?? stored.type;
      const field = { ...stored, type };
      if (!isOpenList(field)) continue;
      const text = cleanedSql('s', column, clean);
      const words =
        type.kind === 'options'
          ? `regexp_split_to_table(${text}, case when strpos(${text}, ';') > 0 then ';' else ',' end)`
          : text;
      const { rows } = await client.query<{ word: string }>(
        sql`
          select word
          from (
            select loom.trimmed(${raw(words)}) as word, count(*) as n
            from ${raw(stagedName(sheet.staged))} s
            where s._refused is null
            group by 1
          ) w
          where word is not null
          order by n desc, word limit 20000
        `,
      );
      const added = newWordsOf(
        field.type,
        rows.map(({ word }) => word),
      ).slice(0, mostWords);
      if (added.length > 0) grown.set(id, growth(table, field, added));
    }
  }
  return [...grown.values()];
}
