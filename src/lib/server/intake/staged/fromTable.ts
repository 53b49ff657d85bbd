import { createWriteStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '../../access/workspaceAccess';
import { fieldJson } from '../../structure/fieldJson';
import type { Pool } from '../../database/pool';
import { writeWhole } from '../../files/whole';
import { passingPath, type InsideSource } from '../../http/upload';
import type { UploadedFile } from '../../files/uploaded';
import { workspacePackage } from '../../export/dataPackage';

/** A table that stands here or in another workspace as a package of its own, as far as the person may see it there. */
export async function packTable(
  pool: Pool,
  here: WorkspaceAccess,
  person: Person,
  { from, records }: InsideSource,
): Promise<UploadedFile> {
  const [workspace, key] = from.includes('.') ? (from.split('.', 2) as [string, string]) : [here.workspace.key, from];
  const access = workspace === here.workspace.key ? here : await authorize(pool, person, workspace, 'takeOut');
  const table = tableAt(access, key);
  const path = passingPath();
  const pieces = workspacePackage(pool, access, (field) => fieldJson(access.workspace.model, field), [table], records);
  await writeWhole(path, (half) => pipeline(Readable.from(pieces), createWriteStream(half)));
  return { name: `${table.label}.zip`, path };
}
