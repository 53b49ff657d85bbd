import Joi from 'joi';
import { checkCondition } from '$core/formula/checker';
import { fieldNamed, isStored } from '$core/model/model';
import { likenesses, type Likeness } from '$core/transfer/duplicates';
import type { Expression } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { recordId } from '../base/numbers';
import { refuse } from '../base/refusal';
import { whole } from '../base/listed';
import { workspaceEndpoint } from '../http/endpoint';
import { splitExceptions } from '../transfer/exceptions';
import { findDuplicates, forgetApart, isComparable, keepApart, keptApart } from '../transfer/duplicates';

const ofTable = '/api/workspaces/{ws}/tables/{t}';
const records = Joi.object({ records: Joi.array().items(recordId).min(2).max(100).required() });

function comparedField(table: Table, name: string, at: string): Field {
  const field = fieldNamed(table, name);
  if (!field) throw refuse(422, `${table.label} has no field “${name}”.`, 'Use a key from the model.', at);
  if (!isComparable(field))
    throw refuse(422, `Records cannot be told alike by “${field.label}”.`, 'Choose another field.', at);
  return field;
}

function conditionOf(access: WorkspaceAccess, table: Table, text: string): Expression | null {
  if (text.trim() === '') return null;
  const { expression, problems } = checkCondition(access.workspace.model, table.id, text);
  if (!expression) throw refuse(422, problems[0]?.message ?? 'This is no condition.', problems[0]?.fix, '/where');
  return expression;
}

export const postDuplicates = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/duplicates`,
  summary: 'Records that are probably one thing, the likeliest groups first',
  needs: 'see',
  reads: true,
  body: Joi.object({
    by: Joi.array().items(Joi.string().max(200)).min(1).max(8).required().description('the fields they are alike by'),
    how: Joi.string()
      .valid(...likenesses)
      .default('near')
      .description('the same texts; the same but for case, blanks, signs and order; or as when somebody mistypes'),
    where: Joi.string().allow('').max(20_000).default(''),
  }),
  answers: '{items: [{score, records: [{id, title}]}], next: null, compared, left}',
  answer: ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { by, how, where } = body as { by: string[]; how: Likeness; where: string };
    const fields = by.map((name, at) => comparedField(table, name, `/by/${at}`));
    return findDuplicates(pool, access, table, fields, how, conditionOf(access, table, where));
  },
});

export const postExceptions = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/exceptions`,
  summary: 'Where records of one key say different things in fields that the key is to decide',
  needs: 'see',
  reads: true,
  body: Joi.object({
    by: Joi.array().items(Joi.string().max(200)).min(1).max(20).required(),
    fields: Joi.array().items(Joi.string().max(200)).min(1).max(200).required(),
  }),
  answers: '{items: [{key, field, where, values: [{text, formula, count}]}], next: null, count}',
  answer: ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { by, fields } = body as { by: string[]; fields: string[] };
    const all = (names: readonly string[], at: string) =>
      names.map((name, place) => {
        const field = fieldNamed(table, name);
        if (!field || !isStored(field))
          throw refuse(
            422,
            `${table.label} has no field “${name}” with values of its own.`,
            undefined,
            `${at}/${place}`,
          );
        return field;
      });
    return splitExceptions(pool, access, table, all(by, '/by'), all(fields, '/fields'));
  },
});

export const getKeptApart = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/never-same`,
  summary: 'Pairs of records that somebody said are not the same thing',
  needs: 'see',
  answers: '{items: [{records: [{id, title}], by, at}], next: null}',
  answer: async ({ pool, access, params }) => whole(await keptApart(pool, access, tableAt(access, params.t ?? ''))),
});

export const postKeptApart = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/never-same`,
  summary: 'Say that records are not the same thing: they are no longer proposed as duplicates',
  needs: 'write',
  body: records,
  answers: '{pairs}',
  answer: ({ pool, access, params, body }) =>
    keepApart(pool, access, tableAt(access, params.t ?? ''), (body as { records: number[] }).records),
});

export const deleteKeptApart = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/never-same`,
  summary: 'Forget that records are not the same thing',
  needs: 'write',
  body: records,
  answers: 'null',
  answer: async ({ pool, access, params, body }) => {
    await forgetApart(pool, access, tableAt(access, params.t ?? ''), (body as { records: number[] }).records);
    return null;
  },
});
