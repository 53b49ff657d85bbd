import { isEntered } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { continued } from '$core/fieldTypes/series';
import { call, unreached, workspacePath, type Answer, type Refused } from '../api';
import type { Notices } from '../frame/notices.svelte';
import type { UnsentEdits } from '../frame/unsent.svelte';
import { Later } from '../fieldTypes/editors/later';
import { WatchedWork } from '../structure/work.svelte';
import { editText } from '../values/show';
import { counted } from '../values/words';
import { PendingRecords, type PendingRecord } from '../grid/pendingRecords.svelte';
import { UnderWay } from './underWay';
import type { RecordSet, ShownRecord, WriteAnswer } from './recordSet.svelte';

/** So often an edit follows a record that others go on changing elsewhere, until it asks. */
const mostTries = 5;

/** Whether two values are one: of records that links name the number counts, not how they are called. */
const isSameValue = (one: unknown, other: unknown): boolean =>
  JSON.stringify(bare(one)) === JSON.stringify(bare(other));
const bare = (value: unknown): unknown =>
  Array.isArray(value)
    ? value.map(bare)
    : typeof value === 'object' && value !== null && 'id' in value
      ? value.id
      : (value ?? null);

/** Somebody else saved a record while it was edited: both values of each field, for the person to choose. */
export interface Clash {
  readonly record: ShownRecord;
  readonly values: Readonly<Record<string, unknown>>;
  readonly fields: readonly { readonly field: string; readonly theirs: unknown; readonly yours: unknown }[];
}

/** To how many routines would write, for which one asks first. */
export interface Sends {
  readonly count: number;
  readonly routines: readonly string[];
}

/** A write that waits for an answer, as very much would be calculated anew, or sent. */
export interface Reach {
  readonly what: string;
  readonly tables: readonly { readonly table: string; readonly label: string; readonly count: number }[];
  readonly sends: Sends | null;
  readonly go: () => Promise<unknown>;
}

interface EditHow {
  readonly overwrite?: boolean;
  readonly ask?: boolean;
  readonly tries?: number;
}

/** What a paste would do, as the server read the cells. */
interface PastePreview {
  readonly records: { readonly changed: number; readonly made: number };
  readonly cells: { readonly fit: number; readonly blank: number; readonly misfit: number };
  readonly misfits: readonly {
    readonly row: number;
    readonly field: string;
    readonly text: string;
    readonly reason: string;
  }[];
  readonly readings: readonly {
    readonly field: string;
    readonly decimal: '.' | ',';
    readonly dateOrder: 'ymd' | 'dmy' | 'mdy';
    readonly either: boolean;
  }[];
  /** Rows that break a rule or hold a value that is taken. */
  readonly problems?: readonly { readonly row: number; readonly field: string | null; readonly message: string }[];
  readonly problemRows?: number;
  /** There are more than are listed. */
  readonly moreProblems?: boolean;
}

type Readings = Readonly<Record<string, { readonly dateOrder?: string }>>;

/** Cells on their way into records; `id` null stands for a record to be made. */
export interface Pasting {
  readonly fields: readonly Field[];
  readonly rows: readonly { readonly id: number | null; readonly cells: readonly string[] }[];
  readonly preset: Readonly<Record<string, unknown>>;
  readonly preview: PastePreview;
  /** Columns that cannot be entered, or stand beyond the last one. */
  readonly passedOver: readonly string[];
}

/** Up to so many cells are written at once when all of them fit; beyond that it is asked first. */
const plainPaste = 1000;
const mostWritten = 10_000;
/** How long a question whether to undo stands, in milliseconds. */
const offerStands = 20_000;

/** Everything a page writes to the records of one table, with its undo, and the questions that come of it. */
export class RecordWork {
  clash = $state.raw<Clash | null>(null);
  reach = $state.raw<Reach | null>(null);
  pasting = $state.raw<Pasting | null>(null);
  going = $state(false);
  /** An undo that was asked about. */
  private offered: { readonly batch: number; readonly until: number } | null = null;
  private readonly underWay = new UnderWay();
  readonly watched: WatchedWork;
  /** Records that were typed and are not saved yet. */
  readonly pending: PendingRecords;

