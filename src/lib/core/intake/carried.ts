import type { Result } from '../base/problem';
import type { ColumnDecision, Decisions, IntakeSheet, SheetDecision } from './intake';

/**
 * What a person decided, by the names of sheets and columns instead of their places: it holds for the same files read
 * another way, as far as the names are the same.
 */
export interface Carried {
  readonly sheets: readonly {
    readonly sheet: string;
    readonly decision: SheetDecision;
    readonly with?: string;
    readonly key?: readonly string[];
    /** The column of the sheet it was split off whose newest value is kept. */
    readonly keeps?: string;
    /** The columns of its conditions for rows that are left out. */
    readonly where?: readonly string[];
    /** Where its rows began: their numbers mean the same only while they do. */
    readonly rows: string;
  }[];
  readonly columns: readonly {
    readonly sheet: string;
    readonly column: string;
    readonly decision: ColumnDecision;
    readonly to?: string;
    readonly also?: string;
  }[];
  /** What was split off by hand. */
  readonly splits: readonly {
    readonly sheet: string;
    readonly determinant: string;
    readonly pair?: true;
    readonly dependents: readonly string[];
  }[];
}

/** A sheet by the place of its file and its name, one that was split off by what tells its things besides. */
function nameOf(sheets: readonly IntakeSheet[], index: number): string | null {
  const sheet = sheets[index];
  if (!sheet) return null;
  const told = sheet.derived && sheets[sheet.derived.sheet]?.columns[sheet.derived.determinant]?.name;
  return JSON.stringify([sheet.file, sheet.derived ? sheets[sheet.derived.sheet]?.name : sheet.name, told ?? null]);
}

/** What tells that a row, or a cell, is the same one by its number. */
const rowsOf = ({ heading, turned, columns }: IntakeSheet): string =>
  JSON.stringify([heading.preamble, heading.rows, turned?.columns ?? null, columns.map(({ name }) => name)]);

/** The decisions by names; what refers to a place that is not there is left out. */
export function carried(sheets: readonly IntakeSheet[], decisions: Decisions): Carried {
  const columnName = (sheet: number, column: number) => sheets[sheet]?.columns[column]?.name;
  return {
    sheets: Object.entries(decisions.tables).flatMap(([index, decision]) => {
      const [sheet, of] = [nameOf(sheets, Number(index)), sheets[Number(index)]];
      if (sheet === null || !of) return [];
      const beside = decision.with === undefined ? null : nameOf(sheets, decision.with);
      const key = decision.key?.map((column) => columnName(Number(index), column) ?? '');
      const where = decision.leaveOutWhere?.map(({ column }) => columnName(Number(index), column) ?? '');
      const keeps =
        of.derived && typeof decision.keeps === 'number' ? columnName(of.derived.sheet, decision.keeps) : undefined;
      const named = {
        ...(beside ? { with: beside } : {}),
        ...(key ? { key } : {}),
        ...(where ? { where } : {}),
        ...(keeps === undefined ? {} : { keeps }),
      };
      return [{ sheet, decision, rows: rowsOf(of), ...named }];
    }),
    columns: Object.entries(decisions.columns).flatMap(([place, decision]) => {
      const [index = -1, at = -1] = place.split('.').map(Number);
      const [sheet, column] = [nameOf(sheets, index), columnName(index, at)];
      if (sheet === null || column === undefined) return [];
      const target = /^t(\d+)$/.exec(decision.to ?? '')?.[1];
      const to = target === undefined ? null : nameOf(sheets, Number(target));
      const also = decision.also && columnName(index, decision.also.column);
      return [{ sheet, column, decision, ...(to ? { to } : {}), ...(also ? { also } : {}) }];
    }),
    splits: sheets.flatMap(({ derived }) => {
      const sheet = derived?.byHand ? nameOf(sheets, derived.sheet) : null;
      if (!derived || sheet === null) return [];
      const names = [derived.determinant, ...derived.dependents].map((at) => columnName(derived.sheet, at) ?? '');
      const [determinant = '', ...dependents] = names;
      return [{ sheet, determinant, dependents, ...(derived.pair ? { pair: true as const } : {}) }];
    }),
  };
}

