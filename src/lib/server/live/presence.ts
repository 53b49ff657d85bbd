import { EventEmitter } from 'node:events';
import { hereTopic } from '../database/changeEvents';
import type { Pool } from '../database/pool';
import { sql } from '../base/sql';

/** Where one open page of a person is. */
export interface Whereabouts {
  /** Names the page: a person can have several open. */
  readonly tab: string;
  readonly person: number;
  readonly name: string;
  /** The table that is shown, by identity; null elsewhere in the workspace. */
  readonly table: string | null;
  readonly record: number | null;
  /** The field one is in, by key. */
  readonly field: string | null;
}

/** What one process tells the others: where a page is now, or that it is gone. */
export interface PresenceNews extends Whereabouts {
  readonly workspace: number;
  readonly gone?: true;
}

/** A page that was not heard of for so long is gone, in milliseconds; pages say where they are three times as often. */
const heardFor = 60_000;

/** Pages of one person that are shown to others. */
const mostPages = 20;

/**
 * Who is where, as far as this process has heard. Nothing of it is stored: every page says where it is whenever that
 * changes and now and then, to all processes, so one that was just started knows all within a turn.
 */
export class Presence {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private readonly pages = new Map<string, { readonly news: PresenceNews; readonly at: number }>();
  private readonly sweep = setInterval(() => this.forget(), heardFor / 4);

  constructor() {
    this.sweep.unref();
  }

  hear(news: PresenceNews): void {
    // By whose it is: nobody moves another's page by knowing its name.
    const key = `${news.workspace} ${news.person} ${news.tab}`;
    this.pages.delete(key);
    if (!news.gone) {
      this.pages.set(key, { news, at: Date.now() });
      this.forgetOldest(news);
    }
    this.emitter.emit(String(news.workspace));
  }

  /** Of a person with more pages than anybody has, those that were heard of longest ago are forgotten. */
  private forgetOldest({ workspace, person }: PresenceNews): void {
    const prefix = `${workspace} ${person} `;
    const own = [...this.pages.keys()].filter((key) => key.startsWith(prefix));
    for (const key of own.slice(0, Math.max(0, own.length - mostPages))) this.pages.delete(key);
  }

  private forget(): void {
    for (const [key, { news, at }] of this.pages) {
      if (Date.now() - at < heardFor) continue;
      this.pages.delete(key);
      this.emitter.emit(String(news.workspace));
    }
  }

  /** Everybody in a workspace. */
  in(workspace: number): Whereabouts[] {
    return [...this.pages.values()]
      .filter(({ news }) => news.workspace === workspace)
      .map(({ news: { tab, person, name, table, record, field } }) => ({ tab, person, name, table, record, field }));
  }

  subscribe(workspace: number, hear: () => void): () => void {
    this.emitter.on(String(workspace), hear);
    return () => void this.emitter.off(String(workspace), hear);
  }

  stop(): void {
    clearInterval(this.sweep);
  }
}

/** Tells every process where a page is. */
export async function tellPresence(pool: Pool, news: PresenceNews): Promise<void> {
  await pool.query(sql`select loom.tell(${hereTopic}, ${JSON.stringify(news)})`);
}
