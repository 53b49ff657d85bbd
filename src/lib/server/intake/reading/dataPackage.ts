import Joi from 'joi';
import { refuse } from '../../base/refusal';
import type { Archive } from './archive';
import { delimitedPieces } from './delimited';
import type { DeclaredColumn, DeclaredSheet } from '$core/intake/intake';
import { emptyModel } from '$core/model/model';
import { type Table } from '$core/types/model';
import { dyes } from '$core/types/field';
import { fieldSchema, typeFromJson, typeMembers, type FieldJson } from '../../structure/fieldJson';
import { recordColumn } from '../../export/csv';
import type { Piece } from './piece';

interface TableSchema {
  readonly fields: readonly {
    readonly name: string;
    readonly type?: string;
    readonly title?: string;
    readonly description?: string;
    readonly decimalChar?: string;
    readonly constraints?: {
      readonly required?: boolean;
      readonly unique?: boolean;
      readonly enum?: readonly unknown[];
    };
    /** Our own settings of the field, as programs write them. */
    readonly field?: Readonly<Record<string, unknown>>;
  }[];
  readonly primaryKey?: string | readonly string[];
  readonly foreignKeys?: readonly {
    readonly fields: string | readonly string[];
    readonly reference: { readonly resource: string; readonly fields: string | readonly string[] };
  }[];
}

export interface DataPackage {
  /** What our own export says that it had no place for. */
  readonly without?: readonly string[];
  readonly resources: readonly {
    readonly name: string;
    readonly path: string;
    readonly encoding?: string;
    readonly dialect?: { readonly delimiter?: string; readonly quoteChar?: string };
    readonly schema?: TableSchema;
    readonly title?: string;
    readonly description?: string;
    /** How our own export says that the table looks. */
    readonly table?: { readonly dye?: string; readonly title?: string };
  }[];
}

const names = Joi.alternatives(Joi.string(), Joi.array().items(Joi.string()));
const descriptor = Joi.object({
  without: Joi.array().items(Joi.string().max(200)).max(50),
  resources: Joi.array()
    .items(
      Joi.object({
        name: Joi.string().required(),
        path: Joi.alternatives(Joi.string(), Joi.array().items(Joi.string()).length(1)).required(),
        encoding: Joi.string(),
        dialect: Joi.object({ delimiter: Joi.string().length(1), quoteChar: Joi.string().length(1) }).unknown(),
        schema: Joi.object({
          fields: Joi.array()
            .items(Joi.object({ name: Joi.string().required() }).unknown())
            .required(),
          primaryKey: names,
          foreignKeys: Joi.array().items(
            Joi.object({
              fields: names.required(),
              reference: Joi.object({ resource: Joi.string().allow('').required(), fields: names.required() })
                .unknown()
                .required(),
            }).unknown(),
          ),
        }).unknown(),
      }).unknown(),
    )
    .required(),
}).unknown();

/** A Data Package's descriptor (Data Package 1 and 2, Table Schema), or null where a JSON text is none. */
export function dataPackageIn(text: string): DataPackage | null {
  try {
    const json: unknown = JSON.parse(text);
    const { error } = descriptor.validate(json);
    if (error) return null;
    const { resources, without } = json as DataPackage;
    return {
      ...(without ? { without } : {}),
      resources: resources.map((resource) => ({ ...resource, path: ([] as string[]).concat(resource.path)[0] ?? '' })),
    };
  } catch {
    return null;
  }
}

const list = (given: string | readonly string[]): readonly string[] => (typeof given === 'string' ? [given] : given);

/** What our own export says of a field, as far as it is well made; of others nothing is known here. */
function ownSettings(
  sent: Readonly<Record<string, unknown>>,
  label: string,
): Pick<DeclaredColumn, 'field' | 'link' | 'formula'> {
  const members = Object.fromEntries(Object.entries(sent).filter(([name]) => name in typeMembers));
  const { error, value } = fieldSchema.validate(
    { label, ...members, shows: undefined, candidates: undefined },
    { stripUnknown: { objects: true } },
  );
  if (error) return {};
  const json = value as FieldJson;
  const { counterpart, onDelete, many } = json;
  if (json.type === 'link')
    return {
      link: { ...(onDelete ? { onDelete } : {}), ...(many ? { many } : {}), ...(counterpart ? { counterpart } : {}) },
    };
  if (json.type === 'formula') return { formula: json.formula ?? '' };
  const table: Table = { id: '', key: '', label: '', description: '', dye: 'slate', title: null, fields: [] };
  return { field: typeFromJson(emptyModel, table, json, { id: '', key: '', label }) };
}

