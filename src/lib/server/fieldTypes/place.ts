import { gazetteer } from '$core/fieldTypes/gazetteer';
import { longestAddress, placeValue } from '$core/fieldTypes/place';
import { quoteText } from '$core/base/sql';
import type { StoredKind } from './kind';

/** Whether a member of a place is blank or a number of degrees within bounds, written as a value is. */
const degrees = (column: string, name: string, most: number): string =>
  `case when ${column} ->> '${name}' is null then true
    when jsonb_typeof(${column} -> '${name}') = 'string' and ${column} ->> '${name}' ~ '^-?[0-9]{1,3}([.][0-9]{1,6})?$'
      then abs((${column} ->> '${name}')::numeric) <= ${most}
    else false end`;

export const place: StoredKind<'place'> = {
  unfitSql: (column) => `
    (jsonb_typeof(${column}) <> 'object' or loom.place_text(${column}) is null
      or jsonb_typeof(${column} -> 'address') not in ('string', 'null')
      or char_length(${column} ->> 'address') > ${longestAddress}
      or not ${degrees(column, 'latitude', 90)} or not ${degrees(column, 'longitude', 180)}
      or (${column} ->> 'latitude' is null) <> (${column} ->> 'longitude' is null))
  `,
  textSql: (value) => `loom.place_text(${value})`,
  workbookWidth: 28,
  readSql(text) {
    const known = gazetteer.map((one) => {
      const value = quoteText(placeValue({ ...one, address: one.name }));
      return `when ${quoteText(one.name.toLowerCase())} then ${value}::jsonb`;
    });
    return `coalesce(case lower(${text}) ${known.join(' ')} end, loom.read_place(${text}))`;
  },
};
