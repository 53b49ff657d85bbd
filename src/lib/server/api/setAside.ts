import Joi from 'joi';
import { fieldNamed } from '$core/model/model';
import { tableAt } from '../access/workspaceAccess';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere } from '../base/refusal';
import { fixSetAside, setAsideGroups, setAsideTexts, type Fix } from '../entry/setAside';
import { recordId } from '../base/numbers';
import { whole } from '../base/listed';

export const getSetAside = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/set-aside',
  summary: 'What did not fit and waits for repair, by table, field and reason',
  needs: 'see',
  answers: '{items: [{table, field, label, reason, count}], next: null}',
  answer: async ({ pool, access }) => whole(await setAsideGroups(pool, access)),
});

export const getSetAsideTexts = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/fields/{f}/set-aside',
  summary: 'The texts set aside in a field, the most frequent first, with some of their records',
  needs: 'see',
  answers: '{texts: [{text, reason, count, records: [{id, title}]}], different, values}',
  answer: ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const field = fieldNamed(table, params.f ?? '');
    if (!field) throw notHere('field');
    return setAsideTexts(pool, access, table, field);
  },
});

const fix = Joi.object({
  do: Joi.string().valid('replace', 'read', 'formula', 'leave').required(),
  text: Joi.string().max(1_000_000),
  value: Joi.alternatives(Joi.string().max(1_000_000), recordId),
  reading: Joi.object({
    decimal: Joi.string().valid('.', ',').required(),
    dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy').required(),
  }),
  formula: Joi.string().max(20_000),
  try: Joi.boolean().default(false).description('count only; nothing is written'),
})
  .when(Joi.object({ do: 'replace' }).unknown(), { then: Joi.object({ text: Joi.required(), value: Joi.required() }) })
  .when(Joi.object({ do: 'read' }).unknown(), { then: Joi.object({ reading: Joi.required() }) })
  .when(Joi.object({ do: 'formula' }).unknown(), { then: Joi.object({ formula: Joi.required() }) });

export const postFix = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/tables/{t}/fields/{f}/set-aside',
  summary:
    'Fix what was set aside in a field: one text replaced, all read another way or made over by a formula, or left blank',
  needs: 'write',
  body: fix,
  answers: '{batch, fixed, left}; the batch can be undone',
  answer: ({ pool, access, params, body }) => {
    const { try: dry, ...way } = body as Fix & { try: boolean };
    return fixSetAside(pool, access, params.t ?? '', params.f ?? '', way, dry);
  },
});
