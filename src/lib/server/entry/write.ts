import { turnsAround } from '$core/flow/direction';
import { fieldNamed, isNumbered } from '$core/model/model';
import type { Table } from '$core/types/model';
import { withWorkspace } from '../access/lock';
import { acting, requireRight, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal } from '../base/refusal';
import { ReachesMany } from '../calculation/effects';
import { SendsMany } from '../records/routines/outgoing';
import type { BatchKind } from '../database/catalogue';
import type { Client, Pool } from '../database/pool';
import { progressOf } from '../database/progress';
import type { RecordOut } from '../query/recordJson';
import { applyEdits, type Writing } from '../records/applyEdits';
import { RulesBroken } from '../records/holdRules';
import { constraintRefusal } from '../records/constraint';
import { refuseAll, type DraftProblem } from '../records/draftChecks';
import type { TableEdits } from '../records/edits';
import { keepAside, type SetAsideRow } from '../records/keepAside';
import { isHeldByDatabase } from '../records/rules';
import { VersionClash } from '../records/updateRecords';
import { requireWritable } from '../records/writeRights';
import { editedFields, type RecordEdits } from './edits';
import { addFreeOptions, settingOff } from './freeOptions';
import { settle } from './settle';
import { clashRefusal, placed, reachRefusal, sendsRefusal, SeveralProblems } from './writeRefusals';

/** An entry from outside: what it is in the history, and what is to be looked at first in its transaction. */
interface Admission {
  readonly kind: BatchKind;
  readonly admit: (client: Client) => Promise<void>;
}

export interface WriteAnswer {
  readonly batch: number;
  readonly records: readonly RecordOut[];
}

/** What a write is besides its edits. */
interface Writes {
  /** The form that was filled in. */
  readonly form?: string;
  readonly admission?: Admission;
  /** It sets no routine off. */
  readonly quiet?: boolean;
  /** Its call is answered without the records, which are not read then (RFC 7240, `return=minimal`). */
  readonly minimal?: boolean;
  /** What its call is answered with, where that is more. */
  readonly answer?: (written: WriteAnswer) => unknown;
}

/** Validates, writes, recalculates and answers the records with all their values; all of it or nothing. */
export async function writeRecords(
  pool: Pool,
  given: WorkspaceAccess,
  name: string,
  edits: RecordEdits,
  { admission, form, quiet, minimal = false, answer = (written) => written }: Writes = {},
): Promise<WriteAnswer> {
  requireRight(given, 'write');
  // Before words of it join a list, which is a change of its own.
  requireWritable(given, tableAt(given, name), edits);
  const access = await addFreeOptions(pool, given, tableAt(given, name), edits);
  try {
    return await settingOff(pool, access, (drawn) =>
      withWorkspace(
        pool,
        access,
        lockFor(access, name, edits),
        async (client, now, exclusive) => {
          await admission?.admit(client);
          const table = tableAt(now, name);
          const reportProgress = progressOf(client, now.workspace.id, { kind: 'edit', id: now.person.id });
          const writing = { client, access: now, exclusive, reportProgress, ask: edits.ask, drawn, quiet };
          const settled = await settle(writing, table, edits);
          const info = {
            kind: admission?.kind ?? 'edit',
            title: edits.title ?? titleOf(table, edits),
            ...(form === undefined ? {} : { form }),
          };
          const changed = (edits.update ?? []).map(({ id }) => id);
          const answered = minimal ? undefined : { table, changed };
          const { batch, inserted, records } = await applyEdits(writing, settled, info, answered);
          const made = inserted[settled.findIndex((edit) => edit.table === table)] ?? [];
          await keepAside(client, now, misfitsOf(table, edits, made), batch);
          return { batch, records };
        },
        { answer },
      ),
    );
  } catch (error) {
    if (error instanceof RulesBroken) throw refuseAll(placed(error, tableAt(access, name), edits));
    if (error instanceof SendsMany) throw sendsRefusal(error);
    if (error instanceof ReachesMany) throw await reachRefusal(pool, access, tableAt(access, name), edits);
    if (error instanceof VersionClash) throw clashRefusal(access, error, edits);
    throw constraintRefusal(access, error) ?? error;
  }
}

/** What was sent beside the values, as it did not fit its field. */
function misfitsOf(table: Table, { insert = [], update = [] }: RecordEdits, made: readonly number[]): SetAsideRow[] {
  const records = [...insert.map((edit, index) => ({ ...edit, id: made[index] ?? 0 })), ...update];
  return records.flatMap(({ id, aside = [] }) => aside.map((misfit) => ({ table: table.id, record: id, ...misfit })));
}

/**
 * What would be wrong with edits if they were written, whole and with all that follows; nothing is written. Up to
 * `mostProblems`.
 */
export async function problemsOf(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  edits: RecordEdits,
): Promise<DraftProblem[]> {
  const tried = tableAt(access, name);
  try {
    return await withWorkspace(pool, access, lockFor(access, name, edits), async (client, now, exclusive) => {
      const table = tableAt(now, name);
      // What would go on for long is not tried: it is asked about before it is done.
      const writing: Writing = { client, access: now, exclusive, ask: true, quiet: true };
      const settled = await settle(writing, table, edits, true);
      // Only what is calculated from the records, or reads others, has to be written to be looked at.
      const waits = (table.rules ?? []).some((rule) => !isHeldByDatabase(now.workspace.model, rule));
      if (!waits && !table.fields.some(({ type }) => type.kind === 'link' && type.candidates)) return [];
      await applyEdits(writing, settled.map(withoutNumbers), { kind: 'edit', title: 'tried' });
      throw new Tried();
    });
  } catch (error) {
    if (error instanceof Tried || error instanceof ReachesMany) return [];
    if (error instanceof SeveralProblems) return [...error.problems];
    if (error instanceof RulesBroken) return placed(error, tried, edits);
    if (error instanceof Refusal && error.status === 422) return [{ record: 0, ...error.problem }];
    throw constraintRefusal(access, error) ?? error;
  }
}

/** Rolls back what was only tried. */
class Tried extends Error {}

/** New records under numbers that nobody has, so that trying them takes none from those to come. */
const withoutNumbers = (edit: TableEdits): TableEdits => ({
  ...edit,
  insert: edit.insert.map(({ values }, index) => ({
    id: -1 - index,
    values: new Map([...edit.table.fields.filter(isNumbered).map(({ id }) => [id, null] as const), ...values]),
  })),
});

/** Edits whose consequences turn around take turns (see turnsAround); all others go side by side. */
function lockFor(given: WorkspaceAccess, name: string, edits: RecordEdits): 'shared' | 'exclusive' {
  const access = acting(given);
  const { model } = access.workspace;
  const fields = editedFields(model, tableAt(access, name), edits).map(({ id }) => id);
  return turnsAround(model, fields) ? 'exclusive' : 'shared';
}

function titleOf(table: Table, { insert = [], update = [], remove = [] }: RecordEdits): string {
  const records = (n: number) => `${n} ${n === 1 ? 'record' : 'records'}`;
  const fields = new Set(
    update.flatMap(({ values }) => Object.keys(values)).map((name) => fieldNamed(table, name)?.label ?? name),
  );
  return (
    [
      ...(insert.length > 0 ? [`${records(insert.length)} made`] : []),
      ...(update.length > 0 ? [`${[...fields].slice(0, 3).join(', ')} changed on ${records(update.length)}`] : []),
      ...(remove.length > 0 ? [`${records(remove.length)} deleted`] : []),
    ].join(', ') + ` in ${table.label}`
  );
}