  constructor(
    private readonly place: () => {
      readonly workspace: string;
      readonly table: Table;
      readonly set: RecordSet;
      readonly zone: string;
    },
    private readonly notices: Notices,
    private readonly unsent: UnsentEdits,
  ) {
    this.watched = new WatchedWork(() => this.place().workspace);
    this.pending = new PendingRecords(`inner-loom pending ${unsent.person}`, (record, leave) =>
      this.makeTyped(record, leave),
    );
  }

  private path(rest = ''): string {
    const { workspace, table } = this.place();
    return workspacePath(workspace, `/tables/${table.key}/records${rest}`);
  }

  titleOf(record: ShownRecord): string {
    const { table } = this.place();
    const key = table.fields.find(({ id }) => id === table.title)?.key ?? '';
    return editText(record.values[key]) || `#${record.id}`;
  }

  private done(message: string, batch: number): void {
    this.notices.done(message, { label: 'Undo', run: () => void this.undo(batch) });
  }

  /** Undoes a batch, once all is saved that was begun before. */
  undo(batch: number): Promise<void> {
    return this.underWay.after(() => this.undone(batch));
  }

  private async undone(batch: number): Promise<void> {
    const answer = await call<{ batch: number }>(
      'POST',
      workspacePath(this.place().workspace, `/batches/${batch}/undo`),
    );
    if (!answer.ok) return this.notices.refused(answer.problem);
    this.notices.done('Undone.', { label: 'Redo', run: () => void this.undo(answer.value.batch) });
  }

  /**
   * Undoes the latest of one's own edits in this table, or does again what was undone; what is elsewhere, or concerns
   * many records, is asked about. It waits until all is saved that was begun before.
   */
  step(which: 'undo' | 'redo'): Promise<void> {
    return this.underWay.after(async () => {
      await this.pending.sent;
      return this.stepped(which);
    });
  }

  private async stepped(which: 'undo' | 'redo'): Promise<void> {
    const { workspace, table } = this.place();
    const answer = await call<{ batch: number; title: string }>(
      'POST',
      workspacePath(workspace, `/${which}`),
      which === 'undo' ? { table: table.key, ask: true } : {},
    );
    if (answer.ok)
      return this.notices.done(
        `${which === 'undo' ? 'Undone' : 'Done again'}: ${answer.value.title}.`,
        undefined,
        'step',
      );
    const waiting = answer.problem.undo as { batch: number; elsewhere?: readonly string[] } | undefined;
    if (!waiting) return this.notices.refused(answer.problem);
    // Asked for again while the question stands, it is meant.
    if (this.offered?.batch === waiting.batch && Date.now() < this.offered.until) {
      this.offered = null;
      return this.undone(waiting.batch);
    }
    this.offered = { batch: waiting.batch, until: Date.now() + offerStands };
    const label = waiting.elsewhere ? `Undo it in ${waiting.elsewhere.join(', ')}` : 'Undo it';
    this.notices.offer(
      { ...answer.problem, fix: 'Ctrl+Z again does it.' },
      { label, run: () => void this.undo(waiting.batch) },
    );
  }

  async go(): Promise<void> {
    this.going = true;
    await this.watched.during(this.reach?.go() ?? Promise.resolve());
    [this.going, this.reach] = [false, null];
  }

  /** What a refused write asks or says; `again` is the same write without the question. */
  private refused(problem: Refused, what: string, again: () => Promise<unknown>): void {
    if (Array.isArray(problem.reach)) {
      const { reach, sends = null } = problem as Refused & { reach: Reach['tables']; sends?: Sends };
      this.reach = { what, tables: reach, sends, go: again };
    } else this.notices.refused(problem);
  }

  edit(record: ShownRecord, field: Field, value: unknown, how: EditHow = {}): Promise<void> {
    return this.underWay.during(() => this.edited(record, field, value, how));
  }

