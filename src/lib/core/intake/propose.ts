import { withSystemFields } from '../model/systemFields';
import type { AddField, Change } from '../model/change';
import { newId, type FieldId } from '../model/identity';
import { freeKey, keyFromLabel } from '../model/key';
import { dyes, isEntered, linkedTable, type Dye, type Field, type FieldType, type Model, type Option, type Table } from '../model/model';
import { freeLabel } from '../model/naming';
import { matchFields, recognisedBy } from './matchFields';
import { moneyParts } from '../values/money';
import { parseValue } from '../values/value';
import { thingNamed } from './naming';
import type { Cleaning, ColumnDecision, ColumnMapping, ColumnProfile, ColumnType, Decisions, FoundLink, IntakeSheet, Proposal, SheetMapping } from './intake';

/** `hive_no`, `HiveCode` → `Hive no`, `Hive code`. */
export function labelFromName(name: string): string {
  const words = name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_\s]+/g, ' ')
    .trim();
  return (words.charAt(0).toUpperCase() + words.slice(1).toLowerCase() || 'Column').slice(0, 120);
}

function uniqueLabel(label: string, taken: Set<string>): string {
  const free = freeLabel(label, [...taken]);
  taken.add(free);
  return free;
}

/** The table a link points at, and the field of it that the column's texts are matched with. */
interface LinkTarget {
  readonly table: Table;
  readonly match: FieldId;
  /** The table was split off the column's own sheet. */
  readonly splitOff: boolean;
}

export interface ProposalSource {
  readonly model: Model;
  readonly sheets: readonly IntakeSheet[];
  readonly links: readonly FoundLink[];
  readonly decisions: Decisions;
  /** Identities given before, so that a correction keeps those of everything else. */
  readonly identities?: ReadonlyMap<string, string>;
}

/**
 * The model that the sheets would become: a table a sheet, a field a column with its proposed or chosen type, the found
 * links, keys unique and shown as titles. Pure: the same sheets and decisions give the same proposal but for identities.
 */
