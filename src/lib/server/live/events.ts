import { EventEmitter } from 'node:events';
import pg from 'pg';
import { findTable } from '$core/model/model';
import { log } from '../base/log';
import { listenerName, processId } from '../database/processId';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { refusalOf } from '../http/problem';
import { refuse } from '../base/refusal';
import { Presence, type PresenceNews, type Whereabouts } from './presence';
import { changesTopic, hereTopic, type ChangeEvent } from '../database/changeEvents';
import { identifier, sql } from '../base/sql';

/** One listening connection a process; what it hears goes to all that are subscribed here. */
export class ChangeListener {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private client: pg.Client | null = null;
  private closed = false;
  readonly presence = new Presence();

  constructor(private readonly url: string) {}

  async start(): Promise<void> {
    const client = new pg.Client({ connectionString: this.url, application_name: listenerName(processId) });
    const gone = () => this.restart(client);
    client.on('error', gone).on('end', gone);
    client.on('notification', ({ channel, payload }) => {
      if (!payload) return;
      if (channel.endsWith(hereTopic)) this.presence.hear(JSON.parse(payload) as PresenceNews);
      else this.emitter.emit('change', JSON.parse(payload) as ChangeEvent);
    });
    try {
      await client.connect();
      const { rows } = await client.query<{ name: string }>('select name from loom.channel');
      for (const topic of [changesTopic, hereTopic])
        await client.query(sql`listen ${identifier((rows[0]?.name ?? '') + topic)}`);
      this.client = client;
      // What happened while nobody listened is unknown, so everybody looks again.
      this.emitter.emit('again');
    } catch (error) {
      log.incident(error);
      await client.end().catch(() => undefined);
    }
  }

  /** Once for a connection that was listening: it says more than once that it is gone. */
  private restart(gone: pg.Client): void {
    if (this.closed || this.client !== gone) return;
    this.client = null;
    setTimeout(() => void this.retry(), 1000);
  }

  private async retry(): Promise<void> {
    await this.start();
    if (this.client === null && !this.closed) setTimeout(() => void this.retry(), 2000);
  }

  subscribe(workspace: number, hear: (event: ChangeEvent) => void): () => void {
    const heard = (event: ChangeEvent) => event.workspace === workspace && hear(event);
    const again = () => hear({ workspace, batch: null, tables: [] });
    this.emitter.on('change', heard).on('again', again);
    return () => void this.emitter.off('change', heard).off('again', again);
  }

  /** What happens in any workspace; what happened while nobody listened is not told. */
  hearAll(hear: (event: ChangeEvent) => void): void {
    this.emitter.on('change', hear);
  }

  async stop(): Promise<void> {
    this.closed = true;
    this.presence.stop();
    await this.client?.end();
  }
}

/** Proxies close silent connections after a minute; a comment line keeps them. */
const keepAlive = 25_000;

/** How old what is known of somebody's rights may be when they are told something, in milliseconds. */
const rightsFor = 1_000;
/** Pieces that wait to be read: who does not read them is let go, and asks again for all when they come back. */
const mostUnread = 200;
/** Streams of one person in one process: more open pages than anybody has. */
const mostStreams = 40;

const streams = new Map<number, number>();
/** So often at most others are told where somebody is, in milliseconds. */
const hereEvery = 500;

/**
 * Rights that were looked at lately, by person and workspace, of a token and of whom they look as by itself: their
 * streams ask once for all.
 */
const lately = new Map<string, { readonly at: number; readonly access: Promise<WorkspaceAccess> }>();

function accessNow(
  { person, workspace }: WorkspaceAccess,
  again: () => Promise<WorkspaceAccess>,
): Promise<WorkspaceAccess> {
  const name = `${person.id} ${workspace.id} ${person.limits?.token ?? ''} ${JSON.stringify(person.seeAs ?? '')}`;
  const known = lately.get(name);
  if (known && Date.now() - known.at < rightsFor) return known.access;
  const asked = { at: Date.now(), access: again() };
  lately.set(name, asked);
  // Kept for no longer than it counts.
  setTimeout(() => lately.get(name) === asked && lately.delete(name), rightsFor).unref();
  return asked.access;
}

