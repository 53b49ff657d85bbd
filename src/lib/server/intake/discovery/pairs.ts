import { calledAfter, isSpeaking } from '$core/intake/calledAfter';
import { pairCandidates } from '$core/intake/discover';
import type { FoundLink, IntakeSheet } from '$core/intake/intake';
import { pairWeight } from '$core/intake/linkEvidence';
import type { Client } from '../../database/pool';
import { stagedName } from '../staged/stagedName';
import { inclusion, pairSql } from './inclusion';

/**
 * Whether the two columns only tell the rows of their own sheet, as two others tell those of another one: neither is
 * called after the things there.
 */
const isOwnKey = ({ wideKeys = [], columns: all, name }: IntakeSheet, columns: readonly number[], things: string) =>
  wideKeys.some((key) => key.length === columns.length && columns.every((column) => key.includes(column))) &&
  !columns.some((column) => isSpeaking(calledAfter(all[column]?.name ?? '', name, { things, key: '' })));

/**
 * Links that two columns together make: into sheets that have no key of one column, but of two. The column with more
 * different values becomes the link, the other one has to agree with it.
 */
export async function confirmPairs(
  client: Client,
  sheets: readonly IntakeSheet[],
  known: readonly FoundLink[],
): Promise<FoundLink[]> {
  const found: FoundLink[] = [];
  for (const [to, target] of sheets.entries()) {
    if (target.keys.length > 0) continue;
    for (const key of target.wideKeys ?? []) {
      // A column that is a link itself only agrees; of two others, the one with more different values becomes the link.
      const linked = (column: number) =>
        Number(known.some((link) => link.from.sheet === to && link.from.column === column));
      const [a, b] = [...key].sort(
        (x, y) =>
          linked(x) - linked(y) || (target.columns[y]?.distinct ?? 0) - (target.columns[x]?.distinct ?? 0) || x - y,
      );
      if (key.length !== 2 || a === undefined || b === undefined) continue;
      for (const [from, source] of sheets.entries()) {
        if (from === to) continue;
        for (const { columns } of pairCandidates(source, target, [a, b])) {
          if (known.some((link) => link.from.sheet === from && link.from.column === columns[0])) continue;
          const included = await inclusion(
            client,
            { from: `${stagedName(source.staged)} s`, text: pairSql(source, columns[0], columns[1]) },
            `
              select ${pairSql(target, a, b)} as text
              from ${stagedName(target.staged)} s
              where ${pairSql(target, a, b)} is not null
              group by 1
            `,
          );
          if (
            !included ||
            pairWeight(source, target, columns, [a, b], included) <= 0 ||
            isOwnKey(source, columns, target.name)
          )
            continue;
          const { matching, missing } = included;
          const misfits = included.misfits.map(({ text, count }) => ({ text: text.replace('\x1f', ' · '), count }));
          found.push({
            from: { sheet: from, column: columns[0] },
            to: { sheet: to, column: a },
            also: { from: columns[1], to: b },
            matching,
            missing,
            misfits,
          });
          break;
        }
      }
      if (found.some((link) => link.to.sheet === to)) break;
    }
  }
  return found;
}