export function propose({ model, sheets, links, decisions, identities = new Map() }: ProposalSource): Proposal {
  const given = new Map(identities);
  const identity = (name: string, prefix: 't' | 'f') => {
    const id = given.get(name) ?? newId(prefix);
    given.set(name, id);
    return id;
  };
  const tableKeys = new Set(model.tables.map(({ key }) => key));
  const tableLabels = new Set(model.tables.map(({ label }) => label));
  const decisionOf = (sheet: number, column: number): ColumnDecision => decisions.columns[`${sheet}.${column}`] ?? {};
  const linkOf = (sheet: number, column: number) => links.find(({ from }) => from.sheet === sheet && from.column === column);
  /** Where a column's link goes: to a table that another sheet becomes or goes into, else to one that stands. */
  const linked = (sheet: number, column: number): LinkTarget | undefined => {
    const { as } = decisionOf(sheet, column);
    if (as !== undefined && as !== 'link') return undefined;
    const link = linkOf(sheet, column);
    if (link && !isLeftOut(link.to.sheet) && decisionOf(link.to.sheet, link.to.column).as !== 'skip') {
      const into = intoOf(link.to.sheet);
      const splitOff = sheets[link.to.sheet]?.derived !== undefined;
      if (!into) return { table: tables[link.to.sheet] as Table, match: identity(`f${link.to.sheet}.${link.to.column}`, 'f'), splitOff };
      const field = fieldsInto(into, link.to.sheet).get(link.to.column);
      if (field) return { table: into, match: field.id, splitOff };
    }
    const standing = sheets[sheet]?.standing?.find((one) => one.column === column);
    const table = standing && model.tables.find(({ id }) => id === standing.table);
    // The key of a sheet tells its own records.
    return table && standing && sheets[sheet]?.keys[0] !== column ? { table, match: standing.field, splitOff: false } : undefined;
  };
  /** The standing table that a sheet is about: the one that was chosen, else the one its key tells records of. */
  const intoOf = (sheet: number): Table | undefined => {
    const wished = decisions.tables[String(sheet)]?.into;
    const alike = sheets[sheet]?.standing?.find(({ column }) => column === sheets[sheet]?.keys[0]);
    return wished === 'new' ? undefined : model.tables.find(({ id, home }) => home === undefined && id === (wished ?? alike?.table));
  };
  /** The fields of a standing table that a sheet's columns go to: as decided, else the most alike. */
  const fieldsInto = (table: Table, sheet: number): ReadonlyMap<number, Field> => {
    const profiles = sheets[sheet]?.columns ?? [];
    const key = sheets[sheet]?.standing?.find((one) => one.column === sheets[sheet]?.keys[0] && one.table === table.id);
    const told = key && table.fields.find(({ id }) => id === key.field);
    const alike = matchFields(model, table, profiles, key && told ? new Map([[key.column, told]]) : undefined);
    return new Map(
      profiles.flatMap((_, column) => {
        const { as, field: wished } = decisionOf(sheet, column);
        if (as === 'skip' || (as === undefined && wished === undefined && isSplitOff(sheet, column))) return [];
        const field = wished === undefined ? alike.get(column) : table.fields.find(({ id }) => id === wished);
        return field ? [[column, field] as const] : [];
      }),
    );
  };
  const isLeftOut = (sheet: number): boolean => {
    const derived = sheets[sheet]?.derived;
    return (
      decisions.tables[String(sheet)]?.skip === true ||
      (derived !== undefined && (isLeftOut(derived.sheet) || decisionOf(derived.sheet, derived.determinant).as === 'skip'))
    );
  };
  /** Columns that stand in a table split off, and so not on every row of the sheet itself. */
  const isSplitOff = (sheet: number, column: number): boolean =>
    sheets.some(({ derived }, index) => derived?.sheet === sheet && derived.dependents.includes(column) && !isLeftOut(index));
  const usedDyes = new Set(model.tables.map(({ dye }) => dye));
  const freshDyes = [...dyes.filter((dye) => !usedDyes.has(dye)), ...dyes.filter((dye) => usedDyes.has(dye))];

  const tables = sheets.map((sheet, index): Table => {
    const label = uniqueLabel(decisions.tables[String(index)]?.label ?? labelFromName(sheet.name), tableLabels);
    const key = freeKey(keyFromLabel(label, 'table'), tableKeys);
    tableKeys.add(key);
    return { id: identity(`t${index}`, 't'), key, label, description: '', dye: freshDyes[index % freshDyes.length] ?? 'woad', title: null, fields: [] };
  });
  // Fields get their names first, links included, so that counterparts are named around them.
  const names = new Map(
    [...model.tables, ...tables].map(({ id, fields }) => [
      id,
      { labels: new Set(fields.map(({ label }) => label)), keys: new Set(fields.map(({ key }) => key)) },
    ]),
  );
  const named = (table: Table, label: string) => {
    const { labels, keys } = names.get(table.id) ?? { labels: new Set<string>(), keys: new Set<string>() };
    const free = uniqueLabel(label, labels);
    const key = freeKey(keyFromLabel(free, 'field'), keys);
    keys.add(key);
    return { label: free, key };
  };

  const addTables: Change[] = [];
  const addLinks: AddField[] = [];
  const mappings: SheetMapping[] = [];
  sheets.forEach((sheet, index) => {
    if (isLeftOut(index)) return;
    const existing = intoOf(index);
    if (existing) return void mappings.push(mappingInto(existing, index));
    const table = tables[index] as Table;
    const fields: Field[] = [];
    const columns: ColumnMapping[] = [];
    sheet.columns.forEach((profile, column) => {
      const decision = decisionOf(index, column);
      if (decision.as === 'skip' || (decision.as === undefined && isSplitOff(index, column))) return;
      const reading = decision.reading ?? profile.reading;
      const link = linked(index, column);
      const clean = cleaningOf(profile, decision, link?.splitOff ?? false);
      const cleaned = clean ? { clean } : {};
      const label = decision.label ?? (link ? labelFromName(thingNamed(profile.name)) : labelFromName(profile.name));
      const id = identity(`f${index}.${column}`, 'f');
      const base = { ...named(table, label), id, help: '', required: false };
      if (link) {
        addLinks.push(linkChange(index, column, base, link, table));
        columns.push({ column, field: id, reading, ...cleaned, match: link.match });
        return;
      }
      const unique = sheet.keys[0] === column;
      fields.push({ ...base, unique, type: typeOfColumn(profile, decision) });
      columns.push({ column, field: id, reading, ...cleaned });
    });
    const key = sheet.keys[0];
    const title = (key !== undefined && columns.find(({ column }) => column === key)?.field) || fields.find(({ type }) => type.kind === 'text')?.id || null;
    addTables.push({ do: 'addTable', at: model.tables.length + addTables.length, table: { ...table, fields: withSystemFields(fields), title } });
    mappings.push({ sheet: index, table: table.id, columns });
  });

  /** Where the columns go in a table that stands: as decided, else to the field that is most alike. */
  function mappingInto(table: Table, sheet: number): SheetMapping {
    const profiles = sheets[sheet]?.columns ?? [];
    const chosen = fieldsInto(table, sheet);
    const columns = [...chosen].map(([column, field]): ColumnMapping => {
      const profile = profiles[column] as ColumnProfile;
      const decision = decisionOf(sheet, column);
      const clean = cleaningOf(profile, { ...decision, as: field.type.kind === 'options' ? 'options' : field.type.kind === 'number' ? 'number' : decision.as });
      const target = field.type.kind === 'link' ? linkedTable(model, field)?.table : undefined;
      const told = linked(sheet, column);
      const match =
        target &&
        (told?.table.id === target.id
          ? { id: told.match }
          : (target.fields.find((one) => one.unique && isEntered(one)) ?? target.fields.find(({ id }) => id === target.title)));
      return { column, field: field.id, reading: decision.reading ?? profile.reading, ...(clean ? { clean } : {}), ...(match ? { match: match.id } : {}) };
    });
    const { by, mode, blanks } = decisions.tables[String(sheet)] ?? {};
    const key = recognisedBy(table, chosen.values());
    return { sheet, table: table.id, columns, into: { by: by ?? (key ? [key.id] : []), mode: mode ?? 'both', blanks: blanks ?? 'keep' } };
  }

  function linkChange(sheet: number, column: number, base: Omit<Field, 'type' | 'unique'>, { table: target }: LinkTarget, table: Table): AddField {
    const counterpart: FieldId = identity(`c${sheet}.${column}`, 'f');
    const other = named(target, table.label);
    return {
      do: 'addField',
      table: table.id,
      at: column,
      field: { ...base, unique: false, type: { kind: 'link', to: target.id, onDelete: 'prevent', counterpart } },
      counterpart: {
        at: 1_000,
        field: { ...other, id: counterpart, help: '', required: false, unique: false, type: { kind: 'counterpart', from: table.id, link: base.id } },
      },
    };
  }
  return { decisions, changes: [...addTables, ...addLinks], mappings, links };
}

