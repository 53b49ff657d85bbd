import { labelsSql, sqlTypeOf } from '$core/formula/compiler';
import { keyFromLabel } from '$core/model/key';
import { valueTypeOf } from '$core/model/model';
import type { FieldType, Option } from '$core/types/field';
import { quoteText } from '$core/sql';
import { conversionWay, withSpellings } from '$core/fieldTypes/conversion';
import { gazetteer } from '$core/fieldTypes/gazetteer';
import { longestLongText } from '$core/fieldTypes/longText';
import { placeValue } from '$core/fieldTypes/place';
import { readPattern } from '$core/fieldTypes/runningNumber';
import { noWords, yesWords } from '$core/fieldTypes/yesNo';
import { plainReading, type EnteredType, type Reading } from '$core/fieldTypes/registry';

const textArray = (words: readonly string[]) => `array[${words.map(quoteText).join(', ')}]::text[]`;

/** The PostgreSQL type of a field type's values. */
const columnTypeOf = (type: FieldType): string =>
  sqlTypeOf(valueTypeOf({ id: '', key: '', label: '', help: '', required: false, unique: false, type }));

const blankOf = (type: FieldType): string => `null::${columnTypeOf(type)}`;

/**
 * SQL that reads a trimmed text as a value of a type, blank where it does not fit: the twin of `parseValue`. The first
 * branch of numbers and dates casts what cannot fail; only the rest goes through the slower functions. It looks at
 * `raw`, the text before it was trimmed: what it takes has no blanks at its ends, and trimming costs more than the
 * cast. The patterns have no look-ahead and no counted repetitions, which PostgreSQL's matcher is slow at.
 */
export function readSql(text: string, type: EnteredType, reading: Reading = plainReading, raw = text): string {
  const zone = quoteText(reading.zone ?? 'UTC');
  switch (type.kind) {
    case 'text':
      return type.maxLength === undefined
        ? text
        : `case when char_length(${text}) <= ${Number(type.maxLength)} then ${text} end`;
    case 'longText':
      return `case when char_length(${text}) <= ${longestLongText} then ${text} end`;
    case 'number':
      return numberSql(text, type.digits, reading, raw);
    case 'percent':
      return `trim_scale(loom.whole_to(loom.read_number(regexp_replace(${text}, '[ \\t]*%$', ''), '${reading.decimal}'), ${type.digits ?? 28}) * 0.01)`;
    case 'progress':
      return within(readSql(text, { kind: 'percent', digits: null }, reading), type);
    case 'rating':
      return within(
        `case when ${text} ~ '^★+$' then char_length(${text})::numeric else ${numberSql(text, 0, reading, raw)} end`,
        type,
      );
    case 'money': {
      const money = `loom.read_money(${text}, '${reading.decimal}', ${Number(type.digits)}, ${type.currency === null ? 'null' : quoteText(type.currency)})`;
      return type.currency === null ? money : `(${money}).amount`;
    }
    case 'yesNo': {
      // The usual spellings first: putting every text in small letters by ICU costs as much as all the rest.
      const usual = (words: readonly string[]) =>
        words.flatMap((word) => [word, word.charAt(0).toUpperCase() + word.slice(1), word.toUpperCase()]);
      const among = (value: string, words: readonly string[]) =>
        `${value} in (${[...new Set(words)].map(quoteText).join(', ')})`;
      return `case when ${among(text, usual(yesWords))} then true when ${among(text, usual(noWords))} then false when ${among(`lower(${text})`, yesWords)} then true when ${among(`lower(${text})`, noWords)} then false end`;
    }
    case 'date':
      return `case when ${raw} ~ '^[1-9][0-9][0-9][0-9]-(0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])$' then ${raw}::date else loom.read_date(${text}, '${reading.dateOrder}') end`;
    case 'dateTime':
      return `loom.read_instant(${text}, '${reading.dateOrder}', ${zone})`;
    case 'duration':
      return `loom.read_duration(${text})`;
    case 'option':
      return optionSql(text, type.options);
    case 'options':
      return `loom.read_options(${text}, ${textArray(type.options.map(({ id }) => id))}, ${textArray(type.options.map(({ label }) => label))})`;
    case 'link':
      return `case when ${text} ~ '^[1-9][0-9]{0,15}$' then ${text}::bigint end`;
    case 'member':
      return `loom.find_person(${text})`;
    case 'url':
      return (
        `case when char_length(${text}) > 2000 then null when ${text} ~* '^https?://[^ \\t\\n\\r\\f\\v/?#@]+\\.?[^ \\t\\n\\r\\f\\v@/?#]*(?:[/?#][^ \\t\\n\\r\\f\\v]*)?$' then ${text} ` +
        `when ${text} ~ '^[A-Za-z0-9-]+(?:\\.[A-Za-z0-9-]+)+(?::[0-9]{1,5})?(?:[/?#][^ \\t\\n\\r\\f\\v]*)?$' then 'https://' || ${text} end`
      );
    case 'email': {
      const bare = `regexp_replace(${text}, '^mailto:', '', 'i')`;
      const name = '[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?';
      return `case when char_length(${bare}) <= 254 and ${bare} ~ '^[A-Za-z0-9.!#$%&''*+/=?^_\`{|}~-]+@${name}(?:\\.${name})+$' then ${bare} end`;
    }
    case 'phone': {
      const bare = `regexp_replace(regexp_replace(${text}, '^tel:', '', 'i'), ' +', ' ', 'g')`;
      const digits = `char_length(regexp_replace(${bare}, '[^0-9]', '', 'g'))`;
      return `case when ${bare} ~ '^\\+?[0-9 ()/.-]+$' and ${digits} between 3 and 15 then ${bare} end`;
    }
    case 'place': {
      const known = gazetteer.map(
        (one) =>
          `when ${quoteText(one.name.toLowerCase())} then ${quoteText(placeValue({ ...one, address: one.name }))}::jsonb`,
      );
      return `coalesce(case lower(${text}) ${known.join(' ')} end, loom.read_place(${text}))`;
    }
    case 'runningNumber': {
      const pattern = readPattern(type.pattern);
      if (!pattern.ok) return blankOf(type);
      const literal = (part: string) => part.replace(/[\\^$.*+?()[\]|/-]/g, '\\$&').replace('{year}', '[0-9]{4}');
      return `case when ${text} ~ ${quoteText(`^${literal(pattern.value.before)}[0-9]{${pattern.value.width},15}${literal(pattern.value.behind)}$`)} then ${text} end`;
    }
    case 'files':
    case 'pictures':
      return blankOf(type);
  }
}

