import { checkCondition } from '../formula/checker';
import { printFormula } from '../formula/printer';
import type { Expression } from '../types/expression';
import { conditionMissing } from '../flow/dependencies';
import { fieldNamed } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Dye } from '../types/field';
import { mostGroups, totalsFor } from './view';
import { fitsLayout, viewKinds } from './kinds';
import {
  totalKinds,
  type RowLines,
  type SortPart,
  type TotalKind,
  type View,
  type ViewColour,
  type ViewColumn,
  type ViewKind,
} from '../types/view';
import { bad, good, type Result } from '../base/problem';
import { parseSort, printSort } from '../query/query';

/** A view as it is written and sent: fields by key, conditions as formulas, orders as `key,-key`. */
export interface ViewJson {
  readonly label: string;
  readonly kind: ViewKind;
  readonly columns: readonly {
    readonly field: string;
    readonly hidden?: true;
    readonly width?: number;
    readonly total?: TotalKind;
  }[];
  readonly takesNew: boolean;
  readonly frozen: number;
  readonly lines: RowLines;
  readonly filter: string;
  readonly sort: string;
  readonly groups: string;
  readonly colours: readonly { readonly when: string; readonly dye: Dye }[];
  readonly by: string | null;
  readonly until: string | null;
  readonly picture: string | null;
}

/** A view in writing, and in words what of it could not be written as it uses fields that are gone or became others. */
export interface WrittenView {
  readonly view: ViewJson;
  readonly lost: readonly string[];
}

/** A condition with today's keys; null where it uses a field that is gone, became another type or is not seen here. */
export function standingCondition(model: Model, table: Table, condition: Expression): string | null {
  const printed = conditionMissing(model, condition) ? null : printFormula(model, condition);
  return printed !== null && checkCondition(model, table.id, printed).expression ? printed : null;
}

/** Writes a view with today's keys. */
export function viewJson(model: Model, table: Table, view: View): WrittenView {
  const lost: string[] = [];
  const keyOf = (id: string): string | undefined => table.fields.find((field) => field.id === id)?.key;
  const condition = (expression: Expression, what: string): string => {
    const printed = standingCondition(model, table, expression);
    if (printed !== null) return printed;
    lost.push(`${what} used a field that was deleted or became another type`);
    return '';
  };
  const order = (parts: readonly SortPart[], what: string): string => {
    const printed = printSort(model, table, parts);
    const read = parseSort(model, table, printed);
    if (read.ok && read.value.length === parts.length) return printed;
    lost.push(`${what} used a field that was deleted or became another type`);
    return read.ok ? printed : '';
  };
  const gone = view.columns.filter(({ field, hidden }) => !hidden && !keyOf(field)).length;
  if (gone > 0) lost.push(gone === 1 ? 'one of its columns was deleted' : `${gone} of its columns were deleted`);
  const named = (id: string | undefined, what: string): string | null => {
    const key = id === undefined ? undefined : keyOf(id);
    if (id !== undefined && key === undefined) lost.push(`the field ${what} was deleted`);
    return key ?? null;
  };
  return {
    view: {
      label: view.label,
      kind: view.kind,
      columns: view.columns.flatMap(({ field, hidden, width, total }) => {
        const key = keyOf(field);
        return key
          ? [{ field: key, ...(hidden ? { hidden } : {}), ...(width ? { width } : {}), ...(total ? { total } : {}) }]
          : [];
      }),
      takesNew: view.takesNew,
      frozen: view.frozen,
      lines: view.lines,
      filter: view.filter ? condition(view.filter, 'the filter') : '',
      sort: order(view.sort, 'the order'),
      groups: order(view.groups, 'the grouping'),
      colours: view.colours.flatMap(({ when, dye }) => {
        const written = condition(when, 'a colour');
        return written ? [{ when: written, dye }] : [];
      }),
      by: named(view.by, 'it is laid out by'),
      until: named(view.until, 'in which its records end'),
      picture: named(view.picture, 'with its pictures'),
    },
    lost,
  };
}

/** A view without what it names that is no longer there, or not there for who asks. */
export function standingView(model: Model, table: Table, view: View): View {
  const read = readView(model, table, view.id, viewJson(model, table, view).view);
  if (!read.ok) throw new Error(`what stands of a view cannot be read: ${read.problem.message}`);
  return read.value;
}

