import { goneTo, partsOf, type IntakeSheet, type Proposal } from './intake';

/** Where the filled cells of a column go. */
type Fate =
  /** To a field. */
  | 'field'
  /** To the table that was split off its sheet, once for each thing. */
  | 'split off'
  /** To no field, as it only tells rows apart, or is worked out again. */
  | 'numbers rows'
  | 'calculated'
  /** Nowhere, as a person said so. */
  | 'skipped'
  /** Nowhere, and nobody said so. */
  | 'nowhere';

export interface ColumnFate {
  readonly sheet: number;
  readonly column: number;
  readonly name: string;
  readonly filled: number;
  readonly fate: Fate;
}

/**
 * What becomes of every column of the sheets that came in; columns of sheets that were split off are told where they
 * came from.
 */
export function columnFates(sheets: readonly IntakeSheet[], proposal: Proposal): ColumnFate[] {
  const { decisions, mappings, changes } = proposal;
  const mappingOf = (sheet: number) => mappings.find((one) => one.sheet === sheet);
  const takes = (sheet: number, column: number) =>
    mappingOf(sheet)?.columns.some((one) => one.column === column) ?? false;
  const formulas = new Set(
    changes.flatMap((change) =>
      change.do === 'addField' && change.field.type.kind === 'formula' ? [`${change.table} ${change.field.key}`] : [],
    ),
  );
  function fateOf(sheet: number, column: number): Fate {
    if (decisions.tables[String(sheet)]?.skip === true || decisions.columns[`${sheet}.${column}`]?.as === 'skip')
      return 'skipped';
    const mapping = mappingOf(sheet);
    if (!mapping) return 'nowhere';
    if (takes(sheet, column)) return 'field';
    if (mapping.numbered === column || mapping.into?.record === column) return 'numbers rows';
    if (mapping.columns.some(({ also }) => also?.column === column)) return 'field';
    const split = sheets.findIndex((one, index) => {
      const at = goneTo(one.derived, sheet, column);
      return at !== undefined && takes(index, at);
    });
    // What tells the things may have been split off in turn.
    const derived = sheets[split]?.derived;
    const telling = derived && partsOf(derived).find((part) => part.sheet === sheet)?.determinant;
    if (telling !== undefined && ['field', 'split off'].includes(fateOf(sheet, telling))) return 'split off';
    const declared = sheets[sheet]?.columns[column]?.declared;
    if (declared?.formula !== undefined)
      return formulas.has(`${mapping.table} ${declared.name}`) || mapping.into ? 'calculated' : 'nowhere';
    return 'nowhere';
  }
  return sheets.flatMap((sheet, index) =>
    sheet.derived
      ? []
      : sheet.columns.map(({ name, filled }, column) => ({
          sheet: index,
          column,
          name,
          filled,
          fate: fateOf(index, column),
        })),
  );
}

/** Columns with something in them that would be dropped without anybody having said so. */
export const goingNowhere = (sheets: readonly IntakeSheet[], proposal: Proposal): ColumnFate[] =>
  columnFates(sheets, proposal).filter(({ fate, filled }) => fate === 'nowhere' && filled > 0);
