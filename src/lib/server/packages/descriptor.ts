import { quoteIdentifier } from '$core/base/sql';
import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { recordColumn } from '../export/csv';
import { places, type PackedWorkspace } from './format';
import { linkedSheet, type Sheet } from './sheets';

/** A file of a package: its contents by their SHA-256, in bytes, with its media type. */
export interface PackedFile {
  readonly hash: string;
  readonly size: number;
  readonly type: string;
}

/** The types of Table Schema (version 1) that the texts of values are read by. */
const schemaTypes: Partial<Record<string, Readonly<Record<string, unknown>>>> = {
  number: { type: 'number' },
  boolean: { type: 'boolean', trueValues: ['true'], falseValues: ['false'] },
  date: { type: 'date' },
  timestamp: { type: 'datetime' },
  duration: { type: 'integer', description: 'in seconds' },
  place: { type: 'object' },
  files: { type: 'array' },
  record: { type: 'integer' },
};

/** The columns of what was set aside, which has a sheet of its own. */
export const asideColumns = ['workspace', 'table', 'record', 'field', 'text', 'reason'] as const;

const dialect = { delimiter: ',', quoteChar: '"', doubleQuote: true, lineTerminator: '\n', header: true };
const tabular = { profile: 'tabular-data-resource', encoding: 'utf-8', dialect };

/**
 * The descriptor of a package (Data Package, version 1): each table a resource with its Table Schema, keys and foreign
 * keys, the structure and each file one without.
 */
export function descriptorOf(
  workspaces: readonly PackedWorkspace[],
  sheets: readonly Sheet[],
  files: readonly PackedFile[],
): object {
  const [first] = workspaces;
  return {
    profile: 'data-package',
    name: first?.key ?? 'workspace',
    title: workspaces.map(({ label }) => label).join(', '),
    ...(first?.description ? { description: first.description } : {}),
    resources: [
      {
        name: 'structure',
        profile: 'data-resource',
        path: places.structure,
        format: 'json',
        mediatype: 'application/json',
      },
      ...sheets.map((sheet) => resourceOf(sheet, sheets)),
      {
        ...tabular,
        name: 'set_aside',
        title: 'Values set aside',
        path: places.aside,
        schema: {
          fields: asideColumns.map((name) => ({ name, type: name === 'record' ? 'integer' : 'string' })),
          missingValues: [],
        },
      },
      ...files.map(({ hash, size, type }) => ({
        name: hash,
        profile: 'data-resource',
        path: places.file(hash),
        mediatype: type,
        bytes: size,
        hash: `sha256:${hash}`,
      })),
    ],
  };
}

function resourceOf(sheet: Sheet, sheets: readonly Sheet[]): object {
  const foreignKeys = sheet.columns.flatMap(({ name, field }) => {
    const to = linkedSheet(sheets, field);
    return to ? [{ fields: [name], reference: { resource: to === sheet ? '' : to.name, fields: [recordColumn] } }] : [];
  });
  return {
    ...tabular,
    name: sheet.name,
    title: sheet.title,
    ...(sheet.table.description ? { description: sheet.table.description } : {}),
    path: places.data(sheet.name),
    schema: {
      fields: [
        { name: recordColumn, type: 'integer', constraints: { required: true, unique: true } },
        ...sheet.columns.map(({ name, field }) => fieldSchema(name, field)),
      ],
      primaryKey: [recordColumn],
      missingValues: [''],
      // By the standard a list of keys has one at least.
      ...(foreignKeys.length > 0 ? { foreignKeys } : {}),
    },
  };
}

function fieldSchema(name: string, field: Field): object {
  const constraints = {
    ...(field.required === true ? { required: true } : {}),
    ...(field.unique ? { unique: true } : {}),
  };
  return {
    name,
    title: field.label,
    ...(field.help ? { description: field.help } : {}),
    ...(schemaTypes[valueTypeOf(field).is] ?? { type: 'string' }),
    ...(Object.keys(constraints).length > 0 ? { constraints } : {}),
  };
}

/** The columns that a sheet’s file has to have, in their order. */
export const columnsOf = ({ columns }: Sheet): string[] => [recordColumn, ...columns.map(({ name }) => name)];

/** The same as a table’s columns. */
export const stagedColumns = (names: readonly string[]): string =>
  names.map((name) => `${quoteIdentifier(name)} text`).join(', ');