function tableSettings({ title, description, table }: DataPackage['resources'][number]): DeclaredSheet['table'] {
  const dye = dyes.find((one) => one === table?.dye);
  return {
    ...(typeof title === 'string' ? { label: title } : {}),
    ...(typeof description === 'string' ? { description } : {}),
    ...(dye ? { dye } : {}),
    ...(typeof table?.title === 'string' ? { title: table.title } : {}),
  };
}

/** What the package declares of one of its tables. */
export function declaredIn(
  { resources }: DataPackage,
  path: string,
): { readonly name: string; readonly declared: DeclaredSheet } | null {
  const resource = resources.find((one) => one.path === path || one.path.split('/').at(-1) === path);
  if (!resource) return null;
  const { name, schema } = resource;
  if (!schema) return { name, declared: { header: true } };
  return {
    name,
    declared: {
      header: true,
      columns: schema.fields.map(
        ({ name: column, type = 'any', title, description, constraints, decimalChar, field }) => ({
          name: column,
          type,
          ...(typeof title === 'string' && title ? { title } : {}),
          ...(typeof description === 'string' && description ? { description } : {}),
          ...(decimalChar === ',' ? { decimal: ',' as const } : {}),
          ...(constraints?.required ? { required: true } : {}),
          ...(constraints?.unique ? { unique: true } : {}),
          ...(Array.isArray(constraints?.enum) ? { options: constraints.enum.map(String) } : {}),
          ...(field ? ownSettings(field, title ?? column) : {}),
        }),
      ),
      ...(schema.fields.some(({ name: column }) => column === recordColumn) ? { record: recordColumn } : {}),
      ...(resource.table ? { table: tableSettings(resource) } : {}),
      ...(schema.primaryKey ? { key: list(schema.primaryKey) } : {}),
      links: [
        // An empty name means the table itself.
        ...(schema.foreignKeys ?? []).map(({ fields, reference }) => ({
          columns: list(fields),
          sheet: reference.resource || name,
          to: list(reference.fields),
        })),
        // Links to several are no keys of the standard; our own packages name their table beside the column.
        ...schema.fields.flatMap(({ name: column, field }) =>
          field?.type === 'link' && field.many === true && resources.some((other) => other.name === field.to)
            ? [{ columns: [column], sheet: field.to as string, to: [recordColumn] }]
            : [],
        ),
      ],
    },
  };
}

/** The tables of a package that came as one archive. */
export async function* dataPackagePieces(archive: Archive, part: string, file: string): AsyncGenerator<Piece, void> {
  const found = dataPackageIn(await archive.text(part));
  if (!found)
    throw refuse(
      422,
      `${file} has a datapackage.json that describes no tables.`,
      'Bring its CSV files in by themselves.',
    );
  const folder = part.slice(0, -'datapackage.json'.length);
  for (const { path, name, encoding = 'utf-8', dialect } of found.resources) {
    if (!archive.has(folder + path))
      throw refuse(422, `${file} names ${path}, which is not in it.`, 'Bring in the whole package.');
    const declared = declaredIn(found, path)?.declared;
    for await (const piece of delimitedPieces(archive.chunks(folder + path), path, {
      encoding,
      delimiter: dialect?.delimiter ?? ',',
      quote: dialect?.quoteChar ?? '"',
      asWritten: true,
    }))
      yield piece.kind === 'sheet' ? { kind: 'sheet', name, ...(declared ? { declared } : {}) } : piece;
    if (path === found.resources[0]?.path && found.without)
      yield { kind: 'note', text: `the package has no place for, and is without: ${found.without.join(', ')}` };
  }
}
