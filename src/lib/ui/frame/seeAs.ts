import { invalidateAll } from '$app/navigation';
import { call, workspacePath } from '../api';
import type { Notices } from './notices.svelte';

/** Looks at the workspace as somebody else from here on: all that stands on the page is read anew. */
export async function seeAs(
  workspace: string,
  as: { readonly person: number } | { readonly role: string },
  notices: Notices,
): Promise<void> {
  const answer = await call('PUT', workspacePath(workspace, '/see-as'), as);
  if (!answer.ok) return notices.refused(answer.problem);
  await invalidateAll();
}

/** Looks as oneself again. */
export async function seeAsOneself(notices: Notices): Promise<void> {
  const answer = await call('DELETE', '/api/see-as');
  if (!answer.ok) return notices.refused(answer.problem);
  await invalidateAll();
}
