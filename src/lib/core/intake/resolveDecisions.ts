import { nearestNames } from '../base/key';
import { feedOf } from '../flow/feeds';
import { fieldNamed, findTable, linkedTable, ownTables, tableNamed } from '../model/model';
import type { Model, Table } from '../types/model';
import { bad, good, type Result } from '../base/problem';
import { recordMatch } from './sheets/declared';
import type { ColumnDecision, Decisions, FoundLink, IntakeSheet, SheetDecision } from './intake';
import { Ground } from './proposal/ground';

/** What corrections are read against. */
export interface DecisionSource {
  readonly model: Model;
  readonly sheets: readonly IntakeSheet[];
  readonly links: readonly FoundLink[];
}

/** A name that is none of those there are, with the nearest ones. */
function unknown(what: string, name: string, names: readonly string[], at: string): Result<never> {
  const near = nearestNames(name, names);
  const offer = near.length > 0 ? near : names.slice(0, 5);
  return bad(
    `There is no ${what} “${name}”.`,
    offer.length > 0 ? `Did you mean ${offer.map((one) => `“${one}”`).join(' or ')}?` : undefined,
    at,
  );
}

const fieldNames = (table: Table): string[] => table.fields.map(({ key }) => key);
/** A field of a table that is only proposed: by its place, or the identity it was given. */
const isProposed = (name: string): boolean => /^f\d+\.\d+$/.test(name) || /^f_[0-9a-z]+$/.test(name);

/**
 * A person's or a program's corrections with every table and field named by identity, whichever of key and identity was
 * sent. Anything that names nothing is refused with its place and the nearest names.
 */
export function resolveDecisions(source: DecisionSource, sent: Decisions): Result<Decisions> {
  const { model, sheets } = source;
  const tables: Record<string, SheetDecision> = {};
  const sheetNames = sheets.map((_, index) => String(index));
  for (const [place, decision] of Object.entries(sent.tables)) {
    if (!sheets[Number(place)]) return unknown('sheet', place, sheetNames, `/tables/${place}`);
    const resolved = sheetInto(model, sheets, Number(place), decision);
    if (!resolved.ok) return resolved;
    tables[place] = resolved.value;
  }
  const ground = new Ground({ ...source, decisions: { tables, columns: {} } });
  for (const [place, decision] of Object.entries(tables)) {
    const told = fieldsTold(ground.intoOf(Number(place)), Number(place), decision);
    if (!told.ok) return told;
    tables[place] = told.value;
  }
  const columns: Record<string, ColumnDecision> = {};
  for (const [place, decision] of Object.entries(sent.columns)) {
    const [sheet = 0, column = 0] = place.split('.').map(Number);
    if (!sheets[sheet]?.columns[column])
      return bad(
        `There is no column ${column} of a sheet ${sheet}.`,
        'Count sheets and columns from 0.',
        `/columns/${place}`,
      );
    const resolved = columnDecision(source, ground, sheet, column, decision);
    if (!resolved.ok) return resolved;
    columns[place] = resolved.value;
  }
  return twice(source, ground, columns) ?? good({ tables, columns, ...(sent.seen ? { seen: sent.seen } : {}) });
}

/** The standing table and the other sheet that a sheet's rows are to go to. */
function sheetInto(
  model: Model,
  sheets: readonly IntakeSheet[],
  sheet: number,
  decision: SheetDecision,
): Result<SheetDecision> {
  const at = `/tables/${sheet}`;
  const { into, with: other, record } = decision;
  if (other !== undefined && (!sheets[other] || other === sheet))
    return bad(`There is no other sheet ${other}.`, 'Name the place of another sheet of this intake.', `${at}/with`);
  if (record !== undefined && !sheets[sheet]?.columns[record])
    return bad(`The sheet has no column ${record}.`, 'Count columns from 0.', `${at}/record`);
  const lost = decision.key?.find((column) => !sheets[sheet]?.columns[column]);
  if (lost !== undefined) return bad(`The sheet has no column ${lost}.`, 'Count columns from 0.', `${at}/key`);
  const { derived } = sheets[sheet] ?? {};
  if (decision.keeps !== undefined && !derived)
    return bad('Only of what was split off one of several values is kept.', 'Leave “keeps” out.', `${at}/keeps`);
  if (typeof decision.keeps === 'number' && !sheets[derived?.sheet ?? -1]?.columns[decision.keeps])
    return bad(
      `The sheet that it was split off has no column ${decision.keeps}.`,
      'Count columns from 0.',
      `${at}/keeps`,
    );
  if (into === undefined || into === 'new') return good(decision);
  const table = tableNamed(model, into);
  if (table && feedOf(table))
    return bad(`${table.label} is fed from other tables.`, 'Bring the rows into one of these.', `${at}/into`);
  if (table && table.home === undefined && !table.pairs) return good({ ...decision, into: table.id });
  const open = ownTables(model).filter((one) => !feedOf(one));
  return unknown('table', into, [...open.map(({ key }) => key), 'new'], `${at}/into`);
}

