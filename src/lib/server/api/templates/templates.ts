import Joi from 'joi';
import { looks } from '../../base/looks';
import { contentsOf, linksOutside, takeTables } from '$core/templates/taken';
import { structureDifference } from '$core/changes/difference';
import { alignedTo, namesIn, withIdentities } from '$core/templates/identities';
import type { Template, TemplateHead } from '$core/types/template';
import { authorize, requireRight, tableAt, type WorkspaceAccess } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import { recordId, wholeNumber } from '../../base/numbers';
import { whole } from '../../base/listed';
import { endpoint, workspaceEndpoint } from '../../http/endpoint';
import { changeTemplate, galleryOf, keepTemplate, removeTemplate, templateIn } from '../../templates/gallery';
import { previewOf } from '../../templates/preview';
import { standingSamples } from '../../templates/standingSamples';
import { besideStanding, earlierTemplate, planTemplate, useTemplate, type WishedUse } from '../../templates/uses';
import type { Pool } from '../../database/pool';
import type { Person } from '../../access/workspaceAccess';
import { jsonSchemaOf } from '../jsonSchema';
import { builtTemplate, namesPeople, readTemplate, writeTemplate } from './text';
import { templateSchema } from './templateSchema';

const label = Joi.string().trim().max(120);
/** A template by its place in the gallery, or its text. */
const template = Joi.alternatives(Joi.string().max(63), Joi.object().unknown(true)).description(
  'a template of the gallery by its id, or the text of one',
);
const audience = Joi.array()
  .items(wholeNumber)
  .max(500)
  .allow(null)
  .description('the groups of the Directory that see it; null: everybody in it');
const position = Joi.number().integer().min(0).max(100_000);

const templateOf = async (pool: Pool, person: Person, given: unknown): Promise<Template> =>
  typeof given === 'string' ? templateIn(pool, person, given) : readTemplate(given);

export const listTemplates = endpoint({
  method: 'GET',
  path: '/api/templates',
  summary: 'The gallery: templates that come with the program, and those that the organisation made',
  answers:
    '{items: [{id, ships, name, version, label, description, purpose, dye, icon, tables, samples, by, audience, position, changeable}], next: null}',
  answer: async ({ pool, person }) => whole(await galleryOf(pool, person)),
});

export const getTemplateSchema = endpoint({
  method: 'GET',
  path: '/api/templates/schema',
  summary: 'The JSON Schema of the text of a template (2020-12)',
  answers: 'the schema',
  answer: () =>
    Promise.resolve({
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      title: 'A template of Inner Loom',
      ...jsonSchemaOf(templateSchema),
    }),
});

export const getTemplate = endpoint({
  method: 'GET',
  path: '/api/templates/{id}',
  summary: 'The text of a template',
  answers: 'the template, as it can be sent again',
  answer: ({ pool, person, params }) => templateIn(pool, person, params.id ?? ''),
});

export const postTemplate = endpoint({
  method: 'POST',
  path: '/api/templates',
  summary: 'Put a template in the gallery',
  body: Joi.object({ template: Joi.object().unknown(true).required(), audience, position }),
  answers: '{id}; 409 where that version of it is there',
  answer: async ({ pool, person, body }) => {
    const { template: text, ...place } = body as { template: unknown; audience?: number[] | null; position?: number };
    const read = readTemplate(text);
    builtTemplate(read);
    return keepTemplate(pool, person, read, place);
  },
});

export const patchTemplate = endpoint({
  method: 'PATCH',
  path: '/api/templates/{id}',
  summary: 'Say anew whom a template of the organisation is for, or where it stands in the gallery',
  body: Joi.object({ audience, position }).min(1),
  answers: '{id}',
  answer: async ({ pool, person, params, body }) => {
    await changeTemplate(pool, person, params.id ?? '', body as { audience?: number[] | null; position?: number });
    return { id: params.id };
  },
});

export const deleteTemplate = endpoint({
  method: 'DELETE',
  path: '/api/templates/{id}',
  summary: 'Take a template out of the gallery; what was made with it stays',
  answers: '{id}',
  answer: async ({ pool, person, params }) => {
    await removeTemplate(pool, person, params.id ?? '');
    return { id: params.id };
  },
});

export const compareTemplates = endpoint({
  method: 'POST',
  path: '/api/templates/compare',
  summary: 'In what one version of a template differs from another',
  body: Joi.object({ before: template.required(), now: template.required() }),
  answers: '{difference: [{kind, what, changes: [{of, before, now}]}]}',
  answer: async ({ pool, person, body }) => {
    const { before, now } = body as { before: unknown; now: unknown };
    const [was, will] = await Promise.all([before, now].map((one) => templateOf(pool, person, one)));
    const old = builtTemplate(was as Template).model;
    const fresh = builtTemplate(will as Template).model;
    return { difference: structureDifference(old, withIdentities(fresh, alignedTo(fresh, namesIn(old)))) };
  },
});

export const previewTemplate = endpoint({
  method: 'POST',
  path: '/api/templates/preview',
  summary: 'A workspace in which a template stands with its samples, to be looked at; it goes by itself',
  body: Joi.object({ template: template.required() }),
  answers: '{workspace}; its key',
  answer: async ({ pool, person, body }) => {
    const found = await templateOf(pool, person, (body as { template: unknown }).template);
    return previewOf(pool, person, found, () => builtTemplate(found));
  },
});

const head = {
  name: Joi.string()
    .pattern(/^[a-z][a-z0-9-]{0,62}$/)
    .required(),
  version: Joi.number().integer().min(1).max(1_000_000).default(1),
  label: label.required(),
  description: Joi.string().allow('').max(2000).default(''),
  purpose: Joi.string().allow('').max(120).default(''),
  ...looks,
};

