import { EventEmitter } from 'node:events';
import pg from 'pg';
import { log } from '../http/log';
import { listenerName, processId } from '../http/processId';
import { Presence, presenceChannel, type PresenceNews } from './presence';

/** Tells open pages and programs that something changed; they ask for what they show. */
export interface ChangeEvent {
  readonly workspace: number;
  readonly batch: number | null;
  /** Identities of the tables whose records or structure changed. */
  readonly tables: readonly string[];
}

/** PostgreSQL passes on less than 8,000 bytes. */
const mostTold = 7_000;

/** Tables to tell of: none, which stands for all of them, where their names are too many to be passed on. */
export function tablesToTell(tables: Iterable<string>): string[] {
  const told = [...new Set(tables)];
  return JSON.stringify(told).length > mostTold ? [] : told;
}

/** One listening connection a process; what it hears goes to all that are subscribed here. */
export class ChangeListener {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private client: pg.Client | null = null;
  private closed = false;
  readonly presence = new Presence();

  constructor(private readonly url: string) {}

  async start(): Promise<void> {
    const client = new pg.Client({ connectionString: this.url, application_name: listenerName(processId) });
    client.on('error', () => this.restart());
    client.on('end', () => this.restart());
    client.on('notification', ({ channel, payload }) => {
      if (!payload) return;
      if (channel === presenceChannel) this.presence.hear(JSON.parse(payload) as PresenceNews);
      else this.emitter.emit('change', JSON.parse(payload) as ChangeEvent);
    });
    try {
      await client.connect();
      await client.query(`listen loom; listen ${presenceChannel}`);
      this.client = client;
      // What happened while nobody listened is unknown, so everybody looks again.
      this.emitter.emit('again');
    } catch (error) {
      log.incident(error);
      this.restart();
    }
  }

  private restart(): void {
    if (this.closed || this.client === null) return;
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

  async stop(): Promise<void> {
    this.closed = true;
    this.presence.stop();
    await this.client?.end();
  }
}

/** Proxies close silent connections after a minute; a comment line keeps them. */
const keepAlive = 25_000;

/** Server-sent events (WHATWG HTML, section 9.2) of one workspace. */
export function eventStream(listener: ChangeListener, workspace: number): Response {
  const encoder = new TextEncoder();
  let stop = () => {};
  const body = new ReadableStream<Uint8Array>({
    start(controller) {
      const send = (text: string) => controller.enqueue(encoder.encode(text));
      send('retry: 2000\n\n');
      const unsubscribe = listener.subscribe(workspace, (event) => send(`data: ${JSON.stringify(event)}\n\n`));
      const here = () => send(`event: here\ndata: ${JSON.stringify(listener.presence.in(workspace))}\n\n`);
      const leave = listener.presence.subscribe(workspace, here);
      here();
      const timer = setInterval(() => send(': still here\n\n'), keepAlive);
      stop = () => {
        unsubscribe();
        leave();
        clearInterval(timer);
      };
    },
    cancel: () => stop(),
  });
  return new Response(body, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' } });
}