/** The fields of the standing table by which records are found and marked. */
function fieldsTold(table: Table | undefined, sheet: number, decision: SheetDecision): Result<SheetDecision> {
  const { by, mark } = decision;
  const at = `/tables/${sheet}`;
  if (by !== undefined && by.length > 0 && !table)
    return bad(
      'Records are found by a field only in a table that stands.',
      'Say into which table the rows go, or leave “by” out.',
      `${at}/by`,
    );
  const found: string[] = [];
  for (const [place, name] of (by ?? []).entries()) {
    const field = table && fieldNamed(table, name);
    if (!table || !field)
      return unknown(`field of ${table?.label ?? ''}`, name, table ? fieldNames(table) : [], `${at}/by/${place}`);
    found.push(field.id);
  }
  const marked = table && mark ? fieldNamed(table, mark.field) : undefined;
  if (table && mark && !marked)
    return unknown(`field of ${table.label}`, mark.field, fieldNames(table), `${at}/mark/field`);
  return good({
    ...decision,
    ...(by ? { by: found } : {}),
    ...(mark && marked ? { mark: { ...mark, field: marked.id } } : {}),
  });
}

function columnDecision(
  { model, sheets }: DecisionSource,
  ground: Ground,
  sheet: number,
  column: number,
  decision: ColumnDecision,
): Result<ColumnDecision> {
  const at = `/columns/${sheet}.${column}`;
  const into = ground.intoOf(sheet);
  let resolved = decision;
  const { field: name, to, match, also } = decision;
  if (name !== undefined && name !== 'new') {
    const field = into && fieldNamed(into, name);
    if (into && !field) return unknown(`field of ${into.label}`, name, fieldNames(into), `${at}/field`);
    if (!into && !isProposed(name))
      return bad(
        `There is no field “${name}” of this new table.`,
        'Write f and the place of a column, such as f0.2, or “new”.',
        `${at}/field`,
      );
    if (field) resolved = { ...resolved, field: field.id };
  }
  const place = to === undefined ? undefined : /^t(\d+)$/.exec(to)?.[1];
  if (place !== undefined && !sheets[Number(place)])
    return bad(`There is no sheet ${place} to point at.`, 'Count sheets from 0.', `${at}/to`);
  const chosen = to === undefined || place !== undefined ? undefined : tableNamed(model, to);
  if (to !== undefined && place === undefined && !chosen)
    return unknown(
      'table',
      to,
      ownTables(model).map(({ key }) => key),
      `${at}/to`,
    );
  if (chosen) resolved = { ...resolved, to: chosen.id };
  if (match === undefined && also === undefined) return good(resolved);
  const target = chosen ?? targetOf(model, ground, sheet, column, resolved, place);
  for (const [which, wish] of [['match', match] as const, ['also', also?.match] as const]) {
    if (wish === undefined || wish === recordMatch) continue;
    const stands = target !== undefined && findTable(model, target.id) !== undefined;
    const field = stands ? fieldNamed(target, wish) : undefined;
    if (stands && !field) return unknown(`field of ${target.label}`, wish, fieldNames(target), `${at}/${which}`);
    if (!stands && !isProposed(wish))
      return bad(`“${wish}” is no field of where this points.`, 'Say with “to” which table that is.', `${at}/${which}`);
    if (!field) continue;
    resolved =
      which === 'match'
        ? { ...resolved, match: field.id }
        : { ...resolved, also: { column: also?.column ?? 0, match: field.id } };
  }
  if (also && !sheets[sheet]?.columns[also.column])
    return bad(`The sheet has no column ${also.column}.`, 'Count columns from 0.', `${at}/also/column`);
  return good(resolved);
}

/** The table that a column points at, or will. */
function targetOf(
  model: Model,
  ground: Ground,
  sheet: number,
  column: number,
  { field: id }: ColumnDecision,
  place: string | undefined,
): Table | undefined {
  if (place !== undefined) return ground.intoOf(Number(place));
  const into = ground.intoOf(sheet);
  const field = into?.fields.find((one) => one.id === id) ?? (into && ground.fieldsInto(into, sheet).get(column));
  return (field && linkedTable(model, field)?.table) ?? ground.linked(sheet, column)?.table;
}

/** A field takes one column: two that are sent to the same one are refused, the second by its place. */
function twice(
  { sheets }: DecisionSource,
  ground: Ground,
  columns: Readonly<Record<string, ColumnDecision>>,
): Result<never> | null {
  const taken = new Map<string, string>();
  for (const [place, { field, as }] of Object.entries(columns)) {
    const [sheet = 0, column = 0] = place.split('.').map(Number);
    if (field === undefined || field === 'new' || as === 'skip' || !ground.intoOf(sheet)) continue;
    const other = taken.get(`${sheet} ${field}`);
    const name = sheets[sheet]?.columns[column]?.name ?? place;
    if (other !== undefined)
      return bad(
        `“${other}” and “${name}” both go to the same field.`,
        'Choose another field for one of them, or skip it.',
        `/columns/${place}/field`,
      );
    taken.set(`${sheet} ${field}`, name);
  }
  return null;
}