const inWorkspace = '/api/workspaces/{ws}/templates';

export const makeTemplate = workspaceEndpoint({
  method: 'POST',
  path: `${inWorkspace}/made`,
  summary:
    'A template made of tables that stand, those of linked workspaces included, with what goes along and what does not',
  needs: 'design',
  reads: true,
  body: Joi.object({
    ...head,
    tables: Joi.array().items(Joi.string().max(200)).min(1).max(500).required(),
    placeholders: Joi.array()
      .items(Joi.string().max(200))
      .max(500)
      .default([])
      .description('tables that stand for others: those are chosen when it is applied'),
    samples: Joi.number()
      .integer()
      .min(0)
      .max(2_000)
      .default(0)
      .description('so many of the newest records go along as samples; one must be allowed to take data out'),
  }),
  answers:
    '{template, contents: [{word, words, count}], left: [words], outside: [{table, field, label, to, toLabel}]}; `outside`: links to tables that are not taken',
  answer: async ({ pool, access, body }) => {
    const { tables, placeholders, samples, ...rest } = body as TemplateHead & {
      tables: string[];
      placeholders: string[];
      samples: number;
    };
    // What is taken of a linked workspace, too, is taken by who may do so there.
    const homes = new Set(
      [...tables, ...placeholders].flatMap((name) => (name.includes('.') ? name.split('.')[0] : [])),
    );
    const held = [
      access,
      ...(await Promise.all([...homes].map((home) => authorize(pool, access.person, home ?? '', 'design')))),
    ];
    if (samples > 0) for (const one of held) requireRight(one, 'takeOut');
    const { model } = access.workspace;
    const wanted = new Set(tables.map((name) => tableIn(access, name).id));
    const standIns = new Set(placeholders.map((name) => tableIn(access, name).id).filter((id) => !wanted.has(id)));
    const taken = takeTables(model, wanted, standIns);
    const rows = samples > 0 ? await standingSamples(pool, access, taken.model, standIns, samples) : {};
    const text = writeTemplate(taken.model, rest, standIns, rows);
    // What is given out can be read again.
    builtTemplate(readTemplate(JSON.parse(JSON.stringify(text))));
    const path = (one: { readonly key: string; readonly home?: string }) =>
      one.home === undefined ? one.key : `${one.home}.${one.key}`;
    return {
      template: text,
      contents: contentsOf(taken.model),
      left: [...taken.left, ...namesPeople(taken.model)],
      outside: linksOutside(model, new Set([...wanted, ...standIns])).map(({ table, field, to }) => ({
        table: path(table),
        field: field.key,
        label: `${table.label}.${field.label}`,
        to: path(to),
        toLabel: to.label,
      })),
    };
  },
});

/** A table by its key, or that of a linked workspace as `workspace.table`. */
const tableIn = (access: WorkspaceAccess, name: string) => {
  const [home, key] = name.split('.');
  const found =
    key === undefined ? undefined : access.workspace.model.tables.find((one) => one.home === home && one.key === key);
  return found ?? tableAt(access, name);
};

export const besideTemplate = workspaceEndpoint({
  method: 'POST',
  path: `${inWorkspace}/beside`,
  summary: 'The tables of a template beside those that stand: what clashes, and which could take its place',
  needs: 'design',
  reads: true,
  body: Joi.object({ template: template.required() }),
  answers:
    '{tables: [{key, label, placeholder, clash, offers: [{table, label, records, fields, added}]}], earlier: {id, version, at} | null}',
  answer: async ({ pool, access, body }) => {
    const found = await templateOf(pool, access.person, (body as { template: unknown }).template);
    return besideStanding(pool, access, found, builtTemplate(found));
  },
});

export const planOfTemplate = workspaceEndpoint({
  method: 'POST',
  path: `${inWorkspace}/plan`,
  summary: 'A plan that builds a template beside what stands, or brings what came of an earlier version to this one',
  needs: 'design',
  body: Joi.object({
    template: template.required(),
    tables: Joi.object()
      .pattern(
        Joi.string(),
        Joi.alternatives(
          Joi.object({
            use: Joi.string().max(200).required(),
            fields: Joi.object().pattern(Joi.string(), Joi.string()),
          }),
          Joi.object({ key: Joi.string().max(63), label }),
        ),
      )
      .default({})
      .description('by their keys in the template: a table that stands takes its place, or how it is called here'),
    samples: Joi.boolean().default(false).description('with its samples, in the tables that are made'),
    upgrade: Joi.boolean().default(false).description('what was applied here before becomes as this version has it'),
  }),
  answers: '{use, plan: {id, effects, possible}, notes: [words]}; `use` applies it',
  answer: async ({ pool, access, body }) => {
    const {
      template: given,
      tables,
      samples,
      upgrade,
    } = body as {
      template: unknown;
      tables: Record<string, WishedUse>;
      samples: boolean;
      upgrade: boolean;
    };
    const found = await templateOf(pool, access.person, given);
    const earlier = upgrade ? await earlierTemplate(pool, access, found.name) : null;
    if (upgrade && !earlier)
      throw refuse(409, `“${found.label}” was never applied here.`, 'Apply it beside what stands.');
    return planTemplate(pool, access, found, builtTemplate(found), {
      tables,
      samples,
      upgrade: earlier ? { earlier: builtTemplate(earlier.template), names: earlier.names } : null,
    });
  },
});

export const applyUse = workspaceEndpoint({
  method: 'POST',
  path: `${inWorkspace}/apply`,
  summary: 'Apply a planned template: its structure whole or not at all, then its samples',
  needs: 'design',
  body: Joi.object({ use: recordId.min(1).required() }),
  answers: '{batch, tables, samples}',
  answer: ({ pool, access, body }) => useTemplate(pool, access, (body as { use: number }).use),
});
