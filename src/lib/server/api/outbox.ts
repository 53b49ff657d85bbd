import Joi from 'joi';
import { wholeNumber } from '../base/numbers';
import { endpoint } from '../http/endpoint';
import { mailStandIn, type MailStandIn } from '../sending/mail';
import { changeMailStandIn, mailOf, messagesOf, messageWhole } from '../sending/outbox';
import { numberAt } from './workspaces';

const standIn = '/api/outbox/stand-in';

export const getOutbox = endpoint({
  method: 'GET',
  path: '/api/outbox',
  summary: 'Messages that you had sent, the newest first; all of them where you manage the Directory',
  query: Joi.object({
    q: Joi.string().allow('').max(200).description('in whom it is for, its subject, its text, or its routine'),
    after: wholeNumber,
    limit: Joi.number().integer().min(1).max(200).default(50),
  }),
  answers: '{items: [{id, at, recipient, subject, body, by, routine}], next}',
  answer: ({ pool, person, query }) => messagesOf(pool, person, query as { q?: string; after?: number; limit: number }),
});

export const getMessage = endpoint({
  method: 'GET',
  path: '/api/outbox/{id}',
  summary: 'A message as a mail program shows it: its headers, its text, its HTML, its attachments',
  answers: '{id, at, recipient, subject, body, by, routine, html, headers, attachments}',
  answer: ({ pool, person, params }) => messageWhole(pool, person, numberAt(params.id)),
});

export const getMail = endpoint({
  method: 'GET',
  path: '/api/outbox/{id}/mail.eml',
  summary: 'A message as it would arrive (RFC 5322)',
  media: ['message/rfc822'],
  answers: 'a file',
  answer: async ({ pool, person, params }) =>
    new Response(await mailOf(pool, person, numberAt(params.id)), {
      headers: {
        'content-type': 'message/rfc822',
        'content-disposition': `attachment; filename="message-${numberAt(params.id)}.eml"`,
      },
    }),
});

export const getMailStandIn = endpoint({
  method: 'GET',
  path: standIn,
  summary: 'How the Outbox answers in a mail service’s stead',
  answers: '{refuses, seconds}',
  answer: ({ pool }) => mailStandIn(pool),
});

export const putMailStandIn = endpoint({
  method: 'PUT',
  path: standIn,
  summary: 'Make the Outbox refuse what it gets, or answer late, so that messages are tried again',
  body: Joi.object({
    refuses: Joi.boolean().default(false),
    seconds: Joi.number().integer().min(0).max(60).default(0).description('from 20 on nobody waits for its answer'),
  }),
  answers: 'null',
  answer: async ({ pool, person, body }) => {
    await changeMailStandIn(pool, person, body as MailStandIn);
    return null;
  },
});
