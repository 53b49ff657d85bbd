import { bad, good, type Result } from '../../base/problem';
import { dependenciesOf } from '../../flow/dependencies';
import { feedOf } from '../../flow/feeds';
import { findField, findTable, isEntered, isNumbered, isSystem, isToMany, valueTypeOf } from '../../model/model';
import type { Expression } from '../../types/expression';
import type { Model, Table } from '../../types/model';
import type {
  ChosenRecords,
  CompareValues,
  CopyRecords,
  FilledField,
  PointLinks,
  RemoveRecords,
  SetValues,
} from '../../types/recordChange';
import type { ChangeDescriptor } from './descriptor';

// These change records, and nothing of the structure: what they did is undone by the history of the records.

const noTable = bad('There is no such table.');

/** Records of a feed come and go with those of its sources, and by no other way. */
const fedOnly = (table: Table): Result<true> =>
  feedOf(table)
    ? bad(
        `The records of ${table.label} come and go with those that they are fed from.`,
        'Choose the table that they come from, or end the feed first.',
      )
    : good(true);

const stands = (model: Model, expression: Expression | null): Result<true> =>
  expression !== null && dependenciesOf(model, expression).missing !== undefined
    ? bad('A field that this reads is gone.', 'Make the transfer again.')
    : good(true);

function checkChosen(model: Model, table: Table, { where, under }: ChosenRecords): Result<true> {
  const read = stands(model, where);
  if (!read.ok || under === undefined) return read;
  return table.fields.some(({ id, type }) => id === under.link && type.kind === 'link')
    ? good(true)
    : bad(`${table.label} has no such link.`);
}

/** Why fields of a table cannot be filled so; `source`: the table of the records that formulas are over. */
function checkFilled(model: Model, table: Table, source: Table, values: readonly FilledField[], made: boolean) {
  for (const [at, { field: id, from, match }] of values.entries()) {
    const place = `/${at}`;
    const field = table.fields.find((one) => one.id === id);
    if (!field) return bad(`${table.label} has no such field.`, undefined, place);
    if (isToMany(field) || !(isEntered(field) || (made && (isNumbered(field) || isSystem(field)))))
      return bad(`“${field.label}” is not filled in by people.`, 'Choose another field.', place);
    const formula = from.is === 'formula' ? from.formula : from.is === 'copy' ? from.of : null;
    const read = stands(model, formula);
    if (!read.ok) return { ...read, problem: { ...read.problem, at: place } };
    if (field.type.kind !== 'link') {
      if (from.is === 'record' || from.is === 'copy') return bad(`“${field.label}” is no link.`, undefined, place);
      continue;
    }
    const { to } = field.type;
    if (from.is === 'record' && to !== source.id)
      return bad(`“${field.label}” does not point at ${source.label}.`, undefined, place);
    if (from.is !== 'formula') continue;
    const { type } = from.formula;
    if (type.is === 'blank' || (type.is === 'record' && type.table === to)) continue;
    if (match === undefined || !findTable(model, to)?.fields.some((one) => one.id === match))
      return bad(
        `“${field.label}” points at another table than this gives.`,
        `Choose a field of ${findTable(model, to)?.label ?? 'that table'} to compare with.`,
        place,
      );
    if (type.is === 'record')
      return bad(`“${field.label}” is compared with text.`, 'Go on to a field of the record that this gives.', place);
  }
  return good(true);
}

function applyCopyRecords(model: Model, change: CopyRecords): Result<Model> {
  const [table, source] = [findTable(model, change.table), findTable(model, change.from)];
  if (!table || !source) return noTable;
  for (const checked of [
    fedOnly(table),
    checkChosen(model, source, change.chosen),
    checkFilled(model, table, source, change.values, true),
    ...(change.by ?? []).map((one) => stands(model, one)),
  ])
    if (!checked.ok) return checked;
  return good(model);
}

function applySetValues(model: Model, change: SetValues): Result<Model> {
  const table = findTable(model, change.table);
  const source = change.source ? findTable(model, change.source.table) : table;
  if (!table || !source) return noTable;
  for (const checked of [
    checkChosen(model, table, change.chosen),
    checkFilled(model, table, source, change.set, false),
  ])
    if (!checked.ok) return checked;
  return good(model);
}

function applyPointLinks(model: Model, { table, link, into }: PointLinks): Result<Model> {
  for (const id of [link, ...(into === null ? [] : [into])]) {
    const found = findField(model, id);
    if (found?.table.id !== table || valueTypeOf(found.field).is !== 'record') return bad('There is no such link.');
  }
  return good(model);
}

/** Nothing of the structure is there to be inverted. */
const nothing = () => [];

export const copyRecords: ChangeDescriptor<CopyRecords> = {
  apply: applyCopyRecords,
  ofRecords: true,
  invert: nothing,
  subjects: nothing,
  words: ({ table, from, moves }, names) =>
    moves
      ? `records of ${names.table(from)} moved to ${names.table(table)}`
      : `records of ${names.table(table)} made from ${names.table(from)}`,
};

export const setValues: ChangeDescriptor<SetValues> = {
  apply: applySetValues,
  ofRecords: true,
  invert: nothing,
  subjects: nothing,
  words: ({ table, set }, names) =>
    `${names.table(table)}: ${set.map(({ field }) => names.field(table, field)).join(', ')} filled`,
};

export const pointLinks: ChangeDescriptor<PointLinks> = {
  apply: applyPointLinks,
  ofRecords: true,
  invert: nothing,
  subjects: nothing,
  words: ({ table, link, into }, names) =>
    into === null
      ? `${names.path(table, link)} made blank where its record goes`
      : into === link
        ? `${names.path(table, link)} follows its records`
        : `${names.path(table, into)} filled in place of ${names.field(table, link)}`,
};

export const removeRecords: ChangeDescriptor<RemoveRecords> = {
  apply(model, { table: id }) {
    const table = findTable(model, id);
    const own = table ? fedOnly(table) : noTable;
    return own.ok ? good(model) : own;
  },
  ofRecords: true,
  invert: nothing,
  subjects: nothing,
  words: ({ table, joins }, names) =>
    joins ? `${names.table(table)}: records joined` : `records of ${names.table(table)} taken out`,
};

export const compareValues: ChangeDescriptor<CompareValues> = {
  apply: (model, { table }) => (findTable(model, table) ? good(model) : noTable),
  ofRecords: true,
  invert: nothing,
  subjects: nothing,
  words: ({ table, fields }, names) =>
    `${names.table(table)}: ${fields.map(({ field }) => names.field(table, field)).join(', ')} compared before and after`,
};
