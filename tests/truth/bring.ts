import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { beginIntake, readIntake, type IntakeOut } from '$server/intake/intakes';
import type { TruthFile } from './case';

/** Brings files in as a person does, and waits for the proposal. */
export async function brought(pool: Pool, access: WorkspaceAccess, files: readonly TruthFile[]): Promise<IntakeOut> {
  const folder = mkdtempSync(join(tmpdir(), 'loom-truth-'));
  try {
    const uploads = files.map(({ name, bytes }, at) => {
      const path = join(folder, String(at));
      writeFileSync(path, bytes);
      return { name, path };
    });
    const { id } = await beginIntake(pool, access, uploads);
    for (;;) {
      const intake = await readIntake(pool, access, id);
      if (intake.state !== 'reading') return intake;
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
