import Joi from 'joi';
import { tableAt, authorize } from '../access/workspaceAccess';
import { poolBehind } from '../database/reading';
import { refuse } from '../base/refusal';
import { workspaceEndpoint } from '../http/endpoint';
import { recordId } from '../base/numbers';
import { eventStream } from '../live/events';
import { tellPresence } from '../live/presence';

export const getEvents = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/events',
  summary: 'Server-sent events: what changed',
  needs: 'see',
  streams: true,
  media: ['text/event-stream'],
  answers:
    'text/event-stream of {workspace, batch, tables}, and under the name “here” who is where: [{tab, person, name, table, record, field}]',
  answer: ({ event, access }) => {
    // One look serves all of a person's streams, so it does not end with the one that asked for it.
    const reads = poolBehind(event.locals.reads);
    return Promise.resolve(
      eventStream(event.locals.listener, access, async () => {
        // A token may be over or revoked by now.
        if (access.person.limits && !(await event.locals.caller(false)))
          throw refuse(401, 'The token is over.', 'Make another one.');
        return authorize(reads, access.person, String(access.workspace.id), 'see');
      }),
    );
  },
});

export const putPresence = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/presence',
  reads: true,
  summary: 'Say where an open page is, for others who are there; now and then again, and once when it is left',
  needs: 'see',
  body: Joi.object({
    tab: Joi.string().max(40).required(),
    table: Joi.string().allow(null).default(null),
    record: recordId.allow(null).default(null),
    field: Joi.string().max(63).allow(null).default(null),
    gone: Joi.boolean(),
  }),
  answers: '{}',
  answer: async ({ pool, access, body }) => {
    const { tab, table, record, field, gone } = body as {
      tab: string;
      table: string | null;
      record: number | null;
      field: string | null;
      gone?: boolean;
    };
    const shown = table === null ? null : tableAt(access, table);
    const known = field !== null && shown?.fields.some(({ key }) => key === field) ? field : null;
    await tellPresence(pool, {
      workspace: access.workspace.id,
      tab,
      person: access.person.id,
      name: access.person.name,
      table: shown?.id ?? null,
      record: shown ? record : null,
      field: known,
      ...(gone ? { gone: true as const } : {}),
    });
    return {};
  },
});
