import { own } from '../base/own';
import { emptyModel, ownTables } from '../model/model';
import { mapParts, partOf } from '../parts/parts';
import type { TurnText } from '../parts/part';
import type { FieldType } from '../types/field';
import type { Language } from '../types/language';
import type { Model, Table } from '../types/model';
import { partsOf } from '../types/part';
import { spokenField } from './spokenField';

/** Says each text of a model anew; `where` it stands, in words. */
type TurnModelText = (text: string, where: string) => string;

const said = (text: string, where: string, turn: TurnModelText): string =>
  text.trim() === '' ? text : turn(text, where);

/**
 * A model with all that people read in it said anew: labels, help, options, messages, and the texts of its parts.
 * Formulas go by identities and keys, and are as they were. Tables of linked workspaces are left to those.
 */
function mapTexts(model: Model, turn: TurnModelText): Model {
  const tables = model.tables.map((table) =>
    table.home === undefined && !table.pairs ? tableSaid(table, turn) : table,
  );
  const own = mapParts({ ...model, tables }, (one) => partSaid(one, '', turn));
  return own;
}

function tableSaid(table: Table, turn: TurnModelText): Table {
  const within = (what: string) => `${table.label} · ${what}`;
  const rules = table.rules?.map((rule) => ({
    ...rule,
    message: said(rule.message, within('message of a rule'), turn),
  }));
  const saidTable: Table = {
    ...table,
    label: said(table.label, 'table', turn),
    description: said(table.description, within('description'), turn),
    fields: table.fields.map((field) =>
      spokenField(field, (text, what) =>
        said(text, what ? within(`${field.label} · ${what}`) : within(field.label), turn),
      ),
    ),
    ...(rules ? { rules } : {}),
  };
  return mapParts(saidTable, (one) => partSaid(one, table.label, turn));
}

function partSaid(
  { kind, part }: Parameters<Parameters<typeof mapParts>[1]>[0],
  table: string,
  turn: TurnModelText,
): typeof part {
  const { word, spoken } = partOf(kind);
  const where = [...(table ? [table] : []), `${word} “${part.label}”`].join(' · ');
  const inPart: TurnText = (text, what = '') => said(text, what ? `${where} · ${what}` : where, turn);
  return spoken ? spoken(part as never, inPart) : { ...part, label: inPart(part.label) };
}

/** A text that people read, and the places where it stands. */
export interface ShownText {
  readonly text: string;
  readonly where: readonly string[];
}

/** Every text of a workspace once, in the order in which they stand. */
export function textsOf(model: Model): ShownText[] {
  const found = new Map<string, string[]>();
  mapTexts(model, (text, where) => {
    const places = found.get(text) ?? [];
    if (!places.includes(where)) places.push(where);
    found.set(text, places);
    return text;
  });
  return [...found].map(([text, where]) => ({ text, where }));
}

export const languagesOf = (model: Model): readonly Language[] => partsOf(model, 'language');

/** What texts are written in where nobody has said it. */
export const firstCode = (languages: readonly Language[]): string => languages.find(({ first }) => first)?.code ?? 'en';

/**
 * The first of the languages that somebody reads that texts are there in; null for the one that they were written in.
 * `de-AT` is read as `de` where it is not there itself.
 */
export function languageFor(languages: readonly Language[], wanted: readonly string[]): string | null {
  const codes = [firstCode(languages), ...languages.filter(({ first }) => !first).map(({ code }) => code)];
  for (const code of wanted)
    for (const named of [code, code.split('-')[0] ?? code]) {
      const found = codes.find((one) => one.toLowerCase() === named.toLowerCase());
      if (found !== undefined) return found === codes[0] ? null : found;
    }
  return null;
}

// A model never changes, so what is made of it can be kept as long as it is.
const known = new WeakMap<Model, Map<string, Model>>();

/** The model in a language; what is not translated is as it was written. */
export function inLanguage(model: Model, code: string | null): Model {
  const language = code === null ? undefined : languagesOf(model).find((one) => one.code === code);
  if (!language) return model;
  const of = known.get(model) ?? new Map<string, Model>();
  known.set(model, of);
  const ready = of.get(language.code) ?? mapTexts(model, (text) => own(language.texts, text) ?? text);
  of.set(language.code, ready);
  return ready;
}

/** The model with the texts of one language alone, or of none. */
export function withLanguage(model: Model, code: string | null): Model {
  const { parts } = model;
  if (!parts?.language) return model;
  const { language, ...others } = parts;
  const kept = language.filter((one) => one.code === code);
  return { ...model, parts: kept.length > 0 ? { ...others, language: kept } : others };
}

/** The languages with those texts alone that somebody sees: of others they would tell what is hidden. */
export function languagesWithin(seen: Model, languages: readonly Language[]): Language[] {
  const shown = new Set(textsOf({ ...emptyModel, ...seen, tables: ownTables(seen) }).map(({ text }) => text));
  return languages.map((language) => ({
    ...language,
    texts: Object.fromEntries(Object.entries(language.texts).filter(([text]) => shown.has(text))),
  }));
}

/** The type as it was written, with what its options are called in another language. */
function besideLabels(written: FieldType | undefined, turned: FieldType): FieldType {
  if (!written || !('options' in written) || !('options' in turned)) return turned;
  return {
    ...written,
    options: written.options.map((option, place) => {
      const called = turned.options[place]?.label ?? option.label;
      return called === option.label ? option : { ...option, said: called };
    }),
  };
}

const knownEntered = new WeakMap<Model, Model>();

/**
 * The model in a language for pages on which records are shown and entered: options keep the words that records come and
 * go by, which are those of the first language, beside what they are called.
 */
export function enteredIn(model: Model, code: string | null): Model {
  const said = inLanguage(model, code);
  if (said === model) return model;
  const ready = knownEntered.get(said);
  if (ready) return ready;
  const types = new Map(model.tables.flatMap(({ fields }) => fields.map(({ id, type }) => [id, type] as const)));
  const made = {
    ...said,
    tables: said.tables.map((table) => ({
      ...table,
      fields: table.fields.map((field) => ({ ...field, type: besideLabels(types.get(field.id), field.type) })),
    })),
  };
  knownEntered.set(said, made);
  return made;
}