/** Reads a view as written; the first thing that cannot be, with its place. */
export function readView(model: Model, table: Table, id: string, json: ViewJson): Result<View> {
  const condition = (text: string, at: string): Result<Expression> => {
    const { expression, problems } = checkCondition(model, table.id, text);
    const [problem] = problems;
    return expression ? good(expression) : bad(problem?.message ?? 'The condition cannot be read.', problem?.fix, at);
  };
  const filter = json.filter.trim() === '' ? good(null) : condition(json.filter, '/filter');
  if (!filter.ok) return filter;
  const sort = parseSort(model, table, json.sort);
  if (!sort.ok) return { ok: false, problem: { ...sort.problem, at: '/sort' } };
  const groups = parseSort(model, table, json.groups);
  if (!groups.ok) return { ok: false, problem: { ...groups.problem, at: '/groups' } };
  if (groups.value.length > mostGroups)
    return bad('Records can be grouped by three fields at most.', 'Take one away.', '/groups');
  const columns: ViewColumn[] = [];
  for (const [index, { field: name, hidden, width, total }] of json.columns.entries()) {
    const field = fieldNamed(table, name);
    if (!field) return unknownField(table, name, `/columns/${index}/field`);
    if (total && !totalsFor(field).includes(total))
      return bad(`${field.label} has no such total.`, 'Choose another.', `/columns/${index}/total`);
    columns.push({
      field: field.id,
      ...(hidden ? { hidden: true } : {}),
      ...(width ? { width } : {}),
      ...(total ? { total } : {}),
    });
  }
  if (new Set(columns.map(({ field }) => field)).size < columns.length)
    return bad('A field stands among the columns twice.', 'Leave one.', '/columns');
  const colours: ViewColour[] = [];
  for (const [index, { when, dye }] of json.colours.entries()) {
    const read = condition(when, `/colours/${index}/when`);
    if (!read.ok) return read;
    colours.push({ when: read.value, dye });
  }
  const laid: { by?: string; until?: string; picture?: string } = {};
  for (const name of ['by', 'until', 'picture'] as const) {
    const key = json[name];
    if (key === null) continue;
    const field = fieldNamed(table, key);
    if (!field) return unknownField(table, key, `/${name}`);
    if (!fitsLayout(json.kind, name, field))
      return bad(`${field.label} cannot be used here.`, 'Choose another field.', `/${name}`);
    laid[name] = field.id;
  }
  const { label, kind, takesNew, frozen, lines } = json;
  return good({
    id,
    label,
    kind,
    columns,
    takesNew,
    frozen,
    lines,
    filter: filter.value,
    sort: sort.value,
    groups: groups.value,
    colours,
    ...laid,
  });
}

const unknownField = (table: Table, name: string, at: string) =>
  bad(`${table.label} has no field “${name}”.`, `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`, at);

// --- in an address ---------------------------------------------------------------------------------------------------

const columnText = ({ field, hidden, width, total }: ViewJson['columns'][number]): string =>
  `${hidden ? '-' : ''}${field}${width || total ? `:${width ?? ''}` : ''}${total ? `:${total}` : ''}`;

function columnFrom(text: string): ViewJson['columns'][number] {
  const hidden = text.startsWith('-');
  const [field = '', width, total] = (hidden ? text.slice(1) : text).split(':');
  const known = totalKinds.find((kind) => kind === total);
  return {
    field,
    ...(hidden ? { hidden: true } : {}),
    ...(Number(width) > 0 ? { width: Number(width) } : {}),
    ...(known ? { total: known } : {}),
  };
}

/** How each part of a view is written in an address; what is not there is as the saved view has it. */
const addressParts: {
  readonly [K in Exclude<keyof ViewJson, 'label'>]: {
    readonly print: (value: ViewJson[K]) => string;
    readonly read: (text: string) => ViewJson[K];
  };
} = {
  kind: { print: String, read: (text) => viewKinds.find((kind) => kind === text) ?? 'grid' },
  columns: {
    print: (columns) => columns.map(columnText).join(','),
    read: (text) => text.split(',').filter(Boolean).map(columnFrom),
  },
  takesNew: { print: (yes) => (yes ? 'yes' : 'no'), read: (text) => text === 'yes' },
  frozen: { print: String, read: (text) => Math.max(0, Math.min(20, Math.trunc(Number(text)) || 0)) },
  lines: { print: String, read: (text) => (text === '4' ? 4 : text === '2' ? 2 : 1) },
  filter: { print: String, read: String },
  sort: { print: String, read: String },
  groups: { print: String, read: String },
  colours: {
    print: (colours) => colours.map(({ when, dye }) => `${dye} ${when}`).join('\n'),
    read: (text) =>
      text
        .split('\n')
        .filter(Boolean)
        .map((line) => ({ dye: line.slice(0, line.indexOf(' ')) as Dye, when: line.slice(line.indexOf(' ') + 1) })),
  },
  by: { print: (key) => key ?? '', read: (text) => text || null },
  until: { print: (key) => key ?? '', read: (text) => text || null },
  picture: { print: (key) => key ?? '', read: (text) => text || null },
};

type AddressPart = keyof typeof addressParts;
export const addressNames = Object.keys(addressParts) as AddressPart[];

const printed = <K extends AddressPart>(view: ViewJson, name: K): string => addressParts[name].print(view[name]);

/** What an address says of a view beside the saved one: only the parts that differ. Empty when it is as saved. */
export function viewAddress(saved: ViewJson, now: ViewJson): Record<string, string> {
  return Object.fromEntries(
    addressNames
      .filter((name) => printed(saved, name) !== printed(now, name))
      .map((name) => [name, printed(now, name)]),
  );
}

/** The view an address shows: the saved one with what the address says otherwise. */
export function viewAt(saved: ViewJson, address: { get: (name: string) => string | null }): ViewJson {
  const said: Partial<Record<AddressPart, unknown>> = {};
  for (const name of addressNames) {
    const text = address.get(name);
    if (text !== null) said[name] = addressParts[name].read(text);
  }
  return { ...saved, ...(said as Partial<ViewJson>) };
}
