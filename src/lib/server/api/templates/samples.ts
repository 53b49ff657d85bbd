import Joi from 'joi';
import { tableAt } from '../../access/workspaceAccess';
import { whole } from '../../base/listed';
import { workspaceEndpoint } from '../../http/endpoint';
import { removeSamples, samplesIn } from '../../samples/keep';
import { makeSamples, mostSamples } from '../../samples/make';

export const listSamples = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/samples',
  summary: 'How many sample records stand in each table',
  needs: 'see',
  answers: '{items: [{table, label, count}], next: null}; tables without any are left out',
  answer: async ({ pool, access }) =>
    whole(
      (await samplesIn(pool, access)).map(({ table, ids }) => ({
        table: table.key,
        label: table.label,
        count: ids.length,
      })),
    ),
});

export const postSamples = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/tables/{t}/samples',
  summary: 'Make sample records up: by the fields, their labels and what stands in the table',
  needs: 'write',
  body: Joi.object({
    count: Joi.number().integer().min(1).max(mostSamples).required(),
    seed: Joi.number()
      .integer()
      .min(0)
      .max(2 ** 31)
      .default(1)
      .description('the same number over the same records makes the same samples'),
  }),
  answers: '{made, batches}',
  answer: ({ pool, access, params, body }) => {
    const { count, seed } = body as { count: number; seed: number };
    return makeSamples(pool, access, params.t ?? '', count, seed);
  },
});

export const deleteSamples = workspaceEndpoint({
  method: 'DELETE',
  path: '/api/workspaces/{ws}/samples',
  summary: 'Delete the sample records that stand, of all tables or of some',
  needs: 'write',
  body: Joi.object({ tables: Joi.array().items(Joi.string().max(200)).max(500) }),
  answers: '{removed}',
  answer: ({ pool, access, body }) => {
    const { tables } = (body ?? {}) as { tables?: string[] };
    return removeSamples(
      pool,
      access,
      tables?.map((name) => tableAt(access, name)),
    );
  },
});
