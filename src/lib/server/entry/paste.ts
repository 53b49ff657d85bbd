import { isEntered, linkedTable } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { readingOfColumn } from '$core/fieldTypes/columnReading';
import {
  fieldKinds,
  valueJson,
  parseValue,
  plainReading,
  type EnteredType,
  type Reading,
} from '$core/fieldTypes/registry';
import { quoteIdentifier } from '$core/base/sql';
import { directory } from '../access/directory';
import { requireRight, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { titleSql } from '../query/selection';
import { mostProblems } from '../records/draftChecks';
import { isOpenList } from './freeOptions';
import { problemsOf, writeRecords, type WriteAnswer } from './write';
import type { Misfit } from './edits';
import { join, raw, sql } from '../base/sql';

/** Cells as texts for some fields of some records; a row without a record makes one. */
export interface PastedCells {
  readonly fields: readonly string[];
  readonly rows: readonly { readonly id: number | null; readonly cells: readonly string[] }[];
  /**
   * What becomes of texts that are no value of their field: kept beside the record, which is blank there; or left out,
   * and the record keeps what it has.
   */
  readonly misfits: 'setAside' | 'leave';
  /** How columns are read where it is said. */
  readonly readings?: Readonly<Record<string, Partial<Pick<Reading, 'decimal' | 'dateOrder'>>>>;
  /** What new records begin with. */
  readonly preset?: Readonly<Record<string, unknown>>;
}

export interface PastePreview {
  readonly records: { readonly changed: number; readonly made: number };
  readonly cells: { readonly fit: number; readonly blank: number; readonly misfit: number };
  /** The first of the texts that do not fit, with their places. */
  readonly misfits: readonly {
    readonly row: number;
    readonly field: string;
    readonly text: string;
    readonly reason: string;
  }[];
  /** How each column is read; `either`: day and month could be the other way round. */
  readonly readings: readonly {
    readonly field: string;
    readonly decimal: Reading['decimal'];
    readonly dateOrder: Reading['dateOrder'];
    readonly either: boolean;
  }[];
  /**
   * Rows that break a rule or clash, as the table stands; said before anything is written, the first hundred with their
   * fields.
   */
  readonly problems?: readonly { readonly row: number; readonly field: string | null; readonly message: string }[];
  readonly problemRows?: number;
  readonly moreProblems?: boolean;
}

const mostShown = 100;

type Read = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly reason: string };

interface ReadColumn {
  readonly field: Field;
  readonly cells: readonly Read[];
  readonly reading: PastePreview['readings'][number];
}

/** What would become of pasted cells; nothing is written. */
export async function previewPaste(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  pasted: PastedCells,
): Promise<PastePreview> {
  requireRight(access, 'write');
  const columns = await readColumns(pool, access, tableAt(access, name), pasted);
  const problems = await problemsOf(pool, access, name, editsOf(pasted, columns, true));
  return {
    ...previewOf(pasted, columns),
    problems: problems
      .slice(0, mostShown)
      .map(({ record, field, message }) => ({ row: record, field: field ?? null, message })),
    problemRows: new Set(problems.map(({ record }) => record)).size,
    moreProblems: problems.length >= mostProblems,
  };
}

/** Writes pasted cells, all in one batch. */
export async function paste(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  pasted: PastedCells,
  ask: boolean,
): Promise<WriteAnswer & { preview: PastePreview }> {
  requireRight(access, 'write');
  const columns = await readColumns(pool, access, tableAt(access, name), pasted);
  const table = tableAt(access, name);
  const edits = editsOf(pasted, columns);
  const count = pasted.rows.length * columns.length;
  if (edits.insert.length + edits.update.length === 0)
    throw refuse(422, 'Nothing of this fits, so nothing was written.', 'Correct the cells, or have them set aside.');
  const title = `${count.toLocaleString('en')} ${count === 1 ? 'cell' : 'cells'} pasted into ${table.label}`;
  const answer = (written: WriteAnswer) => ({ ...written, preview: previewOf(pasted, columns) });
  return answer(await writeRecords(pool, access, name, { ...edits, title, ask }, { answer }));
}

/**
 * Pasted cells as edits, each with the row it stands in. `tried`: words that would join an open list are left out, as
 * they join it only once they are written.
 */
function editsOf(pasted: PastedCells, columns: readonly ReadColumn[], tried = false) {
  const edits = pasted.rows.map(({ id }, place) => {
    const values: Record<string, unknown> = id === null ? { ...pasted.preset } : {};
    const aside: Misfit[] = [];
    for (const [column, { field, cells }] of columns.entries()) {
      const read = cells[place];
      if (!read) continue;
      if (read.ok) {
        if (!tried || !isOpenList(field)) values[field.key] = read.value;
      } else if (pasted.misfits === 'setAside') {
        values[field.key] = null;
        aside.push({ field: field.id, text: pasted.rows[place]?.cells[column] ?? '', reason: read.reason });
      }
    }
    return { id, values, aside, place };
  });
  return {
    insert: edits.filter(({ id }) => id === null),
    update: edits.flatMap(({ id, ...edit }) =>
      id === null || Object.keys(edit.values).length === 0 ? [] : [{ id, ...edit }],
    ),
  };
}

