import { managesDirectory } from '$server/access/directory';
import { signedIn } from '$server/http/page';
import { mailStandIn } from '$server/sending/mail';
import { messagesOf } from '$server/sending/outbox';

const shown = 50;

export const load = async (event) => {
  const person = signedIn(event);
  const { pool } = event.locals;
  const q = (event.url.searchParams.get('q') ?? '').slice(0, 200);
  const [all, messages, standIn] = await Promise.all([
    managesDirectory(pool, person),
    messagesOf(pool, person, { q, limit: shown }),
    mailStandIn(pool),
  ]);
  // With a mail server of its own nothing is taken here in its stead.
  const isStandIn = !process.env.SMTP_URL;
  return { person: { name: person.name }, all, q, shown, messages, standIn, isStandIn };
};
