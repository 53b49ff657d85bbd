import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal } from '../base/refusal';
import type { Client } from '../database/pool';
import { mostProblems } from './draftChecks';
import type { TableEdits } from './edits';
import { brokenRules, type BrokenRule } from './rules';

/**
 * Records that break a rule which is looked at once they are written, each with its place among the edits of its table.
 */
export class RulesBroken extends Refusal {
  constructor(
    readonly broken: readonly (BrokenRule & {
      readonly table: Table;
      readonly kind: 'insert' | 'update';
      readonly index: number;
    })[],
  ) {
    const [first] = broken;
    super(422, { message: `${first?.title}: ${first?.message}`, fix: first?.fix });
  }
}

/** Refuses records that break what the database does not hold them to by itself, once they are written. */
export async function holdRules(
  { client, access }: { readonly client: Client; readonly access: WorkspaceAccess },
  edits: readonly TableEdits[],
  inserted: readonly (readonly number[])[],
): Promise<void> {
  const broken: RulesBroken['broken'][number][] = [];
  for (const [at, { table, insert, update }] of edits.entries()) {
    const made = inserted[at] ?? [];
    const most = insert.length + update.length > 1 ? mostProblems : 1;
    const changed = update.map(({ id }) => id);
    const written = new Set(update.flatMap(({ values }) => [...values.keys()]));
    for (const one of await brokenRules(client, access, table, made, null, most))
      broken.push({ ...one, table, kind: 'insert', index: made.indexOf(one.id) });
    for (const one of await brokenRules(client, access, table, changed, written, most))
      broken.push({ ...one, table, kind: 'update', index: changed.indexOf(one.id) });
  }
  if (broken.length > 0) throw new RulesBroken(broken);
}
