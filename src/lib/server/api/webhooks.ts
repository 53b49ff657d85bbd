import Joi from 'joi';
import { workspaceEndpoint } from '../http/endpoint';
import { wholeNumber } from '../base/numbers';
import {
  changeWebhook,
  deleteWebhook,
  deliveriesOf,
  makeWebhook,
  replay,
  webhooksOf,
  type WebhookChange,
  type WebhookWish,
} from '../webhooks/webhooks';
import { numberAt } from './workspaces';

const path = '/api/workspaces/{ws}/webhooks';
const label = Joi.string().trim().min(1).max(120);
const url = Joi.string().trim().max(2_000);

export const getWebhooks = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'The webhooks of a workspace: what is told to which address, and whether it arrives; never their secrets',
  needs: 'routines',
  answers:
    '{items: [{id, label, table, tableLabel, view, viewLabel, url, state, madeAt, by, person, waiting, problem}], next: null}',
  answer: async ({ pool, access }) => ({ items: await webhooksOf(pool, access), next: null }),
});

export const postWebhook = workspaceEndpoint({
  method: 'POST',
  path,
  summary: 'Make a webhook: changes of a table, or of what a shared view shows, are sent to an address as you see them',
  needs: 'routines',
  body: Joi.object({
    label: label.required(),
    table: Joi.string().max(63).required().description('by key or id'),
    view: Joi.string().max(120).description('a shared view by id or name: its filter and its fields'),
    url: url.required(),
  }),
  shownOnce: true,
  answers: 'the webhook with the secret that signs what it sends, as `secret`',
  answer: ({ pool, access, body }) => makeWebhook(pool, access, body as WebhookWish),
});

export const patchWebhook = workspaceEndpoint({
  method: 'PATCH',
  path: `${path}/{id}`,
  summary: 'Change a webhook, stop it, or let it go on: with what did not arrive, or (passOver) without that',
  needs: 'routines',
  body: Joi.object({ label, url, state: Joi.string().valid('on', 'stopped'), passOver: Joi.boolean() }).min(1),
  answers: 'the webhook',
  answer: ({ pool, access, params, body }) => changeWebhook(pool, access, numberAt(params.id), body as WebhookChange),
});

export const removeWebhook = workspaceEndpoint({
  method: 'DELETE',
  path: `${path}/{id}`,
  summary: 'Delete a webhook with its log',
  needs: 'routines',
  answers: '{}',
  answer: async ({ pool, access, params }) => {
    await deleteWebhook(pool, access, numberAt(params.id));
    return {};
  },
});

export const getDeliveries = workspaceEndpoint({
  method: 'GET',
  path: `${path}/{id}/deliveries`,
  summary: 'What a webhook sent in the last 30 days, newest first: tries, answers, and what waits',
  needs: 'routines',
  query: Joi.object({ after: wholeNumber, limit: Joi.number().integer().min(1).max(500).default(50) }),
  answers: '{items: [{id, batch, at, state, tries, nextAt, sentAt, status, answer, body}], next}',
  answer: ({ pool, access, params, query }) =>
    deliveriesOf(pool, access, numberAt(params.id), query as { after?: number; limit: number }),
});

export const postReplay = workspaceEndpoint({
  method: 'POST',
  path: `${path}/{id}/deliveries/{delivery}/replay`,
  summary: 'Send a delivery again, just as it was, under its number',
  needs: 'routines',
  answers: '{}',
  answer: async ({ pool, access, params }) => {
    await replay(pool, access, numberAt(params.id), numberAt(params.delivery));
    return {};
  },
});
