import { groupedBy } from '../../base/grouped';
import { addedUp, totalsOf, type TotalColumn } from './addedUp';
import { numberIn, totalWords } from './noRecords';
import { periodIn, periodName, type Period, type PeriodKind } from './periods';

/**
 * Columns that are one thing at several times, such as twelve months: each row becomes several, one for each time, with
 * the time and the value in columns of their own.
 */
export interface Turn {
  /** Places of the columns that stay as they are. */
  readonly stay: readonly number[];
  /** What each row becomes: the label of each new row, and the column of each measure. */
  readonly parts: readonly { readonly label: string; readonly columns: readonly (number | undefined)[] }[];
  /** The name of the column of the labels, and those of the measures. */
  readonly label: string;
  readonly values: readonly string[];
  /** Columns that only add others up, and are left out. */
  readonly totals: readonly TotalColumn[];
}

/** What a person wishes: which columns, by their names, and what the new ones are called. */
export interface TurnWish {
  readonly columns: readonly string[];
  readonly label?: string;
  readonly value?: string;
}

type Rows = readonly (readonly string[])[];

/** Two of anything are no row of them. */
const leastPeriods = 3;
/** So much of what is filled there has to be numbers. */
const leastNumbers = 0.8;

/** What classes of numbers are of, when it stands beside them; anything else is what is measured. */
const classWords =
  /^(?:age|ages|alter|edad|età|idade|âge|leeftijd|ålder|alder)?[ _]?(?:groups?|class|classe?|band|bracket|range|size|jahre|years|ans|anni|años)?$/i;

const cellOf = (row: readonly string[], column: number): string => (row[column] ?? '').trim();

/**
 * The columns of a sheet that stand for times or classes, by its names and some of its rows, else those that another one
 * adds up; null where there are none.
 */
export const turnOf = (names: readonly string[], rows: Rows): Turn | null =>
  timesTurned(names, rows) ?? partsTurned(names, rows);

function timesTurned(names: readonly string[], rows: Rows): Turn | null {
  const found = names.flatMap((name, column) => {
    const period = periodIn(name);
    return period ? [{ column, ...period }] : [];
  });
  const kind = mostFrequent(found.map((one) => one.kind));
  const timed = found.filter((one) => one.kind === kind);
  const turned = gridOf(timed);
  if (!turned || !kind || !holdNumbers(rows, turned)) return null;
  const totals = totalsOf(names, rows, turned);
  const between = columnsBetween(turned, [...turned, ...totals.map(({ column }) => column)]);
  const isOne = new Set(timed.map(({ rest }) => rest.toLowerCase())).size === 1;
  // What stands among them is one of them, such as a quarter between two years of account.
  const strays = isOne && between.length <= turned.length / 10 && holdNumbers(rows, between) ? between : [];
  const gone = new Set([...turned, ...strays, ...totals.map(({ column }) => column)]);
  const stay = names.flatMap((_, column) => (gone.has(column) ? [] : [column]));
  const measures = stay.filter((column) => holdsNumbers(rows, column) && !isTelling(rows, column));
  // Of a sheet of many other measures these are some more.
  if (stay.length === 0 || measures.length > turned.length / 3) return null;
  const language = timed.every((one) => one.language) ? timed[0]?.language : undefined;
  // What stands beside the only measure's classes says what they are classes of: `Age 0-14`.
  const [{ rest = '' } = {}] = timed;
  const isClassOf = kind === 'class' && isOne && rest !== '' && classWords.test(rest);
  const parts = timed.filter(({ column }) => gone.has(column)).map((one) => (isClassOf ? { ...one, rest: '' } : one));
  return turnInto(
    names,
    stay,
    [...parts, ...strays.map((column) => stray(names, column))],
    totals,
    isClassOf ? rest : periodName(kind, language),
  );
}

/** Kinds of one thing and their total. */
function partsTurned(names: readonly string[], rows: Rows): Turn | null {
  const parts = addedUp(names, rows, (column) => holdsNumbers(rows, column));
  if (!parts) return null;
  const totals = totalsOf(names, rows, parts);
  const gone = new Set([...parts, ...totals.map(({ column }) => column)]);
  const stay = names.flatMap((_, column) => (gone.has(column) ? [] : [column]));
  const measures = stay.filter((column) => holdsNumbers(rows, column) && !isTelling(rows, column));
  if (stay.length === 0 || measures.length > parts.length / 3) return null;
  // `Total votes` adds up votes.
  const [{ column: total } = { column: -1 }] = totals;
  const rest = (names[total] ?? '').replace(/[_.]+/g, ' ').replace(totalWords, '').trim();
  return turnInto(
    names,
    stay,
    parts.map((column) => ({ ...stray(names, column), rest })),
    totals,
    'Column',
  );
}

/** The same as a person wishes it; null where a column of theirs is not there, or all of them are. */
export function turnWished(names: readonly string[], rows: Rows, wish: TurnWish): Turn | null {
  const columns = wish.columns.map((name) => names.indexOf(name));
  if (columns.length < 2 || columns.includes(-1) || new Set(columns).size === names.length) return null;
  const periods = columns.map((column) => ({ column, period: periodIn(names[column] ?? '') }));
  const kind = mostFrequent(periods.flatMap(({ period }) => (period ? [period.kind] : [])));
  const timed = periods.flatMap(({ column, period }) =>
    period && period.kind === kind ? [{ column, ...period }] : [],
  );
  const isGrid = timed.length === columns.length && gridOf(timed) !== null;
  const totals = totalsOf(names, rows, columns);
  const gone = new Set([...columns, ...totals.map(({ column }) => column)]);
  const stay = names.flatMap((_, column) => (gone.has(column) ? [] : [column]));
  const label = wish.label ?? (isGrid && kind ? periodName(kind) : 'Column');
  const value = wish.value ?? 'Value';
  const parts = isGrid
    ? timed.map((one) => ({ ...one, rest: one.rest || value }))
    : columns.map((column) => ({ ...stray(names, column), rest: value }));
  return turnInto(names, stay, parts, totals, label);
}

