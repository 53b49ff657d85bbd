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
  /** What it is sent for: of the same only one arrives. */
  readonly sentFor: string;
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

/**
 * Sends a message: to the mail server of `SMTP_URL`, or else to the Outbox, which stands for one and keeps it as it
 * would arrive. Throws where it is not taken.
 */
export async function sendMail(pool: Pool, { to, subject, text, person, sentFor }: Mail): Promise<string> {
  const mail = {
    from: sender(),
    to: [...to],
    subject,
    text,
    html: asHtml(text),
    messageId: `<${sentFor}@inner-loom>`,
    headers: { 'X-Idempotency-Key': sentFor },
    // Nothing of what a record holds is read from a disk or an address.
    disableFileAccess: true,
    disableUrlAccess: true,
  };
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
  const { rows } = await pool.query<{ refuses: boolean }>(sql`select refuses from loom.mail_stand_in`);
  if (rows[0]?.refuses) throw new Error('The mail service does not take messages just now.');
  const built = await createTransport({ streamTransport: true, buffer: true, newline: 'windows' }).sendMail(mail);
  await pool.query(sql`
    insert into loom.outbox (recipient, subject, body, person, mail, sent_for)
    values (${to.join(', ')}, ${subject}, ${text}, ${person}, ${String(built.message)}, ${sentFor})
    on conflict (sent_for) do nothing
  `);
  return 'It is in the Outbox.';
}

/** Makes the stand-in for mail refuse what it gets, or take it again. */
export const setMailRefuses = (pool: Pool, refuses: boolean): Promise<unknown> =>
  pool.query(sql`
    insert into loom.mail_stand_in (refuses) values (${refuses}) on conflict (one) do update set refuses = excluded.refuses
  `);