function previewOf({ rows, fields }: PastedCells, columns: readonly ReadColumn[]): PastePreview {
  const misfits: PastePreview['misfits'][number][] = [];
  let [fit, blank, misfit] = [0, 0, 0];
  rows.forEach(({ cells }, row) =>
    columns.forEach(({ field, cells: read }, column) => {
      const one = read[row];
      if (!one) return;
      if (!one.ok) {
        misfit++;
        if (misfits.length < mostShown)
          misfits.push({ row, field: field.key, text: (cells[column] ?? '').slice(0, 200), reason: one.reason });
      } else if (one.value === null) blank++;
      else fit++;
    }),
  );
  const made = rows.filter(({ id }) => id === null).length;
  return {
    records: { changed: fields.length === 0 ? 0 : rows.length - made, made },
    cells: { fit, blank, misfit },
    misfits,
    readings: columns.map(({ reading }) => reading),
  };
}

/**
 * Every column of texts as values of its field. Links are found by the title of a record or a field that is unique
 * among them.
 */
async function readColumns(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  { fields, rows, readings = {} }: PastedCells,
): Promise<ReadColumn[]> {
  const people = table.fields.some(({ type }) => type.kind === 'member') ? await directory(pool) : undefined;
  const columns: ReadColumn[] = [];
  for (const [index, name] of fields.entries()) {
    const field = table.fields.find(({ key, id }) => key === name || id === name);
    if (!field)
      throw refuse(422, `${table.label} has no field “${name}”.`, 'Use a key from the model.', `/fields/${index}`);
    if (!isEntered(field))
      throw refuse(
        422,
        `${field.label} is not entered, so nothing can be pasted there.`,
        'Choose columns that people fill in.',
        `/fields/${index}`,
      );
    const texts = rows.map(({ cells }) => cells[index] ?? '');
    const target = linkedTable(access.workspace.model, field)?.table;
    if (target) {
      columns.push({
        field,
        cells: await readLinks(pool, access, target, field, texts),
        reading: { field: field.key, ...plainReading, either: false },
      });
      continue;
    }
    const type = field.type as EnteredType;
    const zoned = { ...plainReading, zone: access.workspace.zone, ...(people ? { people } : {}) };
    const found = readingOfColumn(texts, type, zoned);
    const reading = { ...found.reading, ...readings[field.key] };
    const cells = texts.map((text) => readCell(text, type, { ...zoned, ...reading }));
    columns.push({ field, cells, reading: { field: field.key, ...reading, either: found.either } });
  }
  return columns;
}

function readCell(text: string, type: EnteredType, reading: Reading): Read {
  // A share without its sign is meant in hundredths, as it is shown and typed.
  const written =
    (type.kind === 'percent' || type.kind === 'progress') && text.trim() !== '' && !text.includes('%')
      ? `${text.trim()} %`
      : text;
  // Words for a list that people may add to are added when they are written.
  if ((type.kind === 'option' || type.kind === 'options') && type.open && written.trim() !== '') {
    const words = type.kind === 'options' ? written.split(/[;,]/) : [written];
    const plain = words.map((word) => word.trim()).filter(Boolean);
    return { ok: true, value: type.kind === 'options' ? plain : (plain[0] ?? null) };
  }
  const parsed = parseValue(written, type, reading);
  if (!parsed.ok) return { ok: false, reason: parsed.problem.message };
  return { ok: true, value: valueJson(type, parsed.value) };
}

/** Links that are named in texts, several in one cell with commas or semicolons between. */
async function readLinks(
  pool: Pool,
  access: WorkspaceAccess,
  target: Table,
  field: Field,
  texts: readonly string[],
): Promise<Read[]> {
  const several = field.type.kind === 'counterpart';
  const namesOf = (text: string) => (several ? text.split(/[;,]/) : [text]).map((name) => name.trim()).filter(Boolean);
  const names = [...new Set(texts.flatMap(namesOf).map((name) => name.toLowerCase()))];
  const known = await recordsNamed(pool, access, target, names);
  return texts.map((text) => {
    const ids: number[] = [];
    for (const name of namesOf(text)) {
      const found = known.get(name.toLowerCase()) ?? [];
      if (found.length !== 1)
        return {
          ok: false,
          reason:
            found.length === 0
              ? `no record of ${target.label} is called “${name}”`
              : `several records of ${target.label} are called “${name}”`,
        };
      ids.push(found[0] ?? 0);
    }
    return { ok: true, value: several ? ids : (ids[0] ?? null) };
  });
}

/** The records that small letters name: by title, or by a field that tells each from the others. */
async function recordsNamed(
  pool: Pool,
  access: WorkspaceAccess,
  target: Table,
  names: readonly string[],
): Promise<Map<string, number[]>> {
  if (names.length === 0) return new Map();
  const unique = target.fields.filter(
    (field) => field.unique && fieldKinds[shownType(access.workspace.model, field).kind].oneLine === true,
  );
  const texts = [titleSql(access, target, 'x'), ...unique.map(({ key }) => `x.${quoteIdentifier(key)}`)];
  // Each way to be named is a join of its own, so that none has to look at every pair.
  const ways = texts.map(
    (text) => sql`
      select w.name, x._id as id from unnest(${names}::text[]) w(name)
      join ${tableSql(access.workspace, target)} x on lower(${raw(text)}) = w.name
    `,
  );
  const { rows } = await pool.query<{ name: string; ids: number[] }>(
    sql`select name, array_agg(distinct id)::int8[] as ids from (${join(ways, ' union all ')}) f group by name`,
  );
  return new Map(rows.map(({ name, ids }) => [name, ids.map(Number)]));
}
