import type { Person } from '$server/access/seat';
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
      person: Person | null;
    }
    interface Error {
      message: string;
      fix?: string;
    }
  }
}

export {};
