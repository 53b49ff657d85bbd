import type { Model } from '$core/types/model';
import type { Written } from '$core/filled/written';
import type { TransferShown } from './transferDraft.svelte';

/** What the form of every work is given. */
export interface FormProps {
  readonly workspace: string;
  readonly model: Model;
  /** Tables of other workspaces, as `workspace.table`. */
  readonly others: readonly { readonly path: string; readonly label: string }[];
  /** The workspaces that somebody sees, with what they are called. */
  readonly workspaces: readonly { readonly key: string; readonly label: string }[];
  /** What is known already: from where one came, or from a transfer that is opened again. */
  readonly begun: Written;
  /** The last plan, with all that was proposed. */
  readonly shown: TransferShown | null;
  /** What is wanted now; null while something is missing. */
  readonly onwant: (json: Written | null) => void;
}
