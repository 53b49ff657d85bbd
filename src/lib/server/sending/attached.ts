import { eq } from 'drizzle-orm';
import type { Outgoing } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { partsOf } from '$core/types/part';
import { accessOfMember, systemAccess, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { makeDocuments } from '../documents/made';
import { summariesOf } from '../summaries/held';
import type { Attached } from './mail';

/** Larger files are taken by hardly any mail server. */
const mostBytes = 10_000_000;

type Message = Extract<Outgoing, { kind: 'message' }>;

/** A file whole; refused where it is larger than it may be. */
async function whole(name: string, pieces: AsyncGenerator<Uint8Array, void>): Promise<Attached> {
  const all: Uint8Array[] = [];
  let size = 0;
  for await (const piece of pieces) {
    all.push(piece);
    size += piece.length;
    if (size > mostBytes) throw new Error(`“${name}” would be larger than ${mostBytes / 1e6} MB.`);
  }
  return { name: `${name}.pdf`, type: 'application/pdf', bytes: Buffer.concat(all) };
}

/**
 * What goes with a message, as PDF, as whoever keeps the routine sees it by now. Throws where it cannot be made: the
 * message is tried again, and at last said to have failed.
 */
export async function attachedOf(
  pool: Pool,
  workspace: number,
  person: number | null,
  { document, summary }: Pick<Message, 'document' | 'summary'>,
): Promise<Attached[]> {
  if (!document && summary === undefined) return [];
  const [row] = await catalogueOn(pool).select().from(workspaces).where(eq(workspaces.id, workspace));
  if (!row) throw new Error('The workspace of the message is gone.');
  const all = systemAccess(await withModel(pool, row));
  const access = person === null ? null : await accessOfMember(pool, person, all);
  if (!access) throw new Error('Whoever keeps the routine is no member any more, so that nothing can be attached.');
  return [
    ...(document ? [await documentFile(pool, access, document)] : []),
    ...(summary === undefined ? [] : [await summaryFile(pool, access, summary)]),
  ];
}

async function documentFile(
  pool: Pool,
  access: WorkspaceAccess,
  { table: tableId, id, record }: NonNullable<Message['document']>,
): Promise<Attached> {
  const table = findTable(access.workspace.model, tableId);
  const document = table && partsOf(table, 'document').find((one) => one.id === id);
  if (!document) throw new Error('The document that it should have attached was deleted.');
  const { pieces } = makeDocuments(pool, access, table, document, {
    format: 'pdf',
    chosen: { ids: [record] },
    each: false,
    skip: 0,
    language: 'en',
    origin: process.env.ORIGIN ?? '',
  });
  return whole(document.label, pieces);
}

async function summaryFile(pool: Pool, access: WorkspaceAccess, id: string): Promise<Attached> {
  const held = (await summariesOf(pool, access)).find(({ summary }) => summary.id === id);
  if (!held)
    throw new Error('The summary that it should have attached was deleted, or is not for whoever keeps the routine.');
  const { summaryPdf } = await import('../summaries/paper');
  return whole(held.summary.label, summaryPdf(pool, access, held.summary, {}, 'en'));
}
