import { workspaceEndpoint } from '../http/endpoint';
import { eventStream } from '../live/events';

export const getEvents = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/events',
  summary: 'Server-sent events: what changed',
  role: 'reader',
  streams: true,
  answers: 'text/event-stream of {workspace, batch, tables}',
  answer: ({ event, seat }) => Promise.resolve(eventStream(event.locals.listener, seat.workspace.id)),
});
