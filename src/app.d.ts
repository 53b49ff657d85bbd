import type { Caller } from '$server/access/signIn';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { ChangeListener } from '$server/live/events';

declare global {
  namespace App {
    interface Locals {
      /** For the request: one for reading where it changes nothing. */
      pool: Pool;
      reads: Pool;
      downloads: Pool;
      listener: ChangeListener;
      /** Of a page; a call asks for its caller. */
      person: Person | null;
      /** Whoever sends it, with what they are in the workspace that its address names; `recalled`: as found last. */
      caller: (recalled: boolean) => Promise<Caller | null>;
      /** The languages that whoever asks reads, the most wanted first (BCP 47). */
      languages: readonly string[];
      /** What the page is made of could not be read, as the database is away or busy. */
      away?: boolean;
    }
    interface Error {
      message: string;
      fix?: string;
    }
  }
}

export {};