  private async edited(record: ShownRecord, field: Field, value: unknown, how: EditHow): Promise<void> {
    const { set } = this.place();
    const { tries = 0 } = how;
    const key = crypto.randomUUID();
    const cell = set.cellOf(record.id, field.key);
    this.unsent.writeOver(cell);
    if (value instanceof Later) {
      const settled = await value.settled;
      if (settled.ok) return this.edit(record, field, settled.value, how);
      // The text is kept beside the cell, with the reason, until the person corrects or drops it.
      const words = `${field.label} of ${this.titleOf(record)}: ${value.text}`;
      const refused: Refused = { ...settled.problem, status: 422 };
      return this.unsent.add({
        ...set.edit(record, { [field.key]: value.text }, { key }),
        words,
        cell,
        value: value.text,
        refused,
      });
    }
    if (editText(value) === editText(record.values[field.key]) && typeof value !== 'object') return;
    const answer = await set.write(record, { [field.key]: value }, { ...how, key });
    if (answer.ok) return this.done(`${field.label} of ${this.titleOf(record)} changed.`, answer.value.batch);
    const { fields, version } = answer.problem as { fields?: Clash['fields']; version?: number };
    // Something else of the record changed meanwhile: nobody's value is written over.
    const isElsewhere = fields?.every(({ theirs }) => isSameValue(theirs, record.values[field.key])) === true;
    if (isElsewhere && typeof version === 'number' && tries < mostTries)
      return this.edit({ ...record, version }, field, value, { ...how, tries: tries + 1 });
    if (Array.isArray(answer.problem.fields)) {
      this.clash = { record, values: { [field.key]: value }, fields: answer.problem.fields as Clash['fields'] };
      await set.refresh();
    } else if (Array.isArray(answer.problem.reach))
      this.refused(answer.problem, `${field.label} of ${this.titleOf(record)}:`, () =>
        this.edit(record, field, value, { ...how, ask: false }),
      );
    else {
      // Whatever the answer was, what was typed is kept: sent again where nobody was reached, else shown with the
      // reason.
      const words = `${field.label} of ${this.titleOf(record)}: ${editText(value) || 'blank'}`;
      const refused = unreached(answer.problem) ? {} : { refused: answer.problem };
      this.unsent.add({ ...set.edit(record, { [field.key]: value }, { ...how, key }), words, cell, value, ...refused });
    }
  }

  /** Ends a clash: one's own values are written over the others, or theirs stand. */
  async settle(mine: boolean): Promise<void> {
    const kept = this.clash;
    this.clash = null;
    const now = kept && this.place().set.withId(kept.record.id);
    const field = kept && this.place().table.fields.find(({ key }) => key in kept.values);
    if (mine && kept && now && field) await this.edit(now, field, kept.values[field.key], { overwrite: true });
  }

  /** Sends a record that was typed, and shows it where its table is shown. */
  private async makeTyped(
    { table, path, values, key }: PendingRecord,
    leave: () => void,
  ): Promise<Answer<WriteAnswer>> {
    const here = () => this.place().table.id === table;
    const send = () => call<WriteAnswer>('POST', path, { records: [{ values }] }, key);
    const answer = await (here() ? this.place().set.during(send) : send());
    if (!answer.ok) return answer;
    const { batch, records = [] } = answer.value;
    const [record] = records;
    leave();
    if (here()) this.place().set.join(records);
    this.notices.done(
      `${record && here() ? this.titleOf(record) : 'A record'} made.`,
      { label: 'Undo', run: () => void this.undo(batch) },
      'made',
    );
    return answer;
  }

  /** A record that was typed into the last row of a grid. */
  type(values: Readonly<Record<string, unknown>>): void {
    this.pending.add(this.place().table.id, this.path(), values);
  }

  /** Makes records as others are: what is entered in them, without what must be unique. */
  copy(records: readonly ShownRecord[]): Promise<void> {
    return this.underWay.during(() => this.copied(records));
  }

