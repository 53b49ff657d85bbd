import { eq } from 'drizzle-orm';
import type { Outgoing } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { partsOf } from '$core/types/part';
import { accessOfMember, systemAccess, withModel } from '../access/workspaceAccess';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { makeDocuments } from '../documents/made';
import type { Attached } from './mail';

/** Larger files are taken by hardly any mail server. */
const mostBytes = 10_000_000;

/**
 * A document of a record as a PDF, as whoever keeps the routine sees it by now. Throws where it cannot be made: the
 * message is tried again, and at last said to have failed.
 */
export async function attachedOf(
  pool: Pool,
  workspace: number,
  person: number | null,
  { table: tableId, id, record }: NonNullable<Extract<Outgoing, { kind: 'message' }>['document']>,
): Promise<Attached> {
  const [row] = await catalogueOn(pool).select().from(workspaces).where(eq(workspaces.id, workspace));
  if (!row) throw new Error('The workspace of the message is gone.');
  const whole = systemAccess(await withModel(pool, row));
  const access = person === null ? null : await accessOfMember(pool, person, whole);
  if (!access) throw new Error('Whoever keeps the routine is no member any more, so that nothing can be attached.');
  const table = findTable(access.workspace.model, tableId);
  const document = table && partsOf(table, 'document').find((one) => one.id === id);
  if (!document) throw new Error('The document that it should have attached was deleted.');
  const { pieces, made } = makeDocuments(pool, access, table, document, {
    format: 'pdf',
    chosen: { ids: [record] },
    each: false,
    skip: 0,
    language: 'en',
    origin: process.env.ORIGIN ?? '',
  });
  const all: Uint8Array[] = [];
  let size = 0;
  for await (const piece of pieces) {
    all.push(piece);
    size += piece.length;
    if (size > mostBytes) throw new Error(`“${document.label}” would be larger than ${mostBytes / 1e6} MB.`);
  }
  if (made() === 0) throw new Error('The record of the document is gone, or not seen by whoever keeps the routine.');
  return { name: `${document.label}.pdf`, type: 'application/pdf', bytes: Buffer.concat(all) };
}
