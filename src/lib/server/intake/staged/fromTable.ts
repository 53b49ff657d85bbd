import { createWriteStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { takeSeat, tableAt, type Person, type Seat } from '../../access/seat';
import { fieldJson } from '../../structure/fieldJson';
import type { Pool } from '../../database/pool';
import { writeWhole } from '../../files/whole';
import { passingPath, type InsideSource } from '../../http/upload';
import type { UploadedFile } from '../../files/uploaded';
import { workspacePackage } from '../../export/dataPackage';

/** A table that stands here or in another workspace as a package of its own, as far as the person may see it there. */
export async function packTable(
  pool: Pool,
  here: Seat,
  person: Person,
  { from, records }: InsideSource,
): Promise<UploadedFile> {
  const [workspace, key] = from.includes('.') ? (from.split('.', 2) as [string, string]) : [here.workspace.key, from];
  const seat = workspace === here.workspace.key ? here : await takeSeat(pool, person, workspace, 'reader');
  const table = tableAt(seat, key);
  const path = passingPath();
  const pieces = workspacePackage(pool, seat, (field) => fieldJson(seat.workspace.model, field), [table], records);
  await writeWhole(path, (half) => pipeline(Readable.from(pieces), createWriteStream(half)));
  return { name: `${table.label}.zip`, path };
}