  private async copied(records: readonly ShownRecord[]): Promise<void> {
    const { set, table } = this.place();
    const whole = await Promise.all(records.map(({ id }) => call<ShownRecord>('GET', this.path(`/${id}`))));
    const fields = table.fields.filter((field) => isEntered(field) && !field.unique);
    const copies = whole.flatMap((answer) =>
      answer.ok
        ? [{ values: Object.fromEntries(fields.map(({ key }) => [key, answer.value.values[key] ?? null])) }]
        : [],
    );
    const answer = await set.during(() => call<WriteAnswer>('POST', this.path(), { records: copies }, true));
    if (!answer.ok) return this.notices.refused(answer.problem);
    set.fresh = [...set.fresh, ...answer.value.records];
    this.done(`${counted(copies.length, 'record')} copied.`, answer.value.batch);
  }

  /** Deletes records; whether they are deleted. */
  async remove(ids: readonly number[], ask = true): Promise<boolean> {
    const send = () => call<{ batch: number }>('DELETE', this.path(), { ids, ask }, true);
    const answer = await this.underWay.during(send);
    if (answer.ok) {
      this.done(`${counted(ids.length, 'record')} deleted.`, answer.value.batch);
      await this.place().set.refresh();
    } else this.refused(answer.problem, 'Deleting:', () => this.remove(ids, false));
    return answer.ok;
  }

  /** Writes values into several records at once. */
  async writeAll(
    records: readonly { readonly id: number; readonly values: Readonly<Record<string, unknown>> }[],
    what: string,
    ask = true,
  ): Promise<void> {
    if (records.length === 0) return;
    if (records.length > mostWritten)
      return this.notices.refused({
        message: `${counted(records.length, 'record')} are more than one step may change.`,
        fix: 'Do it in parts.',
      });
    const { set } = this.place();
    const send = () => call<WriteAnswer>('PATCH', this.path(), { records, ask }, true);
    const answer = await this.underWay.during(() => set.during(send));
    if (!answer.ok) return this.refused(answer.problem, `${what}:`, () => this.writeAll(records, what, false));
    set.show(answer.value.records);
    this.done(`${what}.`, answer.value.batch);
  }

  /** Blanks what is entered in some fields of some records. */
  async clear(records: readonly ShownRecord[], fields: readonly Field[]): Promise<void> {
    const entered = fields.filter(isEntered);
    const blank = (field: Field) => (field.type.kind === 'counterpart' ? [] : null);
    const filled = records.filter(({ values }) => entered.some(({ key }) => editText(values[key]) !== ''));
    if (entered.length === 0)
      return this.notices.refused({
        message: 'What is calculated cannot be blanked.',
        fix: 'Blank one of the fields it comes from.',
      });
    const [only] = filled;
    const [field] = entered;
    if (filled.length === 1 && entered.length === 1 && only && field) return this.edit(only, field, blank(field));
    const values = Object.fromEntries(entered.map((one) => [one.key, blank(one)]));
    await this.writeAll(
      filled.map(({ id }) => ({ id, values })),
      `${(filled.length * entered.length).toLocaleString()} cells blanked`,
    );
  }

  /** Fills cells from the first ones of their columns: with the same value, or as a series that goes on. */
  async fill(records: readonly ShownRecord[], fields: readonly Field[], how: 'down' | 'series'): Promise<void> {
    const entered = fields.filter(isEntered);
    const [first, ...others] = records;
    if (!first || entered.length === 0 || others.length === 0)
      return this.notices.refused({ message: 'Choose the cells to fill, the one to fill from first.' });
    const cells = others.length * entered.length;
    if (how === 'down') {
      const sent = (field: Field) => first.values[field.key] ?? (field.type.kind === 'counterpart' ? [] : null);
      const values = Object.fromEntries(entered.map((field) => [field.key, sent(field)]));
      return this.writeAll(
        others.map(({ id }) => ({ id, values })),
        `${cells.toLocaleString()} cells filled`,
      );
    }
    const columns = entered.map((field) => {
      const texts = records.map(({ values }) => editText(values[field.key], field.type, this.place().zone));
      // A series begins with what is filled at the top of the choice: two cells say its step.
      const blank = texts.findIndex((text) => text === '');
      const given = blank < 0 ? texts.slice(0, Math.min(2, texts.length - 1)) : texts.slice(0, Math.max(1, blank));
      return [...given, ...continued(given, texts.length - given.length)];
    });
    await this.paste(
      entered,
      records.map(({ id }, row) => ({ id, cells: columns.map((column) => column[row] ?? '') })),
      {},
      [],
    );
  }