/** The identities of a proposal by place, for making it anew after a correction. */
export function identitiesOf({ changes, mappings }: Proposal): Map<string, string> {
  const identities = new Map<string, string>();
  for (const { sheet, table, columns } of mappings) {
    identities.set(`t${sheet}`, table);
    for (const { column, field } of columns) {
      identities.set(`f${sheet}.${column}`, field);
      const link = changes.find((change) => change.do === 'addField' && change.field.id === field);
      if (link?.do === 'addField' && link.counterpart) identities.set(`c${sheet}.${column}`, link.counterpart.field.id);
    }
  }
  return identities;
}

const asDecided = (profile: ColumnProfile, { as }: ColumnDecision): ColumnType => (as === undefined || as === 'link' || as === 'skip' ? profile.type : as);

function typeOfColumn(profile: ColumnProfile, decision: ColumnDecision): FieldType {
  const kind = asDecided(profile, decision);
  switch (kind) {
    case 'number': {
      const [unit] = profile.units;
      return { kind, digits: profile.digits, ...(unit ? { unit: unit.unit } : {}) };
    }
    case 'money':
      return { kind, currency: currencyOf(profile), digits: Math.max(2, profile.digits ?? 2) };
    case 'percent':
      return { kind, digits: null };
    case 'option':
    case 'options': {
      const values = kind === 'options' && profile.several ? profile.several.values : profile.values;
      const { blanks = [], replace = [] } = cleaningOf(profile, decision) ?? {};
      const left = new Set([...blanks, ...replace.map(({ from }) => from)]);
      return { kind, options: optionsOf(values.flatMap(({ text }) => (left.has(text) ? [] : [text]))) };
    }
    case 'text':
    case 'yesNo':
    case 'date':
    case 'dateTime':
    case 'duration':
    case 'email':
    case 'phone':
    case 'url':
      return { kind };
  }
}

/** The one currency of all amounts; null where each has to say its own. */
function currencyOf({ currencies, filled }: ColumnProfile): string | null {
  const [only, ...others] = currencies;
  if (!only || others.length > 0 || only.count < filled * 0.5) return null;
  const read = parseValue(`1 ${only.unit}`, { kind: 'money', currency: null, digits: 2 });
  return read.ok ? moneyParts(read.value).currency : null;
}

/** What is to be done to the column's texts, from what its profile found and the person decided. */
function cleaningOf(profile: ColumnProfile, decision: ColumnDecision, splitOff = false): Cleaning | undefined {
  const kind = asDecided(profile, decision);
  const [unit] = profile.units;
  const clean: Cleaning = {
    ...(profile.blankWords.length > 0 && !decision.keepBlanks ? { blanks: profile.blankWords.map(({ text }) => text) } : {}),
    ...(kind === 'number' && unit ? { unit: unit.unit } : {}),
    ...(kind === 'options' && profile.several ? { separator: profile.several.separator } : {}),
    // What was split off has its misspellings joined already.
    ...((splitOff || kind === 'option' || kind === 'options') &&
    profile.misspellings &&
    profile.misspellings.length > 0 &&
    (splitOff || !decision.keepSpellings)
      ? { replace: profile.misspellings.map(({ from, to }) => ({ from, to })) }
      : {}),
  };
  return Object.keys(clean).length > 0 ? clean : undefined;
}

/** Options with ids and dyes of their own; spellings that differ only in letter case are one option. */
export function optionsOf(labels: readonly string[]): Option[] {
  const options = new Map<string, Option>();
  const ids = new Set<string>();
  for (const label of labels) {
    if (options.has(label.toLowerCase())) continue;
    const id = freeKey(keyFromLabel(label, 'option'), ids);
    ids.add(id);
    options.set(label.toLowerCase(), { id, label, dye: dyes[options.size % dyes.length] as Dye });
  }
  return [...options.values()];
}
