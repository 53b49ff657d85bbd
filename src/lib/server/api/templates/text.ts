import { allParts, partOf, printPart } from '$core/parts/parts';
import { emptyModel, ownTables } from '$core/model/model';
import type { BuiltTemplate } from '$core/templates/applied';
import { applyChanges } from '$core/changes/change';
import type { Model, Table } from '$core/types/model';
import type { Template, TemplateHead, SampleRows } from '$core/types/template';
import { refuse } from '../../base/refusal';
import { readChange } from '../changes/changes';
import { changesFromStructure, type StructureJson } from '../changes/structureImport';
import { writtenStructure } from '../writtenStructure';
import { templateFormat, templateSchema } from './templateSchema';

type Json = Readonly<Record<string, unknown>>;

/** So many fields a template has at most: each is a change of the plan that applies it. */
const mostFields = 4_000;

/** What names people and groups of this Directory: elsewhere these numbers are somebody else’s. */
const isPerson = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && Object.keys(value).join() === 'person';
const elsewhere = (name: string, value: unknown): unknown =>
  // Whom it is written to is said anew.
  isPerson(value) ? { formula: "''" } : name === 'groups' && Array.isArray(value) ? [] : value;

/** Parts of a template that name people, by their labels: it has to be said anew whom they mean. */
export const namesPeople = (model: Model): string[] =>
  [model, ...ownTables(model)].flatMap((owner) =>
    allParts(owner).flatMap(({ kind, part }) => {
      const { json } = printPart(model, owner === model ? null : (owner as Table), kind, part);
      const text = JSON.stringify(json);
      return JSON.stringify(json, elsewhere) === text
        ? []
        : [`the ${partOf(kind).word} “${part.label}”: the people and groups that it names`];
    }),
  );

/** Without the people of this Directory; without what shows what is not taken. */
function ofAnybody(whole: Json): Json {
  const kept = Array.isArray(whole.blocks)
    ? { ...whole, blocks: (whole.blocks as Json[]).filter(({ lost }) => lost === undefined) }
    : whole;
  return JSON.parse(JSON.stringify(kept, elsewhere)) as Json;
}

/**
 * A template as its text holds it: tables, fields and parts by their keys and labels, formulas in writing, in an order
 * that stays, so that two versions can be compared line by line.
 */
export function writeTemplate(
  model: Model,
  head: TemplateHead,
  placeholders: ReadonlySet<string>,
  samples: SampleRows,
): Template {
  const own = ownTables(model);
  const { tables, ...beside } = writtenStructure(model, ofAnybody);
  const known = new Set(own.map(({ key }) => key));
  const stands = new Set(own.filter(({ id }) => placeholders.has(id)).map(({ key }) => key));
  return {
    template: templateFormat,
    ...head,
    tables: tables.map(({ fields, ...table }) => ({
      ...table,
      ...(stands.has(String(table.key)) ? { placeholder: true } : {}),
      fields: fields.filter((field) => !isSystemJson(field)),
    })) as unknown as Template['tables'],
    ...beside,
    samples: Object.fromEntries(Object.entries(samples).filter(([key]) => known.has(key))),
  };
}

const systemTypes = ['createdAt', 'createdBy', 'changedAt', 'changedBy'];
const isSystemJson = ({ type }: Json): boolean => systemTypes.includes(String(type));

/** A template that was sent or kept, looked at; refused with the place of what cannot be read. */
export function readTemplate(json: unknown): Template {
  const format = (json as { template?: unknown } | null)?.template;
  if (typeof format === 'number' && format > templateFormat)
    throw refuse(
      422,
      `This template was written by a newer version of the program (format ${format}).`,
      `This one reads format ${templateFormat}: bring the program up to date.`,
      '/template',
    );
  const { value, error } = templateSchema.validate(json);
  if (error)
    throw refuse(
      422,
      `${error.message}.`,
      'GET /api/templates/schema says what a template holds.',
      `/${error.details[0]?.path.join('/') ?? ''}`,
    );
  const template = value as Template;
  const fields = template.tables.reduce((sum, table) => sum + table.fields.length, 0);
  if (fields > mostFields)
    throw refuse(
      422,
      `This template has ${fields.toLocaleString('en')} fields; ${mostFields.toLocaleString('en')} is the most.`,
      'Take fewer tables into it.',
      '/tables',
    );
  return template;
}

/** A template built in an empty model, with fresh identities. Refused where it contradicts itself. */
export function builtTemplate(template: Template): BuiltTemplate {
  const changes = changesFromStructure(emptyModel, template as unknown as StructureJson, readChange({}));
  const built = applyChanges(emptyModel, changes);
  if (!built.ok) throw refuse(422, built.problem.message, built.problem.fix, built.problem.at);
  return { model: built.value.model, changes };
}
