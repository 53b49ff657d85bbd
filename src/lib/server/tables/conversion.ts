import { keyFromLabel } from '$core/model/key';
import type { FieldType, Option } from '$core/model/model';
import { quoteText } from '$core/sql';
import { noWords, yesWords } from '$core/values/yesNo';
import { plainReading, type Reading } from '$core/values/value';

/**
 * SQL that reads a trimmed text as a value of a type, blank where it does not fit: the twin of `parseValue`. The first
 * branch of numbers and dates casts what cannot fail; only the rest goes through the slower functions. The patterns
 * have no look-ahead, which PostgreSQL's matcher is slow at.
 */
export function readSql(text: string, type: FieldType, reading: Reading = plainReading): string {
  switch (type.kind) {
    case 'text':
      return type.maxLength === undefined ? text : `case when char_length(${text}) <= ${Number(type.maxLength)} then ${text} end`;
    case 'number': {
      // With a decimal comma only whole numbers can be cast as they stand.
      const decimals = reading.decimal === ',' || type.digits === 0 ? '' : `(\\.\\d{1,${Math.min(type.digits ?? 18, 18)}})?`;
      const read = `loom.read_number(${text}, '${reading.decimal}')`;
      const rest = type.digits === null ? read : `loom.whole_to(${read}, ${Number(type.digits)})`;
      return `case when ${text} ~ '^[+-]?\\d{1,18}${decimals}$' then ${text}::numeric else ${rest} end`;
    }
    case 'yesNo': {
      // The usual spellings first: putting every text in small letters by ICU costs as much as all the rest.
      const usual = (words: readonly string[]) => words.flatMap((word) => [word, word.charAt(0).toUpperCase() + word.slice(1), word.toUpperCase()]);
      const among = (value: string, words: readonly string[]) => `${value} in (${[...new Set(words)].map(quoteText).join(', ')})`;
      return `case when ${among(text, usual(yesWords))} then true when ${among(text, usual(noWords))} then false when ${among(`lower(${text})`, yesWords)} then true when ${among(`lower(${text})`, noWords)} then false end`;
    }
    case 'date':
      return `case when ${text} ~ '^[1-9]\\d{3}-(0[1-9]|1[0-2])-(0[1-9]|1\\d|2[0-8])$' then ${text}::date else loom.read_date(${text}, '${reading.dateOrder}') end`;
    case 'option':
      return optionSql(text, type.options);
    case 'link':
      return `case when ${text} ~ '^[1-9]\\d{0,15}$' then ${text}::bigint end`;
    case 'counterpart':
    case 'formula':
      throw new Error(`a ${type.kind} has no values of its own`);
  }
}

/** By exact label first, then by label in any letter case, then by id, as the core does. */
function optionSql(text: string, options: readonly Option[]): string {
  if (options.length === 0) return 'null::text';
  const byLabel = new Map(options.map(({ id, label }) => [label, id]));
  const bySmall = new Map(options.toReversed().map(({ id, label }) => [label.toLowerCase(), id]));
  const whens = (pairs: Iterable<readonly [string, string]>) => [...pairs].map(([from, to]) => `when ${quoteText(from)} then ${quoteText(to)}`).join(' ');
  return `coalesce(case ${text} ${whens(byLabel)} end, case lower(${text}) ${whens(bySmall)} end, case ${text} ${whens(options.map(({ id }) => [id, id] as const))} end)`;
}

/** SQL for the text that a stored value is converted through: all digits, labels of options. */
export function textSql(value: string, type: FieldType): string {
  switch (type.kind) {
    case 'text':
      return value;
    case 'number':
      return `trim_scale(${value})::text`;
    case 'yesNo':
      return `case ${value} when true then 'yes' when false then 'no' end`;
    case 'option':
      return type.options.length === 0
        ? 'null::text'
        : `case ${value} ${type.options.map(({ id, label }) => `when ${quoteText(id)} then ${quoteText(label)}`).join(' ')} end`;
    default:
      return `${value}::text`;
  }
}

/** SQL for a stored value of one type as another; blank where it does not fit. */
export function conversionSql(value: string, from: FieldType, to: FieldType): string {
  if (from.kind === 'option' && to.kind === 'option')
    return to.options.length === 0 ? 'null::text' : `case when ${value} in (${to.options.map(({ id }) => quoteText(id)).join(', ')}) then ${value} end`;
  return readSql(`btrim(${textSql(value, from)})`, to);
}

/** Ids for options made from labels: clean, readable, each once. */
export function optionId(label: string, taken: ReadonlySet<string>): string {
  const id = keyFromLabel(label, 'option');
  if (!taken.has(id)) return id;
  for (let n = 2; ; n++) if (!taken.has(`${id}_${n}`)) return `${id}_${n}`;
}
