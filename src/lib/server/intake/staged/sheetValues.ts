import type { ColumnProfile } from '$core/intake/intake';
import { fieldOf, isToMany } from '$core/model/model';
import { quoteText } from '$core/base/sql';
import type { EnteredType, Reading } from '$core/fieldTypes/registry';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { readSql } from '../../fieldTypes/registry';
import { cleanedSql } from './cleaning';
import type { ValueOfColumn } from '../load/intoExisting';
import type { LoadedSheet } from '../load/loadedSheet';
import { linkColumn, type Loading } from '../load/targets';

/** The values of a sheet's columns that come from its own texts alone: all but links. */
export function ownValues(access: WorkspaceAccess, { sheet, mapping }: LoadedSheet): ValueOfColumn[] {
  const constants = (mapping.constants ?? []).map(({ field: id, text }): ValueOfColumn => {
    const { field } = fieldOf(access.workspace.model, id);
    return { column: null, field, text: quoteText(text), value: readSql(quoteText(text), field.type as EnteredType) };
  });
  const read = mapping.columns.flatMap(({ column, field: id, reading, clean }) => {
    const { field } = fieldOf(access.workspace.model, id);
    if (field.type.kind === 'link' || isToMany(field)) return [];
    const text = cleanedSql('s', column, clean);
    return [
      {
        column,
        field,
        text,
        value: valueSql(sheet.columns[column], text, field.type as EnteredType, reading, clean !== undefined),
      },
    ];
  });
  return [...read, ...constants];
}

/** All values of a sheet's rows, in the order in which they are written, with the joins that links need. */
export function valuesOf(
  loading: Loading,
  loaded: LoadedSheet,
): { readonly values: readonly ValueOfColumn[]; readonly joins: readonly string[] } {
  const joins: string[] = [];
  const links = loaded.mapping.columns.flatMap((one): ValueOfColumn[] => {
    const link = linkColumn(loading, loaded, one);
    return link && !link.many
      ? [{ column: one.column, field: link.field, text: link.text, value: link.found(joins) }]
      : [];
  });
  return { values: [...ownValues(loading.access, loaded), ...links], joins };
}

/** Texts that the profile proved castable on every row are cast bare; all others go through the guards of `readSql`. */
function valueSql(
  profile: ColumnProfile | undefined,
  text: string,
  type: EnteredType,
  reading: Reading,
  cleaned: boolean,
): string {
  if (cleaned) return readSql(text, type, reading);
  if (profile?.plain === 'date' && type.kind === 'date') return `${text}::date`;
  const keepsDigits = type.kind === 'number' && (type.digits === null || (profile?.digits ?? Infinity) <= type.digits);
  if (profile?.plain === 'number' && reading.decimal === '.' && keepsDigits) return `${text}::numeric`;
  return readSql(text, type, reading);
}
