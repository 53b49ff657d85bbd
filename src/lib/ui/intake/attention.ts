import type { IntakeSheet, Proposal } from '$core/intake/intake';
import { counted } from '../values/words';

export interface ThingToLookAt {
  readonly sheet: number;
  readonly column: number;
  readonly words: string;
}

/** What a careful person would look at before loading: links that miss, values that do not fit, dates that could be either. */
export function thingsToLookAt(sheets: readonly IntakeSheet[], proposal: Proposal): ThingToLookAt[] {
  const things: ThingToLookAt[] = [];
  for (const { from, to, missing } of proposal.links) {
    const target = sheets[to.sheet];
    const decision = proposal.decisions.columns[`${from.sheet}.${from.column}`]?.as;
    if (missing > 0 && (decision === undefined || decision === 'link'))
      things.push({ ...from, words: `${counted(missing, 'row')} of ${sheets[from.sheet]?.columns[from.column]?.name} match no ${target?.name}` });
  }
  sheets.forEach((sheet, index) =>
    sheet.columns.forEach((column, at) => {
      const decision = proposal.decisions.columns[`${index}.${at}`];
      const type = decision?.as ?? column.type;
      if (type === 'skip' || type === 'link') return;
      const misfits = column.filled - column.fits[type];
      if (misfits > 0 && type !== 'text')
        things.push({ sheet: index, column: at, words: `${counted(misfits, 'value')} of ${column.name} ${misfits === 1 ? 'is' : 'are'} no ${type}` });
      if (type === 'date' && column.ambiguous && !decision?.reading)
        things.push({ sheet: index, column: at, words: `dates of ${column.name} could be day-month or month-day` });
    }),
  );
  return things;
}
