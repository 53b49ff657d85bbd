import { fieldNamed, findTable } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal, refuse } from '../base/refusal';
import { estimateImpact } from '../calculation/impact';
import type { Pool } from '../database/pool';
import { valueOut } from '../query/recordJson';
import type { RulesBroken } from '../records/holdRules';
import { refuseAll, type DraftProblem } from '../records/draftChecks';
import type { SendsMany } from '../records/routines/outgoing';
import type { VersionClash } from '../records/updateRecords';
import { editedFields, type RecordEdits } from './edits';

/** Several records of what was sent cannot be written: each with its place. */
export class SeveralProblems extends Refusal {
  constructor(readonly problems: readonly DraftProblem[]) {
    const { status, problem, details } = refuseAll(problems);
    super(status, problem, details);
  }
}

/** Rules that records broke once they were written, by the places at which these were sent. */
export function placed(
  { broken }: RulesBroken,
  table: Table,
  { insert = [], update = [] }: RecordEdits,
): DraftProblem[] {
  return broken.map(({ kind, index, title, message, fix, table: owner }) => {
    const record =
      owner.id === table.id ? ((kind === 'insert' ? insert : update)[index]?.place ?? Math.max(0, index)) : 0;
    return { record, message: `${title}: ${message}`, fix, at: `/records/${record}` };
  });
}

/** Says how many records of which tables would be calculated anew, for the person to choose. */
export async function reachRefusal(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  edits: RecordEdits,
): Promise<Refusal> {
  const fields = editedFields(access.workspace.model, table, edits).map(({ id }) => id);
  const ids = [...(edits.update ?? []).map(({ id }) => id), ...(edits.remove ?? [])];
  const reached = await estimateImpact(pool, access.whole, new Set(fields), ids);
  const count = reached.reduce((sum, one) => sum + one.count, 0);
  const labelOf = ({ id, label }: Table) => (findTable(access.sight, id) ? label : 'a linked workspace');
  const words = reached.map((one) => `${one.count.toLocaleString('en')} of ${labelOf(one.table)}`).join(', ');
  const refusal = refuse(
    409,
    `Up to ${count.toLocaleString('en')} records would be calculated anew: ${words}.`,
    'Send it again without “ask” to do it.',
  );
  return Object.assign(refusal, {
    details: {
      reach: reached.map((one) => ({
        table: findTable(access.sight, one.table.id)?.key ?? '',
        label: labelOf(one.table),
        count: one.count,
      })),
    },
  });
}

/** Says how much would be sent, for the person to choose. */
export function sendsRefusal({ count, routines }: SendsMany): Refusal {
  const refusal = refuse(
    409,
    `${routines.join(', ')} would write to ${count.toLocaleString('en')} recipients.`,
    'Send it again without “ask” to do it.',
  );
  return Object.assign(refusal, { details: { reach: [], sends: { count, routines } } });
}

/** 409 with what stands now and what was to be written, field by field. */
export function clashRefusal(
  access: WorkspaceAccess,
  { table, id, stored }: VersionClash,
  { update = [] }: RecordEdits,
) {
  const sent = update.find((record) => record.id === id)?.values ?? {};
  const fields = Object.entries(sent).map(([name, yours]) => {
    const field = fieldNamed(table, name);
    const theirs =
      field && field.key in stored ? valueOut(access.workspace.model, field, stored[field.key], null) : null;
    return { field: field?.key ?? name, theirs, yours };
  });
  const refusal = refuse(
    409,
    `Somebody else changed record ${id} of ${table.label} since you read it.`,
    'Look at both values and choose.',
  );
  return Object.assign(refusal, { details: { record: id, version: stored._version, fields } });
}