function numberSql(text: string, digits: number | null, reading: Reading, raw: string): string {
  // With a decimal comma only whole numbers can be cast as they stand.
  const decimals =
    reading.decimal === ',' || digits === 0
      ? ''
      : digits === null
        ? '(\\.[0-9]+)?'
        : `(\\.[0-9]{1,${Math.min(digits, 18)}})?`;
  const read = `loom.read_number(${text}, '${reading.decimal}')`;
  const rest = digits === null ? read : `loom.whole_to(${read}, ${Number(digits)})`;
  // Of 30 characters no number is beyond what is stored.
  return `case when ${raw} ~ '^[+-]?[0-9]+${decimals}$' and octet_length(${raw}) <= 30 then ${raw}::numeric else ${rest} end`;
}

/** A number where a type allows it, otherwise blank. */
function within(value: string, type: EnteredType): string {
  // The value is named in a subquery, as it is costly to work out twice; offset keeps it from being put in place.
  const when = (condition: string) =>
    `(select case when ${condition} then v.n end from (select ${value} as n offset 0) v)`;
  switch (type.kind) {
    case 'number':
      return type.digits === null ? value : `loom.whole_to(${value}, ${Number(type.digits)})`;
    case 'money':
      return `loom.whole_to(${value}, ${Number(type.digits)})`;
    case 'percent':
      return type.digits === null ? value : `loom.whole_to(${value}, ${Number(type.digits) + 2})`;
    case 'progress':
      return when('v.n between 0 and 1');
    case 'rating':
      return when(`v.n = trunc(v.n) and v.n between 1 and ${Number(type.most)}`);
    default:
      return value;
  }
}

/** By exact label first, then by label in any letter case, then by id, as the core does. */
function optionSql(text: string, options: readonly Option[]): string {
  if (options.length === 0) return 'null::text';
  const byLabel = new Map(options.map(({ id, label }) => [label, id]));
  const bySmall = new Map(options.toReversed().map(({ id, label }) => [label.toLowerCase(), id]));
  const whens = (pairs: Iterable<readonly [string, string]>) =>
    [...pairs].map(([from, to]) => `when ${quoteText(from)} then ${quoteText(to)}`).join(' ');
  return `coalesce(case ${text} ${whens(byLabel)} end, case lower(${text}) ${whens(bySmall)} end, case ${text} ${whens(options.map(({ id }) => [id, id] as const))} end)`;
}

