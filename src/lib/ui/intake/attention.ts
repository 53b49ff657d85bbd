import { goingNowhere } from '$core/intake/columnFates';
import { isOfSplit, type IntakeSheet, type Proposal, type SheetDecision } from '$core/intake/intake';
import type { TurnWish } from '$core/intake/sheets/columnsToRows';
import { kindWord } from '$core/model/names/kindWords';
import { counted } from '../values/words';

export interface ThingToLookAt {
  readonly sheet: number;
  readonly column: number;
  readonly words: string;
  /** How many rows it concerns. */
  readonly rows: number;
  /** Loading waits until it is settled. */
  readonly blocks?: true;
  /** What settles it with one click. */
  readonly settle?: { readonly words: string; readonly decision: SheetDecision } | TurnOffered;
}

/** Columns that become rows, as the file is read again. */
interface TurnOffered {
  readonly words: string;
  readonly turn: TurnWish;
}

/** A thing by its words and place: when either changes, it is to be looked at anew. */
export const thingKey = ({ sheet, column, words }: ThingToLookAt): string => `${sheet}.${column} ${words}`;

/**
 * What a careful person would look at before loading: links that miss, values that do not fit, dates that could be
 * either. What stops the load comes first, then what concerns most rows.
 */
export function thingsToLookAt(sheets: readonly IntakeSheet[], proposal: Proposal): ThingToLookAt[] {
  // What would be dropped comes first: nothing is loaded before it is settled.
  const things: ThingToLookAt[] = goingNowhere(sheets, proposal).map(({ sheet, column, name, filled }) => ({
    sheet,
    column,
    words: `${name} goes nowhere: its ${counted(filled, 'value')} would be lost. Choose a field, make a new one, or skip it`,
    rows: filled,
    blocks: true,
  }));
  const placeOf = (sheet: number, column: number) => `${sheet}.${column}`;
  const taken = new Set(
    proposal.mappings.flatMap(({ sheet, columns }) => columns.map(({ column }) => placeOf(sheet, column))),
  );
  const comesIn = (sheet: number, column: number) => taken.has(placeOf(sheet, column));
  const linked = new Set(proposal.links.map(({ from }) => placeOf(from.sheet, from.column)));
  const splits = sheets.flatMap(({ derived }) => derived ?? []);
  for (const { from, to, missing } of proposal.links) {
    const target = sheets[to.sheet];
    const decision = proposal.decisions.columns[`${from.sheet}.${from.column}`]?.as;
    if (missing > 0 && comesIn(from.sheet, from.column) && (decision === undefined || decision === 'link'))
      things.push({
        ...from,
        words: `${counted(missing, 'row')} of ${sheets[from.sheet]?.columns[from.column]?.name} match no ${target?.name}`,
        rows: missing,
      });
  }
  const madeLinks = new Set(
    proposal.changes.flatMap((change) =>
      change.do === 'addField' && change.field.type.kind === 'link' ? [change.field.id] : [],
    ),
  );
  for (const { sheet, into, columns } of proposal.mappings) {
    for (const { column, field } of columns) {
      const found = sheets[sheet]?.standing?.find((one) => one.column === column);
      if (found && found.missing > 0 && madeLinks.has(field) && !linked.has(placeOf(sheet, column)))
        things.push({
          sheet,
          column,
          words: `${counted(found.missing, 'row')} of ${sheets[sheet]?.columns[column]?.name} match no record that stands`,
          rows: found.missing,
        });
    }
    if (!into) continue;
    const { name = '', rows = 0 } = sheets[sheet] ?? {};
    if (into.by.length === 0)
      things.push({
        sheet,
        column: 0,
        words: `nothing tells which record a row of ${name} is for: every row would be new`,
        rows,
      });
  }
  sheets.forEach(({ derived, name }, index) => {
    const rows = (derived?.exceptions ?? []).reduce((sum, one) => sum + one.rows, 0);
    if (rows > 0 && comesIn(index, 0))
      things.push({
        sheet: index,
        column: 0,
        words: `${counted(rows, 'row')} ${rows === 1 ? 'disagrees' : 'disagree'} about ${name}`,
        rows,
      });
  });
  sheets.forEach((sheet, index) =>
    sheet.columns.forEach((column, at) => {
      const decision = proposal.decisions.columns[`${index}.${at}`];
      const type = decision?.as ?? column.type;
      const isSplit = splits.some((split) => isOfSplit(split, index, at));
      const spellings = column.misspellings ?? [];
      const areJoined = isSplit || type === 'option' || type === 'options';
      if (
        spellings.length > 0 &&
        areJoined &&
        type !== 'skip' &&
        comesIn(index, at) &&
        decision?.keepSpellings === undefined
      )
        things.push({
          sheet: index,
          column: at,
          words: `${counted(spellings.length, 'spelling')} of ${column.name} would be joined with others`,
          rows: spellings.reduce((sum, { count }) => sum + count, 0),
        });
      if (
        type === 'skip' ||
        type === 'link' ||
        !comesIn(index, at) ||
        (decision?.as === undefined && linked.has(placeOf(index, at)))
      )
        return;
      const spelled = decision?.keepBlanks ? 0 : column.blankWords.reduce((sum, { count }) => sum + count, 0);
      const misfits = column.filled - column.fits[type] - spelled;
      if (misfits > 0 && !['text', 'option', 'options'].includes(type))
        things.push({
          sheet: index,
          column: at,
          words: `${counted(misfits, 'value')} of ${column.name} ${misfits === 1 ? 'is' : 'are'} no ${kindWord(type)}`,
          rows: misfits,
        });
      if ((type === 'date' || type === 'dateTime') && column.ambiguous && !decision?.reading)
        things.push({
          sheet: index,
          column: at,
          words: `dates of ${column.name} could be day-month or month-day`,
          rows: column.filled,
        });
      if (type === 'number' && column.ambiguous && !decision?.reading)
        things.push({
          sheet: index,
          column: at,
          words: `numbers of ${column.name} could have decimals or thousands`,
          rows: column.filled,
        });
      const [unit, ...others] = column.units;
      if (type === 'number' && unit && others.length > 0)
        things.push({
          sheet: index,
          column: at,
          words: `${column.name} mixes units: ${column.units.map((one) => one.unit).join(', ')}`,
          rows: others.reduce((sum, { count }) => sum + count, 0),
        });
    }),
  );
  sheets.forEach(({ headings, rows }, index) => {
    const [first = '', second = '', ...others] = headings?.columns ?? [];
    if (headings && comesIn(index, 0))
      things.push({
        sheet: index,
        column: 0,
        words: `${first}, ${second} and ${counted(others.length, 'more column')} are called like ${headings.things}`,
        rows,
        settle: { words: 'Make them rows', turn: { columns: headings.columns, label: headings.label } },
      });
  });
  sheets.forEach(({ repeated = 0, name }, index) => {
    const decided = proposal.decisions.tables[String(index)]?.leaveOutWhere ?? [];
    if (repeated > 0 && comesIn(index, 0) && !decided.some(({ test }) => test === 'again'))
      things.push({
        sheet: index,
        column: 0,
        words: `${counted(repeated, 'row')} of ${name} ${repeated === 1 ? 'says' : 'say'} the same as an earlier one`,
        rows: repeated,
        settle: { words: 'Leave out', decision: { leaveOutWhere: [...decided, { column: 0, test: 'again' }] } },
      });
    for (const { name: total, others } of sheets[index]?.turned?.totals ?? [])
      if (others > 0)
        things.push({
          sheet: index,
          column: 0,
          words: `${total} is left out as a sum, but ${counted(others, 'row')} of it ${others === 1 ? 'says' : 'say'} something else`,
          rows: others,
        });
  });
  const once = [...new Map(things.map((thing) => [thingKey(thing), thing])).values()];
  return once.sort((a, b) => Number(b.blocks ?? false) - Number(a.blocks ?? false) || b.rows - a.rows);
}