/** The columns that become rows: those a person wishes, those found where they wish nothing, or none (null). */
export const turnFor = (names: readonly string[], rows: Rows, wish: TurnWish | null | undefined): Turn | null =>
  wish === undefined ? turnOf(names, rows) : wish && turnWished(names, rows, wish);

/** The names of the columns after it. */
export const turnedNames = (names: readonly string[], { stay, label, values }: Turn): string[] => [
  ...stay.map((column) => names[column] ?? ''),
  label,
  ...values,
];

/**
 * What a row becomes. Where nothing stands in any of the columns, it goes on as one row, so that what stays of it is not
 * lost; else blank ones make no row.
 */
export function turnedRows(row: readonly string[], { stay, parts, values }: Turn): string[][] {
  const kept = stay.map((column) => row[column] ?? '');
  const made = parts.flatMap(({ label, columns }) => {
    const cells = columns.map((column) => (column === undefined ? '' : (row[column] ?? '')));
    return cells.every((cell) => cell.trim() === '') ? [] : [[...kept, label, ...cells]];
  });
  return made.length > 0 ? made : [[...kept, '', ...values.map(() => '')]];
}

interface Timed extends Period {
  readonly column: number;
}

const stray = (names: readonly string[], column: number): Timed => ({
  column,
  kind: 'year',
  label: names[column] ?? '',
  rest: '',
});

function mostFrequent(kinds: readonly PeriodKind[]): PeriodKind | undefined {
  const counts = new Map<PeriodKind, number>();
  for (const kind of kinds) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0];
}

/**
 * The columns of those measures that have most of the times, where these are enough: one measure over its times, or
 * several of them.
 */
function gridOf(timed: readonly Timed[]): readonly number[] | null {
  const labels = new Set(timed.map(({ label }) => label.toLowerCase()));
  const measures = groupedBy(timed, ({ rest }) => rest.toLowerCase());
  if (labels.size < leastPeriods || measures.size > labels.size) return null;
  const whole = [...measures.values()].filter((of) => {
    const own = new Set(of.map(({ label }) => label.toLowerCase()));
    return own.size === of.length && own.size >= Math.max(leastPeriods, labels.size * 0.6);
  });
  return whole.length === measures.size ? timed.map(({ column }) => column) : null;
}

function holdsNumbers(rows: Rows, column: number): boolean {
  const filled = rows.map((row) => cellOf(row, column)).filter((text) => text !== '');
  return filled.length > 0 && filled.filter((text) => numberIn(text) !== null).length >= filled.length * leastNumbers;
}

/** Amounts: numbers nearly everywhere, and more than yes and no. */
function holdNumbers(rows: Rows, columns: readonly number[]): boolean {
  const filled = columns.flatMap((column) => rows.map((row) => cellOf(row, column)).filter((text) => text !== ''));
  const numbers = filled.filter((text) => numberIn(text) !== null);
  return filled.length > 0 && numbers.length >= filled.length * leastNumbers && new Set(numbers).size > 2;
}

/** A running number or a code, which tells the row and measures nothing. */
function isTelling(rows: Rows, column: number): boolean {
  const filled = rows.map((row) => cellOf(row, column)).filter((text) => text !== '');
  return new Set(filled).size === filled.length && filled.every((text) => /^\d+$/.test(text));
}

/** Places between the first and the last of some columns that are none of others. */
function columnsBetween(of: readonly number[], others: readonly number[]): number[] {
  const [first, last] = [Math.min(...of), Math.max(...of)];
  return Array.from({ length: last - first + 1 }, (_, at) => first + at).filter((column) => !others.includes(column));
}

function turnInto(
  names: readonly string[],
  stay: readonly number[],
  timed: readonly Timed[],
  totals: readonly TotalColumn[],
  wished: string,
): Turn {
  const inOrder = [...timed].sort((a, b) => a.column - b.column);
  const measures = [...new Map(inOrder.map(({ rest }) => [rest.toLowerCase(), rest])).values()];
  const parts = [...groupedBy(inOrder, (one) => one.label.toLowerCase()).values()].map((of) => ({
    label: of[0]?.label ?? '',
    columns: measures.map((measure) => of.find(({ rest }) => rest.toLowerCase() === measure.toLowerCase())?.column),
  }));
  const taken = stay.map((column) => names[column] ?? '');
  const [label = wished, ...values] = [wished, ...measures.map((measure) => measure || 'Value')].map((name) => {
    const own = free(name, taken);
    taken.push(own);
    return own;
  });
  return { stay, parts, label, values, totals };
}

/** A name that is not taken. */
function free(name: string, taken: readonly string[]): string {
  const isTaken = (own: string) => taken.some((one) => one.toLowerCase() === own.toLowerCase());
  let own = name;
  for (let n = 2; isTaken(own); n++) own = `${name} ${n}`;
  return own;
}
