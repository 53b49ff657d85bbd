import { bad, good, type Result } from '../base/problem';
import { pathTo } from '../filled/path';
import {
  printStanding,
  readAll,
  readCondition,
  readFormula,
  readTable,
  tableKey,
  type Written,
} from '../filled/written';
import { conditionMissing } from '../flow/dependencies';
import { shownFormula, shownType } from '../formula/shownType';
import { meanOfType, measureOfType } from '../fieldTypes/registry';
import { findField, findTable } from '../model/model';
import { isPathThere, orderPath, parseSort, partLabel, printSort, sortPartOf } from '../query/query';
import type { Expression, ValueType } from '../types/expression';
import type { FieldType } from '../types/field';
import type { Model, Table } from '../types/model';
import { spans, type Asked, type Measure, type MeasureKind, type Period } from '../types/summary';
import type { SortPart } from '../types/view';

export const mostMeasures = 6;
const mostAskedGroups = 2;
/** No period reaches farther than so many spans. */
const mostSpans = 1000;

/** What each measure is called where nobody called it otherwise, what it can be of, and what it gives. */
export const measureKinds: {
  readonly [K in MeasureKind]: {
    readonly label: string;
    /** The types that it can be of; null where it needs nothing, or takes anything. */
    readonly of: readonly ValueType['is'][] | null;
    readonly counts: boolean;
    /** What it comes to for several groups is what it comes to for each, added up. */
    readonly adds: boolean;
  };
} = {
  count: { label: 'Number of records', of: null, counts: true, adds: true },
  sum: { label: 'Sum', of: ['number', 'duration'], counts: false, adds: true },
  avg: { label: 'Average', of: ['number', 'duration'], counts: false, adds: false },
  min: { label: 'Minimum', of: ['number', 'duration', 'date', 'timestamp'], counts: false, adds: false },
  max: { label: 'Maximum', of: ['number', 'duration', 'date', 'timestamp'], counts: false, adds: false },
  filled: { label: 'Filled', of: null, counts: true, adds: true },
  blank: { label: 'Blank', of: null, counts: true, adds: true },
  distinct: { label: 'Unique values', of: null, counts: true, adds: false },
  share: { label: 'Share', of: null, counts: false, adds: false },
};

/** Whether a measure of several groups is that of each, added up. */
export const addsUp = ({ total }: Pick<Measure, 'total'>): boolean => measureKinds[total].adds;

/** Whether a measure is of the records themselves. */
export const ofRecords = (total: MeasureKind): boolean => total === 'count' || total === 'share';

/** Everything of it that is read, as formulas of its table. */
export const readIn = ({ where, measures, groups, period }: Asked, model?: Model): Expression[] => [
  ...(where ? [where] : []),
  ...measures.flatMap((measure) => [measure.of, measure.where].filter((one): one is Expression => one !== null)),
  ...[...groups, ...(period ? [period.field] : [])].flatMap((part) => pathIn(model, part)),
];

/** A part of an order as a formula; a field's value type is looked up where the model is known. */
export function pathIn(model: Model | undefined, { field: id, via = [] }: SortPart): Expression[] {
  const found = model && findField(model, id);
  if (found && found.field.type.kind !== 'counterpart') return [pathTo(found.field, via)];
  return [{ do: 'field', place: 0, through: via, field: id, type: { is: 'blank' } }];
}

/** What of it is gone, in words: nothing of it can be worked out then. */
export function lostIn(model: Model, asked: Asked): string | null {
  if (!findTable(model, asked.table)) return 'its table was deleted';
  if (asked.where && conditionMissing(model, asked.where)) return 'its filter uses a field that was deleted';
  for (const { of, where } of asked.measures)
    if ((of && conditionMissing(model, of)) || (where && conditionMissing(model, where)))
      return 'one of its measures uses a field that was deleted';
  if (!asked.groups.every((part) => isPathThere(model, part))) return 'a field that it is grouped by was deleted';
  if (asked.period && !isPathThere(model, asked.period.field)) return 'the day of its period was deleted';
  return null;
}

export function printAsked(model: Model, asked: Asked): Written {
  const table = findTable(model, asked.table);
  if (!table) return { table: '', where: '', measures: [], groups: '', period: null, order: 'group', most: null };
  const { period } = asked;
  return {
    table: tableKey(table),
    where: asked.where ? printStanding(model, asked.where) : '',
    measures: asked.measures.map(({ label, total, of, where, mark }) => ({
      label,
      total,
      of: of ? printStanding(model, of) : '',
      where: where ? printStanding(model, where) : '',
      ...(mark ? { mark } : {}),
    })),
    groups: printSort(model, table, asked.groups),
    period: period && {
      field: printSort(model, table, [period.field]),
      span: period.span,
      count: period.count,
      back: period.back,
      against: period.against,
    },
    order: asked.order,
    most: asked.most,
  };
}

