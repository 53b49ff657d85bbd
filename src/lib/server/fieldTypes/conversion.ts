import { sqlTypeOf } from '$core/formula/compiler';
import { conversionWay, withSpellings } from '$core/fieldTypes/conversion';
import { plainReading, type Reading } from '$core/fieldTypes/kind';
import { formulaType, type EnteredType } from '$core/fieldTypes/registry';
import { quoteText } from '$core/base/sql';
import type { FieldType, Option } from '$core/types/field';
import { readSql, textSql, within } from './registry';

/** The PostgreSQL type of a field type's values. */
const columnTypeOf = (type: FieldType): string => sqlTypeOf(formulaType(type, ''));

const blankOf = (type: FieldType): string => `null::${columnTypeOf(type)}`;

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
      return `
        case when not exists (
          select from jsonb_array_elements(${value}) f where f ->> 'type' not like 'image/%'
        ) then ${value} end
      `;
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
    if (to.currency !== null)
      return `
      case when (${value}).currency = ${quoteText(to.currency)} then ${amount} end
    `;
    return `case when ${amount} is not null then ${value} end`;
  }
  if (to.currency !== null) return own === null || own === to.currency ? within(value, to) : blankOf(to);
  return own === null
    ? blankOf(to)
    : `
      case when ${within(value, to)} is not null then row(trim_scale(${value}), ${quoteText(own)})::loom.money end
    `;
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
    return to.kind === 'option'
      ? one(value)
      : `
      case when ${one(value)} is not null then array[${one(value)}] end
    `;
  if (to.kind === 'option') return `case when cardinality(${value}) = 1 then ${one(`(${value})[1]`)} end`;
  return `
    (
      select case when count(*) = count(x.o) then array_agg(
        distinct x.o collate "C" order by x.o collate "C"
      ) end
      from (select ${one('i')} as o from unnest(${value}) i) x
    )
  `;
}
