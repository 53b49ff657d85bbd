import { setTimeout as wait } from 'node:timers/promises';
import { createTransport } from 'nodemailer';
import { sql } from '../base/sql';
import type { Pool } from '../database/pool';

/** A message as it goes out. */
export interface Mail {
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
  /** On whose behalf it goes, by the Directory's number. */
  readonly person: number | null;
  /** The routine that sends it, by its name. */
  readonly routine: string;
  /** What it is sent for: of the same only one arrives. */
  readonly sentFor: string;
  readonly attached?: readonly Attached[];
}

/** A file that goes with a message. */
export interface Attached {
  readonly name: string;
  /** Media type (RFC 6838). */
  readonly type: string;
  readonly bytes: Buffer;
}

/** A mail server has so long for each of its answers, in milliseconds. */
const patience = 20_000;

/** Whom messages come from, unless the installation says otherwise. */
const sender = (): string => process.env.SMTP_FROM ?? 'Inner Loom <loom@alderfold.example>';

/** Text as HTML that shows the very same: what looks like markup in it is none. */
const asHtml = (text: string): string => {
  const escaped = text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
  return `<!doctype html><html><body style="white-space: pre-wrap">${escaped}</body></html>`;
};

/** A message with what mail programs need of it. */
type Written = Pick<Mail, 'to' | 'subject' | 'text' | 'sentFor' | 'attached'> & { readonly at?: string };

const asMail = ({ to, subject, text, sentFor, at, attached = [] }: Written) => ({
  from: sender(),
  to: [...to],
  subject,
  text,
  html: asHtml(text),
  attachments: attached.map(({ name, type, bytes }) => ({ filename: name, contentType: type, content: bytes })),
  ...(at === undefined ? {} : { date: at }),
  messageId: `<${sentFor}@inner-loom>`,
  headers: { 'X-Idempotency-Key': sentFor },
  // Nothing of what a record holds is read from a disk or an address.
  disableFileAccess: true,
  disableUrlAccess: true,
});

/** A message as it goes over the wire (RFC 5322). */
export async function mailBuilt(mail: Written): Promise<string> {
  const transport = createTransport({ streamTransport: true, buffer: true, newline: 'windows' });
  return String((await transport.sendMail(asMail(mail))).message);
}

/**
 * Sends a message: to the mail server of `SMTP_URL`, or else to the Outbox, which stands for one and keeps it as it
 * would arrive. Throws where it is not taken.
 */
export async function sendMail(
  pool: Pool,
  { to, subject, text, person, routine, sentFor, attached = [] }: Mail,
): Promise<string> {
  const mail = asMail({ to, subject, text, sentFor, attached });
  const server = process.env.SMTP_URL;
  if (server) {
    // What is in an address of a server stands before what is said here.
    const transport = createTransport({
      url: server,
      connectionTimeout: patience,
      greetingTimeout: patience,
      socketTimeout: patience,
    });
    const info = await transport.sendMail(mail);
    transport.close();
    return info.response;
  }
  const { refuses, seconds } = await mailStandIn(pool);
  await wait(Math.min(seconds * 1000, patience));
  if (seconds * 1000 >= patience) throw new Error(`The mail service gave no answer within ${patience / 1000} s.`);
  if (refuses) throw new Error('The mail service does not take messages just now.');
  const built = await mailBuilt({ to, subject, text, sentFor, attached });
  await pool.query(sql`
    insert into loom.outbox (recipient, subject, body, person, routine, mail, sent_for)
    values (${to.join(', ')}, ${subject}, ${text}, ${person}, ${routine}, ${built}, ${sentFor})
    on conflict (sent_for) do nothing
  `);
  return 'It is in the Outbox.';
}

/** How the Outbox answers as the mail service that it stands for. */
export interface MailStandIn {
  /** It takes no message. */
  readonly refuses: boolean;
  /** So long it takes to answer, in seconds; longer than anybody waits for, it is as if it were not there. */
  readonly seconds: number;
}

export async function mailStandIn(pool: Pool): Promise<MailStandIn> {
  const { rows } = await pool.query<MailStandIn>(sql`select refuses, seconds from loom.mail_stand_in`);
  return rows[0] ?? { refuses: false, seconds: 0 };
}

export const setMailStandIn = (pool: Pool, { refuses, seconds }: MailStandIn): Promise<unknown> =>
  pool.query(sql`
    insert into loom.mail_stand_in (refuses, seconds) values (${refuses}, ${seconds})
    on conflict (one) do update set refuses = excluded.refuses, seconds = excluded.seconds
  `);