function readMeasure(model: Model, table: Table, json: Written, at: string): Result<Measure> {
  const total = json.total as MeasureKind;
  const kind = measureKinds[total] as (typeof measureKinds)[MeasureKind] | undefined;
  if (!kind)
    return bad(
      `There is no measure “${String(json.total)}”.`,
      `There are ${Object.keys(measureKinds).join(', ')}.`,
      `${at}/total`,
    );
  const text = typeof json.of === 'string' ? json.of.trim() : '';
  if (ofRecords(total) && text !== '')
    return bad(`${kind.label} is of records, not of a field.`, 'Leave the field out.', `${at}/of`);
  if (!ofRecords(total) && text === '') return bad(`${kind.label} of what?`, 'Choose a field.', `${at}/of`);
  const of = text === '' ? good(null) : readFormula(model, table, text, `${at}/of`);
  if (!of.ok) return of;
  if (of.value && kind.of && !kind.of.includes(of.value.type.is))
    return of.value.type.is === 'money'
      ? bad(
          'Amounts whose currency is chosen record by record cannot be added up: the currencies may differ.',
          'Use amount() of the field, with a condition on its currency().',
          `${at}/of`,
        )
      : bad(`There is no ${kind.label.toLowerCase()} of this.`, 'Choose another field or measure.', `${at}/of`);
  const where = readCondition(model, table, json.where, `${at}/where`);
  if (!where.ok) return where;
  if (total === 'share' && !where.value) return bad('The share of which records?', 'Write a condition.', `${at}/where`);
  const label = typeof json.label === 'string' ? json.label.trim() : '';
  return good({ label, total, of: of.value, where: where.value, ...(json.mark === true ? { mark: true } : {}) });
}

function readPeriod(model: Model, table: Table, json: unknown, at: string): Result<Period | null> {
  if (json === null || json === undefined) return good(null);
  const { field: text, span, count = 1, back = 0, against = null } = json as Written;
  const path = orderPath(model, table, String(text));
  const shown = path && shownType(model, path.field).kind;
  if (!path || (shown !== 'date' && shown !== 'dateTime'))
    return bad(`${table.label} has no date “${String(text)}”.`, 'Choose a date.', `${at}/field`);
  const known = spans.find((one) => one === span);
  if (!known) return bad(`There is no span “${String(span)}”.`, `There are ${spans.join(', ')}.`, `${at}/span`);
  const isNumber = (value: unknown, least: number): value is number =>
    Number.isInteger(value) && (value as number) >= least && (value as number) <= mostSpans;
  if (!isNumber(count, 1) || !isNumber(back, 0))
    return bad(`A period has 1 to ${mostSpans} spans.`, 'Write another number.', `${at}/count`);
  return good({
    field: sortPartOf(path),
    span: known,
    count,
    back,
    against: against === 'before' || against === 'yearBefore' ? against : null,
  });
}

/** Reads what `printAsked` wrote; the first problem, with its place. */
export function readAsked(model: Model, json: Written, at: string): Result<Asked> {
  const table = readTable(model, json.table, `${at}/table`);
  if (!table.ok) return table;
  const where = readCondition(model, table.value, json.where, `${at}/where`);
  if (!where.ok) return where;
  const measures = readAll(json.measures, `${at}/measures`, (one, place) =>
    readMeasure(model, table.value, one, place),
  );
  if (!measures.ok) return measures;
  const groups = parseSort(model, table.value, String(json.groups ?? ''));
  if (!groups.ok) return { ok: false, problem: { ...groups.problem, at: `${at}/groups` } };
  if (groups.value.length > mostAskedGroups)
    return bad('It can be grouped by two fields at most.', 'Take one away.', `${at}/groups`);
  const period = readPeriod(model, table.value, json.period, `${at}/period`);
  if (!period.ok) return period;
  const most = Number.isInteger(json.most) ? Math.max(1, Math.min(200, json.most as number)) : null;
  return good({
    table: table.value.id,
    where: where.value,
    measures: measures.value,
    groups: groups.value,
    period: period.value,
    order: json.order === 'most' || json.order === 'least' ? json.order : 'group',
    most,
  });
}

/** How a measure's values are shown: with the unit of what it is of. */
export function measureType(model: Model, { total, of }: Measure): FieldType {
  if (measureKinds[total].counts) return { kind: 'number', digits: 0 };
  if (total === 'share') return { kind: 'percent', digits: 1 };
  const type: FieldType = of ? shownFormula(model, of) : { kind: 'number', digits: null };
  return total === 'avg' ? meanOfType(type) : type;
}

/** A measure's value with no more decimals than it is shown with. */
export function roundedAs(value: unknown, type: FieldType): unknown {
  if (!('digits' in type) || typeof type.digits !== 'number' || typeof value === 'object') return value;
  const number = Number(value);
  const places = type.digits + (type.kind === 'percent' ? 2 : 0);
  return Number.isNaN(number) || value === '' ? value : Number(number.toFixed(Math.min(20, places)));
}

/** What a measure is called. */
export function measureLabel(model: Model, { label, total, of, where }: Measure): string {
  if (label !== '') return label;
  if (total === 'count') return measureKinds.count.label;
  if (total === 'share') return `Share: ${where ? printStanding(model, where, 'labels') : ''}`;
  const what =
    of?.do === 'field'
      ? partLabel(model, { field: of.field, via: of.through })
      : of
        ? printStanding(model, of, 'labels')
        : '';
  return total === 'sum' ? what : `${measureKinds[total].label} of ${what}`;
}

/** What two measures must share to be read off one axis: a unit, a currency, or nothing. */
export function unitOf(type: FieldType): string {
  const measure = measureOfType(type);
  if (type.kind !== 'number' && type.kind !== 'money' && type.kind !== 'percent') return type.kind;
  return measure.is === 'unit' ? measure.unit : measure.is === 'money' ? measure.currency : measure.is;
}