/** SQL for the text that a stored value is converted through and shown as: all digits, labels of options. */
export function textSql(value: string, type: FieldType, zone = 'UTC'): string {
  switch (type.kind) {
    case 'text':
    case 'longText':
    case 'url':
    case 'email':
    case 'phone':
    case 'runningNumber':
      return value;
    case 'number':
    case 'rating':
      return `trim_scale(${value})::text`;
    case 'percent':
    case 'progress':
      return `trim_scale(${value} * 100)::text || ' %'`;
    case 'money':
      return type.currency === null
        ? `trim_scale((${value}).amount)::text || ' ' || (${value}).currency`
        : `trim_scale(${value})::text || ${quoteText(` ${type.currency}`)}`;
    case 'yesNo':
      return `case ${value} when true then 'yes' when false then 'no' end`;
    case 'dateTime':
    case 'createdAt':
    case 'changedAt':
      return `loom.instant_text(${value}, ${quoteText(zone)})`;
    case 'duration':
      return `loom.duration_text(${value})`;
    case 'option':
      return type.options.length === 0
        ? 'null::text'
        : `case ${value} ${type.options.map(({ id, label }) => `when ${quoteText(id)} then ${quoteText(label)}`).join(' ')} end`;
    case 'options':
      return type.options.length === 0 ? 'null::text' : labelsSql(value, type.options);
    case 'member':
    case 'createdBy':
    case 'changedBy':
      return `loom.person_name(${value})`;
    case 'place':
      return `loom.place_text(${value})`;
    case 'files':
    case 'pictures':
      return `loom.files_text(${value})`;
    case 'date':
    case 'link':
    case 'counterpart':
    case 'formula':
      return `${value}::text`;
  }
}

/** SQL for a stored value of one type as another, blank where it does not fit: the twin of `convertValue`. */
export function conversionSql(
  value: string,
  from: EnteredType,
  to: EnteredType,
  reading: Reading = plainReading,
  merge: Readonly<Record<string, string>> = {},
): string {
  const zone = quoteText(reading.zone ?? 'UTC');
  switch (conversionWay(from.kind, to.kind)) {
    case 'value':
      return within(value, to);
    case 'flag':
      return within(`case ${value} when true then 1::numeric when false then 0::numeric end`, to);
    case 'amount':
      return from.kind === 'money' && from.currency === null ? within(`(${value}).amount`, to) : within(value, to);
    case 'currency':
      return currencySql(value, from, to);
    case 'listed':
    case 'oneToMany':
    case 'manyToOne':
      return listedSql(value, from, to, merge);
    case 'dayStart':
      return `loom.day_start(${value}, ${zone})`;
    case 'dayOf':
      return `loom.day_of(${value}, ${zone})`;
    case 'pictures':
      return `case when not exists (select from jsonb_array_elements(${value}) f where f ->> 'type' not like 'image/%') then ${value} end`;
    case 'never':
      return blankOf(to);
    case 'text':
      return readSql(
        `loom.trimmed(${textSql(value, from, reading.zone)})`,
        withSpellings(to, merge),
        reading,
        `(${textSql(value, from, reading.zone)})`,
      );
  }
}

function currencySql(value: string, from: EnteredType, to: EnteredType): string {
  if (to.kind !== 'money') return blankOf(to);
  const own = from.kind === 'money' ? from.currency : null;
  if (from.kind === 'money' && own === null) {
    const amount = within(`(${value}).amount`, to);
    if (to.currency !== null) return `case when (${value}).currency = ${quoteText(to.currency)} then ${amount} end`;
    return `case when ${amount} is not null then ${value} end`;
  }
  if (to.currency !== null) return own === null || own === to.currency ? within(value, to) : blankOf(to);
  return own === null
    ? blankOf(to)
    : `case when ${within(value, to)} is not null then row(trim_scale(${value}), ${quoteText(own)})::loom.money end`;
}

/**
 * Options of one list as those of another: merged ones first, then by identity; several only when all of them are
 * there.
 */
function listedSql(value: string, from: EnteredType, to: EnteredType, merge: Readonly<Record<string, string>>): string {
  const list = (type: EnteredType): readonly Option[] =>
    type.kind === 'option' || type.kind === 'options' ? type.options : [];
  const known = new Set(list(to).map(({ id }) => id));
  const pairs = list(from)
    .map(({ id }) => [id, merge[id] ?? id] as const)
    .filter(([, becomes]) => known.has(becomes));
  if (pairs.length === 0) return blankOf(to);
  const whens = pairs.map(([id, becomes]) => `when ${quoteText(id)} then ${quoteText(becomes)}`).join(' ');
  const one = (id: string) => `case ${id} ${whens} end`;
  if (from.kind === 'option')
    return to.kind === 'option' ? one(value) : `case when ${one(value)} is not null then array[${one(value)}] end`;
  if (to.kind === 'option') return `case when cardinality(${value}) = 1 then ${one(`(${value})[1]`)} end`;
  return `(select case when count(*) = count(x.o) then array_agg(distinct x.o collate "C" order by x.o collate "C") end from (select ${one('i')} as o from unnest(${value}) i) x)`;
}

/** Ids for options made from labels: clean, readable, each once. */
export function optionId(label: string, taken: ReadonlySet<string>): string {
  const id = keyFromLabel(label, 'option');
  if (!taken.has(id)) return id;
  for (let n = 2; ; n++) if (!taken.has(`${id}_${n}`)) return `${id}_${n}`;
}
