import { and, eq, isNull, sql } from 'drizzle-orm';
import Joi from 'joi';
import { standingView } from '$core/views/viewJson';
import { authorize, tableAt } from '../../access/workspaceAccess';
import { requireNoLess } from '../../access/limits';
import { hashOfSecret, newSecret } from '../../access/secrets';
import { whole } from '../../base/listed';
import { notHere, Refusal, refuse } from '../../base/refusal';
import { calendarAddresses, people } from '../../database/catalogue';
import { catalogueOn } from '../../database/pool';
import { calendarOf } from '../../export/calendar';
import { endpoint, workspaceEndpoint, type WorkspaceCall } from '../../http/endpoint';
import { viewNamed } from '../../structure/views';
import { numberAt } from '../workspaces';

const path = '/api/workspaces/{ws}/tables/{t}/views/{id}/calendar';

/** The addresses that somebody made of a view. */
const mine = ({ access, params }: WorkspaceCall, view: string) =>
  and(
    eq(calendarAddresses.workspace, access.workspace.id),
    eq(calendarAddresses.tableId, tableAt(access, params.t ?? '').id),
    eq(calendarAddresses.viewId, view),
    eq(calendarAddresses.person, access.person.id),
  );
const viewOf = ({ pool, access, params }: WorkspaceCall) =>
  viewNamed(pool, access, tableAt(access, params.t ?? ''), params.id ?? '');

export const getCalendarAddresses = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'Your secret addresses of a calendar view: when each was made and last read; never the secret',
  needs: 'takeOut',
  answers: '{items: [{id, madeAt, readAt}], next: null}',
  answer: async (call) => {
    const view = await viewOf(call);
    const { id, madeAt, readAt } = calendarAddresses;
    return whole(
      await catalogueOn(call.pool)
        .select({ id, madeAt, readAt })
        .from(calendarAddresses)
        .where(mine(call, view.id))
        .orderBy(id),
    );
  },
});

export const postCalendarAddress = workspaceEndpoint({
  method: 'POST',
  path,
  summary: 'Make a secret address at which programs read a calendar view, as you see it (iCalendar)',
  needs: 'takeOut',
  body: Joi.object({}),
  shownOnce: true,
  answers: '{id, url}; the address is shown only now',
  answer: async (call) => {
    const { pool, access, params, event } = call;
    requireNoLess(access.person);
    const table = tableAt(access, params.t ?? '');
    const view = standingView(access.workspace.model, table, await viewOf(call));
    if (view.kind !== 'calendar' || !view.by)
      throw refuse(422, `“${view.label}” is no calendar.`, 'Show it as a calendar and save it first.');
    const secret = newSecret();
    const [made] = await catalogueOn(pool)
      .insert(calendarAddresses)
      .values({
        hash: hashOfSecret(secret),
        workspace: access.workspace.id,
        tableId: table.id,
        viewId: view.id,
        person: access.person.id,
      })
      .returning({ id: calendarAddresses.id });
    return { id: made?.id ?? 0, url: `${event.url.origin}/api/calendars/${secret}` };
  },
});

export const deleteCalendarAddress = workspaceEndpoint({
  method: 'DELETE',
  path: `${path}/{a}`,
  summary: 'End one of your addresses of a calendar view',
  needs: 'see',
  answers: '{}',
  answer: async (call) => {
    const view = await viewOf(call);
    const gone = await catalogueOn(call.pool)
      .delete(calendarAddresses)
      .where(and(mine(call, view.id), eq(calendarAddresses.id, numberAt(call.params.a))))
      .returning({ id: calendarAddresses.id });
    if (gone.length === 0) throw notHere('address');
    return {};
  },
});

export const getCalendar = endpoint({
  method: 'GET',
  path: '/api/calendars/{secret}',
  summary: 'A calendar view at its secret address, as whoever made that sees it now',
  open: true,
  answers: 'text/calendar (RFC 5545)',
  media: ['text/calendar'],
  answer: async ({ pool, params, event }) => {
    const db = catalogueOn(pool);
    const hash = hashOfSecret(params.secret ?? '');
    const [found] = await db
      .select({ address: calendarAddresses, person: { id: people.id, email: people.email, name: people.name } })
      .from(calendarAddresses)
      .innerJoin(people, and(eq(people.id, calendarAddresses.person), isNull(people.deactivatedAt)))
      .where(eq(calendarAddresses.hash, hash));
    if (!found) throw notHere('calendar');
    const { address, person } = found;
    const access = await authorize(pool, person, String(address.workspace), 'takeOut').catch((error: unknown) => {
      if (error instanceof Refusal && error.status !== 503) return null;
      throw error;
    });
    const table = access && access.workspace.model.tables.find(({ id }) => id === address.tableId);
    if (!access || !table) throw notHere('calendar');
    const view = standingView(access.workspace.model, table, await viewNamed(pool, access, table, address.viewId));
    const text = await calendarOf(pool, access, table, view, event.url.origin);
    if (text === null) throw notHere('calendar');
    await db
      .update(calendarAddresses)
      .set({ readAt: sql`now()` })
      .where(eq(calendarAddresses.hash, hash));
    return new Response(text, { headers: { 'content-type': 'text/calendar; charset=utf-8' } });
  },
});
