import { error, redirect, type RequestEvent } from '@sveltejs/kit';
import { authorize, type Need, type Person, type WorkspaceAccess } from '../access/workspaceAccess';
import { readAnew } from '../database/transaction';
import { refusalOf } from './problem';

/** The person a page is for; everybody else is shown the way to sign in. */
export function signedIn({ locals, url }: Pick<RequestEvent, 'locals' | 'url'>): Person {
  if (!locals.person) redirect(303, `/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`);
  return locals.person;
}

/** Turns a refusal into the page that says it. */
export async function refusedAsPage<T>({ locals }: Pick<RequestEvent, 'locals'>, work: Promise<T>): Promise<T> {
  try {
    return await work;
  } catch (thrown) {
    const refusal = refusalOf(thrown);
    locals.away ||= refusal?.status === 503;
    if (refusal) error(refusal.status, { message: refusal.problem.message, fix: refusal.problem.fix });
    throw thrown;
  }
}

/** What a page needs of a workspace, read with a access; begun anew where a change of the structure overtakes it. */
export const readForPage = <T>(
  event: Pick<RequestEvent, 'locals' | 'url' | 'params'>,
  need: Need,
  read: (access: WorkspaceAccess) => Promise<T>,
): Promise<T> =>
  refusedAsPage(
    event,
    readAnew(async () => read(await accessFor(event, need))),
  );

const accessFor = (event: Pick<RequestEvent, 'locals' | 'url' | 'params'>, need: Need): Promise<WorkspaceAccess> =>
  authorize(event.locals.pool, signedIn(event), event.params.ws ?? '', need);