/** Columns that were split off by hand, at their places now; those that are not all there are left out. */
export function carriedSplits(
  sheets: readonly IntakeSheet[],
  { splits }: Carried,
): {
  readonly sheet: number;
  readonly determinant: number;
  readonly beside?: number;
  readonly dependents: readonly number[];
}[] {
  return splits.flatMap((split) => {
    const sheet = placeOf(sheets, split.sheet);
    const places = [split.determinant, ...split.dependents].map((name) => columnAt(sheets, sheet, name));
    const [determinant = -1, ...dependents] = places;
    if (places.includes(-1)) return [];
    const [beside, ...others] = dependents;
    return split.pair && beside !== undefined
      ? [{ sheet, determinant, beside, dependents: others }]
      : [{ sheet, determinant, dependents }];
  });
}

const placeOf = (sheets: readonly IntakeSheet[], name: string): number =>
  sheets.findIndex((_, index) => nameOf(sheets, index) === name);

const columnAt = (sheets: readonly IntakeSheet[], sheet: number, name: string): number =>
  sheets[sheet]?.columns.findIndex((column) => column.name === name) ?? -1;

/** Decisions with what was decided before, which goes before them. */
export function withCarried(sheets: readonly IntakeSheet[], decisions: Decisions, before: Carried): Decisions {
  const tables: Record<string, SheetDecision> = { ...decisions.tables };
  const columns: Record<string, ColumnDecision> = { ...decisions.columns };
  for (const { sheet: name, decision, rows, with: beside, key, where, keeps: newestOf } of before.sheets) {
    const index = placeOf(sheets, name);
    const now = sheets[index];
    if (!now) continue;
    const { with: _with, key: _key, record: _record, leaveOut, leaveOutWhere, keep, keeps, ...rest } = decision;
    const other = beside === undefined ? -1 : placeOf(sheets, beside);
    const places = key?.map((column) => columnAt(sheets, index, column)) ?? [-1];
    const newest = newestOf === undefined ? -1 : columnAt(sheets, now.derived?.sheet ?? -1, newestOf);
    const conditions = (leaveOutWhere ?? []).flatMap((condition, at) => {
      const column = columnAt(sheets, index, where?.[at] ?? '');
      return column < 0 ? [] : [{ ...condition, column }];
    });
    tables[String(index)] = {
      ...tables[String(index)],
      ...rest,
      ...(other >= 0 ? { with: other } : {}),
      ...(keeps === 'last' ? { keeps } : newest >= 0 ? { keeps: newest } : {}),
      ...(places.includes(-1) ? {} : { key: places }),
      ...(conditions.length > 0 ? { leaveOutWhere: conditions } : {}),
      ...(leaveOut && rowsOf(now) === rows ? { leaveOut } : {}),
      ...(keep && rowsOf(now) === rows ? { keep } : {}),
    };
  }
  for (const { sheet: name, column: of, decision, to, also } of before.columns) {
    const index = placeOf(sheets, name);
    const column = columnAt(sheets, index, of);
    if (column < 0) continue;
    const { to: into, also: _also, ...rest } = decision;
    const target = to === undefined ? -1 : placeOf(sheets, to);
    const second = also === undefined ? -1 : columnAt(sheets, index, also);
    columns[`${index}.${column}`] = {
      ...rest,
      ...(target >= 0 ? { to: `t${target}` } : into !== undefined && to === undefined ? { to: into } : {}),
      ...(decision.also && second >= 0 ? { also: { column: second, match: decision.also.match } } : {}),
    };
  }
  return { tables, columns };
}

/** Decisions as they resolve, without those that can no longer be: what they referred to may be gone. */
export function thatHold(decisions: Decisions, resolve: (of: Decisions) => Result<Decisions>): Decisions {
  const resolved = resolve(decisions);
  if (resolved.ok) return resolved.value;
  const [, part, place = ''] = /^\/(tables|columns)\/([\d.]+)/.exec(String(resolved.problem.at)) ?? [];
  const without = <T>(of: Readonly<Record<string, T>>, where: string): Record<string, T> =>
    Object.fromEntries(Object.entries(of).filter(([key]) => part !== where || key !== place));
  const left = { tables: without(decisions.tables, 'tables'), columns: without(decisions.columns, 'columns') };
  const count = (of: Decisions) => Object.keys(of.tables).length + Object.keys(of.columns).length;
  return count(left) < count(decisions) ? thatHold(left, resolve) : { tables: {}, columns: {} };
}
