import { gazetteer } from '$core/fieldTypes/gazetteer';
import { placeValue } from '$core/fieldTypes/place';
import { quoteText } from '$core/base/sql';
import type { StoredKind } from './kind';

export const place: StoredKind<'place'> = {
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
