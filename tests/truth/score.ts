import type { AddField, Change } from '$core/types/change';
import { partsOf, type IntakeSheet, type Proposal } from '$core/intake/intake';
import type { SheetTruth, ThingTruth, Truth, TruthCase } from './case';

/** One thing that was to be said of a set of data, or that was said and is none. */
export interface Judged {
  readonly part: Part;
  readonly case: string;
  readonly what: string;
  /** `missed` counts among those wanted; `wrong` was said though it is none. */
  readonly is: 'right' | 'missed' | 'wrong';
  readonly said: string;
}

export const parts = ['types', 'keys', 'links', 'things', 'periods', 'rows left out'] as const;
export type Part = (typeof parts)[number];

type AnyField = AddField['field'];

/** What was proposed, in the words of the truths: by the names of sheets and columns. */
interface Said {
  /** The type of the field that a column goes to; for a link where it leads. */
  readonly types: ReadonlyMap<string, string>;
  readonly keys: ReadonlyMap<string, readonly string[]>;
  readonly links: ReadonlySet<string>;
  readonly things: readonly ThingTruth[];
  readonly periods: ReadonlyMap<string, readonly string[]>;
  readonly leftOut: ReadonlyMap<string, readonly number[]>;
}

const plain = (name: string): string => name.replace(/\s+/g, ' ').trim();

/** What a proposal says of sheets. */
export function said(sheets: readonly IntakeSheet[], { changes, mappings }: Proposal): Said {
  const fields = fieldsOf(changes);
  const columnAt = new Map<string, string>();
  const placeOf = (sheet: number, column: number): string => {
    const { derived, name = '', columns = [] } = sheets[sheet] ?? {};
    if (!derived) return `${plain(name)}.${plain(columns[column]?.name ?? '')}`;
    return placeOf(derived.sheet, [derived.determinant, ...derived.dependents][column] ?? -1);
  };
  for (const { sheet, columns } of mappings)
    for (const { column, field } of columns) columnAt.set(field, placeOf(sheet, column));
  const types = new Map<string, string>();
  const keys = new Map<string, string[]>();
  const links = new Set<string>();
  for (const { sheet, columns } of mappings) {
    const own = sheets[sheet];
    for (const { column, field: id, match } of columns) {
      const field = fields.get(id);
      const place = placeOf(sheet, column);
      const kind = field?.type.kind ?? 'none';
      const target = mappings.find((one) => field?.type.kind === 'link' && one.table === field.type.to);
      const split = target && sheets[target.sheet]?.derived;
      const toSplit =
        match !== undefined &&
        (columnAt.get(match) === place ||
          (split !== undefined && partsOf(split).some((part) => part.sheet === sheet && part.determinant === column)));
      // A column that leads to what was split off it is of the type that it has there.
      if (!toSplit) types.set(place, match === undefined ? kind : 'link');
      for (const part of own?.derived?.also ?? []) {
        const beside = [part.determinant, ...part.dependents][column] ?? null;
        if (beside !== null) types.set(placeOf(part.sheet, beside), match === undefined ? kind : 'link');
      }
      if (match !== undefined && !toSplit) {
        const to = match === '_record' ? targetName(sheets, mappings, field) : columnAt.get(match);
        links.add(`${place} > ${to ?? 'a table that stands'}`);
      }
      if (field && 'unique' in field && field.unique && !own?.derived) {
        const name = plain(own?.name ?? '');
        keys.set(name, [...(keys.get(name) ?? []), plain(own?.columns[column]?.name ?? '')]);
      }
    }
  }
  // Columns that became rows are of the type that their values have.
  for (const { name, turned } of sheets)
    for (const column of turned?.columns ?? [])
      types.set(`${plain(name)}.${plain(column)}`, types.get(`${plain(name)}.${plain(turned?.values[0] ?? '')}`) ?? '');
  const things = mappings.flatMap(({ sheet }): ThingTruth[] => {
    const { derived } = sheets[sheet] ?? {};
    return (derived ? partsOf(derived) : []).map((part) => {
      const parent = sheets[part.sheet];
      const nameAt = (column: number) => plain(parent?.columns[column]?.name ?? '');
      return {
        sheet: plain(parent?.name ?? ''),
        by: [nameAt(part.determinant)],
        with: part.dependents.flatMap((column) => (column === null ? [] : [nameAt(column)])),
      };
    });
  });
  const periods = new Map(
    sheets.flatMap(({ name, turned }) => (turned ? [[plain(name), turned.columns] as const] : [])),
  );
  return { types, keys, links, things, periods, leftOut: leftOutOf(sheets) };
}

function fieldsOf(changes: readonly Change[]): ReadonlyMap<string, AnyField> {
  const found = new Map<string, AnyField>();
  for (const change of changes) {
    if (change.do === 'addTable') for (const field of change.table.fields) found.set(field.id, field);
    if (change.do === 'addField') found.set(change.field.id, change.field);
  }
  return found;
}

function targetName(
  sheets: readonly IntakeSheet[],
  mappings: Proposal['mappings'],
  field: AnyField | undefined,
): string {
  const table = field?.type.kind === 'link' ? field.type.to : '';
  const at = mappings.find((one) => one.table === table)?.sheet ?? -1;
  return `${plain(sheets[at]?.name ?? '')}._record`;
}

