import { plainReading } from '../../fieldTypes/kind';
import type { ColumnProfile, ColumnType, DeclaredColumn, FoundLink, IntakeSheet } from '../intake';

/** What a link's `match` says where targets are identified by a column that becomes no field. */
export const recordMatch = '_record';

/** What the types of Table Schema are here; all others are taken as their profile says. */
const columnTypeOf: Readonly<Record<string, ColumnType>> = {
  string: 'text',
  number: 'number',
  integer: 'number',
  year: 'number',
  boolean: 'yesNo',
  date: 'date',
  datetime: 'dateTime',
  duration: 'duration',
};

/** A sheet whose columns are what the file itself declares them to be: types, names, keys. */
export function withDeclared(sheet: IntakeSheet): IntakeSheet {
  const { declared } = sheet;
  if (!declared) return sheet;
  const columns = sheet.columns.map((profile) => {
    const known = declared.columns?.find(({ name }) => name === profile.name);
    return known ? asDeclared(profile, known) : profile;
  });
  const named = (name: string) => columns.findIndex((column) => column.name === name);
  // A key that the rows deny is none.
  const [only, ...others] = declared.key ?? [];
  const key = only === undefined || others.length > 0 || only === declared.record ? -1 : named(only);
  const keys = key >= 0 && sheet.unique.includes(key) ? [key, ...sheet.keys.filter((one) => one !== key)] : sheet.keys;
  return { ...sheet, columns, keys };
}

function asDeclared(profile: ColumnProfile, declared: DeclaredColumn): ColumnProfile {
  const type = declared.options ? 'option' : columnTypeOf[declared.type];
  if (
    type === undefined ||
    (declared.type === 'string' &&
      profile.type !== 'text' &&
      declared.field === undefined &&
      profile.leadingZeros === false &&
      isSofter(profile.type))
  )
    return { ...profile, declared };
  const written = type === 'text' || type === 'option';
  const fitting = written ? profile.filled : profile.fits[type];
  const { several: _, misspellings: __, ...rest } = profile;
  return {
    ...rest,
    declared,
    type,
    evidence: `the file declares it: ${declared.type}${declared.options ? `, one of ${declared.options.length}` : ''}`,
    reading: { ...plainReading, ...(declared.decimal ? { decimal: declared.decimal } : {}) },
    digits: type === 'number' ? (declared.type === 'number' ? profile.digits : 0) : null,
    misfits: profile.filled - fitting,
    ...(written ? { misfitSamples: [], blankWords: [], units: [] } : {}),
    ...(declared.options
      ? {
          values: declared.options.map((text) => ({
            text,
            count: profile.values.find((one) => one.text === text)?.count ?? 0,
          })),
        }
      : {}),
  };
}

/** A declared string may be shown as more than a text where its values are all of a kind that is written as text. */
const isSofter = (type: ColumnType): boolean => ['email', 'url', 'phone', 'option', 'options'].includes(type);

/** The links that sheets declare, by place; what they hold is counted elsewhere. */
export function declaredLinks(sheets: readonly IntakeSheet[]): Pick<FoundLink, 'from' | 'to' | 'also' | 'separator'>[] {
  return sheets.flatMap((sheet, index) =>
    (sheet.declared?.links ?? []).flatMap(({ columns, sheet: name, to }) => {
      const target = sheets.findIndex((other) => other.file === sheet.file && other.name === name && !other.derived);
      const anywhere = target >= 0 ? target : sheets.findIndex((other) => other.name === name && !other.derived);
      const place = (at: number, column: string | undefined) =>
        sheets[at]?.columns.findIndex(({ name: one }) => one === column) ?? -1;
      const pairs = columns.map((column, at) => ({ from: place(index, column), to: place(anywhere, to[at]) }));
      const [first, second, third] = pairs;
      if (!first || third || pairs.some((pair) => pair.from < 0 || pair.to < 0)) return [];
      const many = sheet.columns[first.from]?.declared?.link?.many;
      return [
        {
          from: { sheet: index, column: first.from },
          to: { sheet: anywhere, column: first.to },
          ...(second ? { also: second } : {}),
          ...(many ? { separator: ';' } : {}),
        },
      ];
    }),
  );
}
