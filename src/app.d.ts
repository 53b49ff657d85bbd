import type { Membership, Person } from '$server/access/workspaceAccess';
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
      /** What the person is in the workspace that the address names, as it was when they were found. */
      membership?: Membership;
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
