import type { FieldId } from '../types/identity';
import { uniqueTogether } from './matchFields';
import type { ColumnDecision, Decisions, IntakeSheet, Proposal, SheetDecision } from './intake';

/**
 * A person's decisions of one sheet, its columns by their names, so that they hold for the next sheet of the same
 * shape.
 */
export interface RememberedMapping {
  readonly sheet: SheetDecision;
  readonly columns: Readonly<Record<string, RememberedColumn>>;
}

type RememberedColumn = Omit<ColumnDecision, 'also'> & {
  readonly also?: { readonly column: string; readonly match: FieldId };
};

/** Columns that a file of misfits has beside those of the sheet it came from. */
export const misfitColumns = { intake: '_intake', record: '_record', why: '_why' } as const;

const isMisfitColumn = (name: string): boolean => (Object.values(misfitColumns) as string[]).includes(name);

/**
 * What tells that two sheets have the same shape: the names of their columns in their order, and for one split off what
 * tells its things.
 */
export const shapeOf = ({ columns, derived }: IntakeSheet): string =>
  JSON.stringify([derived ? 'split off' : 'sheet', ...columns.map(({ name }) => name)]);

/**
 * What is worth remembering of a sheet that was loaded: into which table and fields it went, how it was read and
 * cleaned.
 */
export function remember(proposal: Proposal, sheets: readonly IntakeSheet[], index: number): RememberedMapping | null {
  const mapping = proposal.mappings.find(({ sheet }) => sheet === index);
  const sheet = sheets[index];
  if (proposal.decisions.tables[String(index)]?.skip) return { sheet: { skip: true }, columns: {} };
  if (!mapping || !sheet) return null;
  const { decisions } = proposal;
  const mark = mapping.constants?.[0];
  const columns: Record<string, RememberedColumn> = {};
  sheet.columns.forEach(({ name }, column) => {
    const known = mapping.columns.find((one) => one.column === column);
    const { as, formula, replace, missing, keepBlanks, keepSpellings } = decisions.columns[`${index}.${column}`] ?? {};
    const kept = {
      ...(formula ? { formula } : {}),
      ...(replace ? { replace } : {}),
      ...(missing ? { missing } : {}),
      ...(keepBlanks ? { keepBlanks } : {}),
      ...(keepSpellings ? { keepSpellings } : {}),
    };
    const also = known?.also && { column: sheet.columns[known.also.column]?.name ?? '', match: known.also.match };
    if (known)
      columns[name] = {
        ...kept,
        field: known.field,
        reading: known.reading,
        ...(known.match === undefined ? {} : { match: known.match }),
        ...(also ? { also } : {}),
      };
    else if (as === 'skip') columns[name] = { as: 'skip' };
  });
  // Of a table that was made, rows find their record again by what each has once.
  const made = proposal.changes.flatMap((change) =>
    change.do === 'addTable' && change.table.id === mapping.table ? change.table.fields : [],
  );
  const told = made.flatMap(({ id, unique }) =>
    unique && mapping.columns.some(({ field }) => field === id) ? [id] : [],
  );
  const rules = proposal.changes.flatMap((change) =>
    change.do === 'addRule' && change.table === mapping.table ? [change.rule] : [],
  );
  const taken = made.filter(({ id }) => mapping.columns.some(({ field }) => field === id));
  const together = told.length > 0 ? told : uniqueTogether({ rules }, taken).map(({ id }) => id);
  const { by = together, mode = 'both', blanks = 'keep' } = mapping.into ?? {};
  return { sheet: { into: mapping.table, by, mode, blanks, ...(mark ? { mark } : {}) }, columns };
}

/** Decisions with what was remembered for some sheets; columns are found by their names. */
export function withRemembered(
  sheets: readonly IntakeSheet[],
  remembered: ReadonlyMap<number, RememberedMapping>,
): Decisions {
  const tables: Record<string, SheetDecision> = {};
  const columns: Record<string, ColumnDecision> = {};
  for (const [index, known] of remembered) {
    const sheet = sheets[index];
    if (!sheet) continue;
    const record = sheet.columns.findIndex(({ name }) => name === misfitColumns.record);
    tables[String(index)] = { ...known.sheet, ...(record < 0 ? {} : { record }) };
    sheet.columns.forEach(({ name }, column) => {
      if (isMisfitColumn(name)) columns[`${index}.${column}`] = { as: 'skip' };
      const { also, ...decision } = known.columns[name] ?? {};
      const second = also ? sheet.columns.findIndex((other) => other.name === also.column) : -1;
      if (known.columns[name])
        columns[`${index}.${column}`] = {
          ...decision,
          ...(also && second >= 0 ? { also: { column: second, match: also.match } } : {}),
        };
    });
  }
  return { tables, columns };
}

/**
 * The sheet of an earlier intake whose misfits these are, as its `_intake` column says: `12.0` is sheet 0 of intake 12.
 */
export function misfitsOf({ columns }: IntakeSheet): { readonly intake: number; readonly sheet: number } | null {
  const said = columns.find(({ name }) => name === misfitColumns.intake)?.samples[0];
  const parts = /^(\d{1,9})\.(\d{1,4})$/.exec(said ?? '');
  return parts && columns.some(({ name }) => name === misfitColumns.record)
    ? { intake: Number(parts[1]), sheet: Number(parts[2]) }
    : null;
}
