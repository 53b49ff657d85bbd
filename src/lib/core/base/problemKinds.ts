interface ProblemKind {
  /** Also its address on the page of refusals, in small letters with hyphens. */
  readonly title: string;
  /** When it comes, and what a program does about it. */
  readonly about: string;
}

/** What kind of refusal each status is (RFC 9457, 3.1: its type is an address at which it is described). */
export const problemKinds: Readonly<Record<number, ProblemKind>> = {
  400: {
    title: 'Malformed',
    about:
      'What was sent is not what the call takes; `at` says where. Correct the program: the same again is refused again.',
  },
  401: {
    title: 'Not signed in',
    about: 'There is no session, or the token is unknown, revoked or has ended. Sign in, or send another token.',
  },
  403: {
    title: 'Not allowed',
    about: 'Your role, or that of the token, does not allow it. Ask an administrator of the workspace.',
  },
  404: {
    title: 'Not here',
    about: 'There is nothing at this address, or nothing that you may see: the two are never told apart.',
  },
  405: { title: 'Other method', about: 'The address takes other methods; `Allow` names them.' },
  409: {
    title: 'Clash',
    about:
      'Something was changed meanwhile, or stands in the way; what it is stands in the answer. Read again, then decide.',
  },
  410: { title: 'Ended', about: 'It was there, and has ended or was used up: an address of a form, an invitation.' },
  412: {
    title: 'Moved on',
    about: 'The record was changed since it was read with this tag. Read it again, then decide.',
  },
  413: { title: 'Too large', about: 'More was sent than a call takes. Send it in parts, or as a file through Intake.' },
  422: {
    title: 'Cannot be done',
    about:
      'It was understood and cannot be done; `fix` says what would help. Of several records `errors` has each, with its place.',
  },
  429: { title: 'Too many', about: 'Too much was asked in too short a time. Wait as long as `Retry-After` says.' },
  500: {
    title: 'Fault',
    about: 'A fault of the server; nothing was changed. Its `incident` tells whoever runs it where to look.',
  },
  503: {
    title: 'Not now',
    about: 'The server or its database is busy or away. Send the call again after `Retry-After`.',
  },
  507: { title: 'No room', about: 'The disk of the server is full; nothing was kept.' },
};

/** The part of an address at which a kind of refusal is described. */
export const problemSlug = (status: number): string =>
  (problemKinds[status]?.title ?? '').toLowerCase().replaceAll(' ', '-');

/** The page that describes them. */
export const problemsPage = '/problems';