  /** Cells from the clipboard: written at once where they are few and fit, otherwise shown first. */
  paste(
    fields: readonly Field[],
    rows: Pasting['rows'],
    preset: Pasting['preset'],
    passedOver: readonly string[],
  ): Promise<void> {
    return this.underWay.during(() => this.pasted(fields, rows, preset, passedOver));
  }

  private async pasted(
    fields: readonly Field[],
    rows: Pasting['rows'],
    preset: Pasting['preset'],
    passedOver: readonly string[],
  ): Promise<void> {
    if (fields.length === 0)
      return this.notices.refused({
        message: 'Nothing can be pasted here: these columns are calculated.',
        fix: 'Choose columns that people fill in.',
      });
    const answer = await call<{ preview: PastePreview }>('POST', this.path('/paste'), {
      fields: fields.map(({ key }) => key),
      rows,
      preset,
      dry: true,
    });
    if (!answer.ok) return this.notices.refused(answer.problem);
    const { preview } = answer.value;
    const plain =
      preview.cells.misfit === 0 &&
      (preview.problemRows ?? 0) === 0 &&
      rows.length * fields.length <= plainPaste &&
      passedOver.length === 0 &&
      !preview.readings.some(({ either }) => either);
    this.pasting = { fields, rows, preset, preview, passedOver };
    if (plain) await this.doPaste('setAside');
  }

  /** Reads the waiting cells another way, and shows what that gives. */
  async readPaste(readings: Readings): Promise<void> {
    const waiting = this.pasting;
    if (!waiting) return;
    const { fields, rows, preset } = waiting;
    const answer = await call<{ preview: PastePreview }>('POST', this.path('/paste'), {
      fields: fields.map(({ key }) => key),
      rows,
      preset,
      readings,
      dry: true,
    });
    if (answer.ok) this.pasting = { ...waiting, preview: answer.value.preview };
  }

  /** Leaves the rows out that cannot be written; what is left is looked at anew. */
  async leaveProblems(): Promise<void> {
    const waiting = this.pasting;
    if (!waiting) return;
    const gone = new Set(waiting.preview.problems?.map(({ row }) => row));
    this.pasting = { ...waiting, rows: waiting.rows.filter((_, row) => !gone.has(row)) };
    await this.readPaste({});
  }

  /** Writes the cells that wait. */
  async doPaste(misfits: 'setAside' | 'leave', ask = true): Promise<void> {
    const waiting = this.pasting;
    if (!waiting) return;
    const { fields, rows, preset, preview } = waiting;
    const { set } = this.place();
    this.going = true;
    const readings = Object.fromEntries(
      preview.readings.map(({ field, decimal, dateOrder }) => [field, { decimal, dateOrder }]),
    );
    const sent = { fields: fields.map(({ key }) => key), rows, preset, misfits, readings, ask };
    const send = () => call<WriteAnswer>('POST', this.path('/paste'), sent, true);
    const answer = await this.watched.during(this.underWay.during(() => set.during(send)));
    this.going = false;
    if (!answer.ok) {
      // What did not reach the server stays to be written again.
      if (!Array.isArray(answer.problem.reach) && !unreached(answer.problem)) this.pasting = null;
      return this.refused(answer.problem, 'Pasting:', () => this.doPaste(misfits, false));
    }
    this.pasting = null;
    set.show(answer.value.records);
    const { fit, misfit } = preview.cells;
    const aside = misfit > 0 ? `, ${misfit.toLocaleString()} ${misfits === 'setAside' ? 'set aside' : 'skipped'}` : '';
    this.done(
      `${fit.toLocaleString()} ${fit === 1 ? 'cell' : 'cells'} written${preview.records.made > 0 ? `, ${counted(preview.records.made, 'record')} made` : ''}${aside}.`,
      answer.value.batch,
    );
    if (preview.records.made > 0) await set.refresh();
  }
}
