import ical from 'ical-generator';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { View } from '$core/types/view';
import { findField, valueTypeOf } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { recordPages } from './cells';

/** So many records are in one calendar, the latest of them. */
const most = 10_000;
/** In seconds: how often a program that subscribes to it should look again. */
const lookedAt = 3_600;

/**
 * A calendar view as iCalendar (RFC 5545): each record on its day, or until its last one, with its title and an address
 * at which it is opened. Null where the view has no day that stands.
 */
export async function calendarOf(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  view: View,
  origin: string,
): Promise<string | null> {
  const { model, key } = access.workspace;
  const fieldAt = (id: string | null | undefined): Field | null => (id ? (findField(model, id)?.field ?? null) : null);
  const [by, until, title] = [fieldAt(view.by), fieldAt(view.until), fieldAt(table.title)];
  if (!by) return null;
  const fields = [...new Set([by, ...(until ? [until] : []), ...(title ? [title] : [])])];
  const calendar = ical({
    name: `${table.label}: ${view.label}`,
    prodId: { company: 'Inner Loom', product: 'Inner Loom', language: 'EN' },
    ttl: lookedAt,
  });
  const selected = { table, fields, filter: view.filter, sort: [{ field: by.id, descending: true }] };
  let left = most;
  for await (const page of recordPages(pool, access, selected)) {
    for (const { id, values } of page) {
      const from = values[by.key];
      if (typeof from !== 'string') continue;
      if (left-- <= 0) return calendar.toString();
      const to = until ? values[until.key] : null;
      calendar.createEvent({
        id: `${key}.${table.key}.${id}@inner-loom`,
        ...timesOf(from, typeof to === 'string' && to >= from ? to : from, valueTypeOf(by).is === 'timestamp'),
        summary: title ? wordsOf(values[title.key], id) : `#${id}`,
        url: `${origin}/w/${key}/t/${table.key}/r/${id}`,
      });
    }
  }
  return calendar.toString();
}

/** A title as text: of a link or a person that one. */
function wordsOf(value: unknown, id: number): string {
  if (value === null || value === undefined) return `#${id}`;
  if (typeof value !== 'object') return String(value as string | number | boolean);
  const { title, name } = value as { title?: string; name?: string };
  return title ?? name ?? `#${id}`;
}

/** Whole days end before the one after the last (RFC 5545, 3.6.1); a moment lasts an hour where nothing says how long. */
function timesOf(from: string, to: string, isMoment: boolean) {
  if (isMoment) {
    const [start, last] = [new Date(from), new Date(to)];
    return { start, end: last > start ? last : new Date(start.getTime() + 3_600_000) };
  }
  const end = new Date(`${to.slice(0, 10)}T00:00:00Z`);
  end.setUTCDate(end.getUTCDate() + 1);
  return { start: new Date(`${from.slice(0, 10)}T00:00:00Z`), end, allDay: true };
}