/** Holds what was said against the truth, part by part. */
export function judge({ name, truth }: TruthCase, found: Said): Judged[] {
  const judged: Judged[] = [];
  const add = (part: Part, what: string, is: Judged['is'], words: string) =>
    judged.push({ part, case: name, what, is, said: words });
  for (const [sheet, of] of Object.entries(truth.sheets)) {
    judgeTypes(sheet, of, found, truth, add);
    // Where columns became rows, a row is told by what told it and by which column it was.
    if (!found.periods.has(sheet)) judgeKey(sheet, of, found, add);
    judgeSet('periods', sheet, of.periods ?? [], found.periods.get(sheet) ?? [], add);
    judgeSet('rows left out', sheet, (of.leftOut ?? []).map(String), (found.leftOut.get(sheet) ?? []).map(String), add);
  }
  judgeLinks(truth, found, add);
  judgeThings(truth, found, add);
  return judged;
}

type Add = (part: Part, what: string, is: Judged['is'], words: string) => void;

function judgeTypes(sheet: string, of: SheetTruth, found: Said, truth: Truth, add: Add): void {
  for (const [name, right] of Object.entries(of.types)) {
    const place = `${sheet}.${plain(name)}`;
    const type = found.types.get(place) ?? 'none';
    // A link is judged among the links; here it is right where one is wanted or may be.
    const mayLink = [...truth.links, ...(truth.alsoLinks ?? [])].some((link) =>
      link.split(' | ').some((one) => one.startsWith(`${place} > `)),
    );
    const isRight = right.includes(type) || (type === 'link' && mayLink);
    if (type === 'link' && !mayLink) continue;
    add('types', place, isRight ? 'right' : 'missed', `${type}, not ${right.join(' or ')}`);
  }
}

function judgeKey(sheet: string, { key, keyIsOpen }: SheetTruth, found: Said, add: Add): void {
  if (keyIsOpen) return;
  const proposed = found.keys.get(sheet) ?? [];
  const wrong = proposed.filter((one) => !(key ?? []).map(plain).includes(one));
  const words = proposed.length > 0 ? proposed.join(', ') : 'none';
  for (const one of wrong) add('keys', `${sheet}.${one}`, 'wrong', one);
  if (key) add('keys', sheet, proposed.length > wrong.length ? 'right' : 'missed', `${words}, not ${key.join(' or ')}`);
}

function judgeLinks(truth: Truth, found: Said, add: Add): void {
  const wanted = truth.links.map((link) => link.split(' | ').map(plain));
  const also = new Set([...wanted.flat(), ...(truth.alsoLinks ?? []).map(plain)]);
  for (const ways of wanted)
    add('links', ways.join(' | '), ways.some((way) => found.links.has(way)) ? 'right' : 'missed', '');
  for (const link of found.links) if (!also.has(link)) add('links', link, 'wrong', link);
}

function judgeThings(truth: Truth, found: Said, add: Add): void {
  const isOf = (thing: ThingTruth, one: ThingTruth) =>
    thing.sheet === one.sheet && one.by.some((name) => thing.by.map(plain).includes(name));
  for (const thing of truth.things) {
    const own = found.things.find((one) => isOf(thing, one));
    const all = new Set([...thing.by, ...thing.with, ...(thing.also ?? [])].map(plain));
    const words = own ? `by ${own.by.join()} with ${own.with.join(', ')}` : 'not split off';
    const missing = [...thing.with]
      .map(plain)
      .filter((name) => own && !own.with.includes(name) && !own.by.includes(name));
    const stranger = own?.with.filter((name) => !all.has(name)) ?? [];
    // What belongs to a thing may as well stand with one that it is part of; what does not must not.
    const isRight = own !== undefined && stranger.length <= 1 && missing.length <= thing.with.length / 2;
    add('things', `${thing.sheet} by ${thing.by.join(' or ')}`, isRight ? 'right' : 'missed', words);
  }
  for (const one of found.things)
    if (![...truth.things, ...(truth.alsoThings ?? [])].some((thing) => isOf(thing, one)))
      add('things', `${one.sheet} by ${one.by.join()}`, 'wrong', `with ${one.with.join(', ')}`);
}

function judgeSet(part: Part, sheet: string, wanted: readonly string[], proposed: readonly string[], add: Add): void {
  const is = (one: string) => proposed.map(plain).includes(plain(one));
  const all = wanted.length > 0 && wanted.every(is) && proposed.length === wanted.length;
  if (wanted.length > 0) add(part, sheet, all ? 'right' : 'missed', `${proposed.length} of ${wanted.length}`);
  else if (proposed.length > 0) add(part, sheet, 'wrong', proposed.slice(0, 5).join(', '));
}

const leftOutOf = (sheets: readonly IntakeSheet[]): ReadonlyMap<string, readonly number[]> =>
  new Map(
    sheets.map(({ name, leftOut = [] }) => [
      plain(name),
      [...new Set(leftOut.map(({ row, inFile = row }) => inFile - 1))],
    ]),
  );