/**
 * Server-sent events (WHATWG HTML, section 9.2) of one workspace, for as long as the person may see it: their rights
 * are looked at again before something is told, and now and then.
 */
export function eventStream(
  listener: ChangeListener,
  first: WorkspaceAccess,
  again: () => Promise<WorkspaceAccess>,
): Response {
  const person = first.person.id;
  const workspace = first.workspace.id;
  const going = streams.get(person) ?? 0;
  if (going >= mostStreams)
    throw Object.assign(
      refuse(429, `You have ${mostStreams} pages open that listen for changes.`, 'Close some of them.'),
      { details: { retryAfter: 30 } },
    );
  streams.set(person, going + 1);
  const encoder = new TextEncoder();
  let stop = () => {};
  const body = new ReadableStream<Uint8Array>({
    start(controller) {
      let access = first;
      let seen = Date.now();
      let over = false;
      let line = Promise.resolve();
      stop = () => {
        if (over) return;
        over = true;
        unsubscribe();
        leave();
        clearInterval(timer);
        const left = (streams.get(person) ?? 1) - 1;
        if (left > 0) streams.set(person, left);
        else streams.delete(person);
      };
      const close = () => {
        if (over) return;
        stop();
        controller.close();
      };
      const send = (text: string) => {
        if (over) return;
        if ((controller.desiredSize ?? 0) < -mostUnread) return close();
        controller.enqueue(encoder.encode(text));
      };
      /** Tells something, one after the other, once it is known that the person may still hear it. */
      const tell = (text: (to: WorkspaceAccess) => string) => {
        line = line.then(async () => {
          if (over) return;
          if (Date.now() - seen > rightsFor) {
            const now = await accessNow(access, again).catch((error: unknown) =>
              refusalOf(error)?.status === 503 ? access : null,
            );
            if (now === null) return close();
            [access, seen] = [now, Date.now()];
          }
          send(text(access));
        });
      };
      // Where others are is told as it is by then: of many moves at once only the last.
      let [waits, told] = [false, 0];
      const here = () => {
        if (waits) return;
        waits = true;
        setTimeout(
          () => {
            [waits, told] = [false, Date.now()];
            tell(
              (to) =>
                `event: here\ndata: ${JSON.stringify(listener.presence.in(workspace).map((one) => seenPlace(one, to)))}\n\n`,
            );
          },
          Math.max(0, told + hereEvery - Date.now()),
        );
      };
      const unsubscribe = listener.subscribe(workspace, (event) =>
        tell((to) => `data: ${JSON.stringify({ ...event, tables: seenTables(event.tables, to) })}\n\n`),
      );
      const leave = listener.presence.subscribe(workspace, here);
      const timer = setInterval(() => tell(() => ': still here\n\n'), keepAlive);
      send('retry: 2000\n\n');
      here();
    },
    cancel: () => stop(),
  });
  return new Response(body, {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
  });
}

/** The tables that something happened in: those that are hidden from who is told are one that nobody knows. */
const seenTables = (tables: readonly string[], { sight, whole }: WorkspaceAccess): readonly string[] =>
  sight === whole.model
    ? tables
    : [...new Set(tables.map((id) => (findTable(whole.model, id) && !findTable(sight, id) ? 'hidden' : id)))];

/** Where somebody is, as far as who is told may see it: not in which field, where that is hidden from them. */
function seenPlace(one: Whereabouts, { workspace }: WorkspaceAccess): Whereabouts {
  const table = workspace.model.tables.find(({ id }) => id === one.table);
  if (!table) return { ...one, table: null, record: null, field: null };
  const seen = workspace.cuts?.of.has(table.id) ? { ...one, record: null } : one;
  return table.fields.some(({ key }) => key === one.field) ? seen : { ...seen, field: null };
}
