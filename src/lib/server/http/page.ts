import { error, redirect, type RequestEvent } from '@sveltejs/kit';
import { takeSeat, type Person, type Seat } from '../access/seat';
import type { Role } from '../database/catalogue';
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

/** What a page needs of a workspace, read with a seat; begun anew where a change of the structure overtakes it. */
export const readForPage = <T>(
  event: Pick<RequestEvent, 'locals' | 'url' | 'params'>,
  role: Role,
  read: (seat: Seat) => Promise<T>,
): Promise<T> =>
  refusedAsPage(
    event,
    readAnew(async () => read(await seatFor(event, role))),
  );

const seatFor = (event: Pick<RequestEvent, 'locals' | 'url' | 'params'>, role: Role): Promise<Seat> =>
  takeSeat(event.locals.pool, signedIn(event), event.params.ws ?? '', role);
