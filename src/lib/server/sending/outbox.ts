import PostalMime from 'postal-mime';
import { managesDirectory } from '../access/directory';
import type { Person } from '../access/models';
import { pageOf, type Listed } from '../base/listed';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { mailBuilt, setMailStandIn, type MailStandIn } from './mail';

/** A message of the Outbox. */
export interface Message {
  readonly id: number;
  readonly at: string;
  readonly recipient: string;
  readonly subject: string;
  readonly body: string;
  /** Who had it sent; whose routine it was. */
  readonly by: string;
  /** The routine that sent it, by the name it had. */
  readonly routine: string | null;
}

/** A message as a mail program shows it. */
export interface MessageWhole extends Message {
  readonly html: string | null;
  readonly headers: readonly { readonly key: string; readonly value: string }[];
  readonly attachments: readonly { readonly name: string; readonly type: string; readonly bytes: number }[];
}

interface Kept extends Message {
  readonly mail: string | null;
}

/**
 * What is for the recipient alone, the address to set a password at, is shown to those alone who run this in a mail
 * server's stead: whoever can have anybody invited would else be anybody without a password. Nor is it searched.
 */
const shownBody = (all: boolean) =>
  all ? sql`o.body` : sql`regexp_replace(o.body, '/invited/\\S+', '/invited/…', 'g')`;

/** The messages that a person had sent, with the conditions that `more` adds; all where they manage the Directory. */
const messages = (person: Person, all: boolean) => sql`
  select o.id, o.at, o.recipient, o.subject, ${shownBody(all)} as body, o.routine, o.mail,
    coalesce(p.name, 'the system') as by
  from loom.outbox o left join loom.people p on p.id = o.person
  where (${all}::boolean or o.person = ${person.id})
`;

/** Messages that a person had sent, the newest first; all of them where they manage the Directory. */
export async function messagesOf(
  pool: Pool,
  person: Person,
  { after, limit, q = '' }: { readonly after?: number; readonly limit: number; readonly q?: string },
): Promise<Listed<Message>> {
  const all = await managesDirectory(pool, person);
  const wanted = `%${q.trim().replace(/[\\%_]/g, '\\$&')}%`;
  const { rows } = await pool.query<Kept>(sql`
    select m.* from (${messages(person, all)}) m
    where (${after ?? null}::bigint is null or m.id < ${after ?? null})
      and (m.recipient ilike ${wanted} or m.subject ilike ${wanted} or m.body ilike ${wanted}
        or m.routine ilike ${wanted})
    order by m.id desc limit ${limit + 1}
  `);
  return pageOf(
    rows.map(({ mail: _, ...message }) => message),
    limit,
    ({ id }) => id,
  );
}

async function messageAt(pool: Pool, person: Person, id: number): Promise<Kept & { readonly mail: string }> {
  const all = await managesDirectory(pool, person);
  const { rows } = await pool.query<Kept>(sql`${messages(person, all)} and o.id = ${id}`);
  const [found] = rows;
  if (!found) throw notHere('message');
  const { recipient, subject, body, at } = found;
  // What the system itself writes is kept as text alone.
  const mail = found.mail ?? (await mailBuilt({ to: [recipient], subject, text: body, sentFor: `outbox-${id}`, at }));
  return { ...found, mail };
}

/** A message as it would arrive (RFC 5322), for a mail program. */
export const mailOf = async (pool: Pool, person: Person, id: number): Promise<string> =>
  (await messageAt(pool, person, id)).mail;

/** A message with its parts and headers, as a mail program shows it. */
export async function messageWhole(pool: Pool, person: Person, id: number): Promise<MessageWhole> {
  const { mail, ...message } = await messageAt(pool, person, id);
  const { html, headers, attachments } = await PostalMime.parse(mail);
  return {
    ...message,
    html: html ?? null,
    headers: headers.map(({ originalKey: key, value }) => ({ key, value })),
    attachments: attachments.map(({ filename, mimeType, content }) => ({
      name: filename ?? 'file',
      type: mimeType,
      bytes: typeof content === 'string' ? content.length : content.byteLength,
    })),
  };
}

/** Sets how the Outbox answers whoever sends; for those who manage the Directory. */
export async function changeMailStandIn(pool: Pool, person: Person, answers: MailStandIn): Promise<void> {
  if (!(await managesDirectory(pool, person)))
    throw refuse(403, 'You do not manage the Directory.', 'Ask somebody who does.');
  await setMailStandIn(pool, answers);
}
