import { createContext } from 'svelte';
import type { May } from '$server/access/may';
import type { LiveChanges } from './live.svelte';
import type { Notices } from './notices.svelte';
import type { UnsentEdits } from './unsent.svelte';

/** What every part of a workspace's pages can reach. */
export interface FrameContext {
  readonly live: LiveChanges;
  readonly notices: Notices;
  readonly unsent: UnsentEdits;
  /** How many findings Health has; null until it was looked. */
  readonly health: { count: number | null };
  /** The workspace one is in: its key, the zone of its clocks, and what one may do there. */
  readonly workspace: {
    readonly key: string;
    readonly version: number;
    readonly zone: string;
    readonly role: string;
    readonly may: May;
  };
}

export const [useFrame, provideFrame] = createContext<FrameContext>();
