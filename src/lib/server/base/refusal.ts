import type { Problem } from '$core/base/problem';

/**
 * Answers that are no success, by HTTP status (RFC 9110, and RFC 4918 for 507); the body is RFC 9457 problem details.
 */
export type RefusalStatus = 400 | 401 | 403 | 404 | 409 | 410 | 412 | 413 | 422 | 429 | 503 | 507;

/**
 * Ends a request with something the person can fix. Thrown, so that the transaction around it is rolled back; the
 * edge turns it into an answer.
 */
export class Refusal extends Error {
  constructor(
    readonly status: RefusalStatus,
    readonly problem: Problem,
    /** Further members of the answer, such as both values of a clash. */
    readonly details: Readonly<Record<string, unknown>> = {},
  ) {
    super(problem.message);
  }
}

export const refuse = (status: RefusalStatus, message: string, fix?: string, at?: Problem['at']): Refusal =>
  new Refusal(status, { message, ...(fix ? { fix } : {}), ...(at === undefined ? {} : { at }) });

/** What cannot be done just now, and can a little later. */
export const busy = (): Refusal =>
  refuse(
    503,
    'A long change of this workspace is going on; nothing of yours was done yet.',
    'Try again in a few seconds.',
  );

/** One answer for what is not there and what is not theirs, so that nothing can be learnt from it. */
export const notHere = (what: string): Refusal =>
  refuse(404, `There is no such ${what} here.`, 'Go back to Home and choose from the list.');
