import { newId, type FieldId } from '../../types/identity';
import { checkKey, freeKey, keyFromLabel } from '../../base/key';
import { isEntered } from '../../model/model';
import { type Model, type Table } from '../../types/model';
import { dyes, type Field } from '../../types/field';
import { freeLabel } from '../../model/names/naming';
import { goneTo, partsOf, type SplitOff, type SplitPart } from '../intake';
import type { ColumnDecision, Decisions, FoundLink, IntakeSheet, SheetDecision } from '../intake';
import { recordMatch } from '../sheets/declared';
import { matchFields } from '../matchFields';
import { labelFromName } from '../naming';

export interface ProposalSource {
  readonly model: Model;
  readonly sheets: readonly IntakeSheet[];
  readonly links: readonly FoundLink[];
  readonly decisions: Decisions;
  /** Identities given before, so that a correction keeps those of everything else. */
  readonly identities?: ReadonlyMap<string, string>;
}

/** The table a link points at, and the field of it that the column's texts are matched with. */
export interface LinkTarget {
  readonly table: Table;
  readonly match: FieldId;
  readonly also?: { readonly column: number; readonly match: FieldId };
  readonly separator?: string;
  /** Spellings that are alike but for case, signs and zeros, and what they are taken for. */
  readonly alike?: FoundLink['alike'];
  /** The table was split off the column's own sheet. */
  readonly splitOff: boolean;
}

/** What a proposal stands on: where each sheet's rows go, and what each of its columns points at, found or decided. */
export class Ground {
  /** The table that each sheet would become, without its fields; those of sheets that go elsewhere are not made. */
  readonly tables: readonly Table[];
  private readonly identities: Map<string, string>;
  // What a source says never changes, and both are asked for column by column.
  private readonly leftOut = new Map<number, boolean>();
  private readonly fields = new Map<string, ReadonlyMap<number, Field>>();

  constructor(private readonly source: ProposalSource) {
    this.identities = new Map(source.identities);
    const { model, sheets } = source;
    const [keys, labels] = [new Set(model.tables.map(({ key }) => key)), model.tables.map(({ label }) => label)];
    const usedDyes = new Set(model.tables.map(({ dye }) => dye));
    const freshDyes = [...dyes.filter((dye) => !usedDyes.has(dye)), ...dyes.filter((dye) => usedDyes.has(dye))];
    this.tables = sheets.map((sheet, index): Table => {
      const declared = sheet.declared?.table;
      const label = freeLabel(
        this.sheetDecision(index).label ?? declared?.label ?? labelFromName(this.nameOf(index)),
        labels,
      );
      const named = declared && checkKey(sheet.name).ok ? sheet.name : keyFromLabel(label, 'table');
      const key = freeKey(named, keys);
      if (this.isNew(index)) {
        labels.push(label);
        keys.add(key);
      }
      return {
        id: this.identity(`t${index}`, 't'),
        key,
        label,
        description: declared?.description ?? '',
        dye: declared?.dye ?? freshDyes[index % freshDyes.length] ?? 'woad',
        title: null,
        fields: [],
      };
    });
  }

  /** The identity of what stands at a place of the proposal, such as `t0` or `f0.3`: the one it had, or a new one. */
  identity(place: string, prefix: 't' | 'f'): string {
    const id = this.identities.get(place) ?? newId(prefix);
    this.identities.set(place, id);
    return id;
  }

  /** A sheet's name; one that was part of another one's rows is called after itself alone. */
  private nameOf(index: number): string {
    const { name = '', declared } = this.source.sheets[index] ?? {};
    const parent = declared?.links?.[0]?.sheet;
    return parent !== undefined && name.startsWith(`${parent} `) ? name.slice(parent.length + 1) : name;
  }

  decisionOf(sheet: number, column: number): ColumnDecision {
    return this.source.decisions.columns[`${sheet}.${column}`] ?? {};
  }

  sheetDecision(sheet: number): SheetDecision {
    return this.source.decisions.tables[String(sheet)] ?? {};
  }

  /** The standing table that a sheet is about: the one that was chosen, else the one its key tells records of. */
  intoOf(sheet: number): Table | undefined {
    const { into: wished, with: other } = this.sheetDecision(sheet);
    const { model, sheets } = this.source;
    const alike = sheets[sheet]?.standing?.find(({ column }) => column === sheets[sheet]?.keys[0]);
    return wished === 'new' || other !== undefined
      ? undefined
      : model.tables.find(({ id, home }) => home === undefined && id === (wished ?? alike?.table));
  }

  /** The sheet whose new table takes a sheet's rows: itself, or the one it is brought in with. */
  rootOf(sheet: number): number {
    const { with: other } = this.sheetDecision(sheet);
    const isRoot =
      other !== undefined &&
      other !== sheet &&
      this.source.sheets[other] &&
      this.sheetDecision(other).with === undefined;
    return isRoot && !this.intoOf(other) && !this.isLeftOut(other) ? other : sheet;
  }

  private isNew(sheet: number): boolean {
    return this.rootOf(sheet) === sheet && !this.intoOf(sheet) && !this.isLeftOut(sheet);
  }

  isLeftOut(sheet: number): boolean {
    const known = this.leftOut.get(sheet);
    if (known !== undefined) return known;
    const derived = this.source.sheets[sheet]?.derived;
    const { skip } = this.sheetDecision(sheet);
    // Two splits may tell each other.
    this.leftOut.set(sheet, false);
    const left =
      skip === true ||
      (derived !== undefined &&
        (partsOf(derived).every((part) => this.isPartLeftOut(part)) ||
          (skip === undefined && !derived.byHand && this.wouldLose(sheet, derived))));
    this.leftOut.set(sheet, left);
    return left;
  }

  private isPartLeftOut({ sheet, determinant }: SplitPart): boolean {
    return this.isLeftOut(sheet) || this.decisionOf(sheet, determinant).as === 'skip';
  }

  /**
   * Whether columns that a sheet repeats have no place when they are split off it: the things they tell of stand in a
   * table that does not take all of them, or the sheet goes into a table that stands and has fields for them itself.
   */
  private wouldLose(sheet: number, split: SplitOff): boolean {
    const own = this.intoOf(sheet);
    if (own && this.fieldsOf(own, sheet).size < (this.source.sheets[sheet]?.columns.length ?? 0)) return true;
    return partsOf(split).some(({ sheet: parent, determinant, dependents }) => {
      const standing = this.intoOf(parent);
      if (!standing) return false;
      const taken = this.fieldsOf(standing, parent);
      // What tells the things may itself be identified by others that are split off.
      if (!taken.has(determinant) && !this.isSplitOff(parent, determinant)) return true;
      return !own || dependents.some((column) => column !== null && taken.has(column));
    });
  }

  /** Columns that stand in a table split off, and so not on every row of the sheet itself. */
  isSplitOff(sheet: number, column: number): boolean {
    return this.source.sheets.some(
      ({ derived }, index) => goneTo(derived, sheet, column) !== undefined && !this.isLeftOut(index),
    );
  }

  /** Where a column's link goes: to a table that another sheet becomes or goes into, else to one that stands. */
  linked(sheet: number, column: number): LinkTarget | undefined {
    const { as, match: wished, to, also } = this.decisionOf(sheet, column);
    if (as !== undefined && as !== 'link') return undefined;
    const { model, sheets, links } = this.source;
    if (to !== undefined) return this.wishedTarget(to, wished);
    const link = links.find(({ from }) => from.sheet === sheet && from.column === column);
    if (link && !this.isLeftOut(link.to.sheet) && this.decisionOf(link.to.sheet, link.to.column).as !== 'skip') {
      const found = this.targetOf(link);
      if (found) return found;
    }
    const standing = sheets[sheet]?.standing?.find((one) => one.column === column);
    const table = standing && model.tables.find(({ id }) => id === standing.table);
    // The key of a sheet tells its own records.
    if (!table || !standing || sheets[sheet]?.keys[0] === column) return undefined;
    const second = also ?? (standing.also && { column: standing.also.column, match: standing.also.field });
    return {
      table,
      match: wished ?? standing.field,
      splitOff: false,
      ...(second ? { also: second } : {}),
      ...(standing.separator === undefined ? {} : { separator: standing.separator }),
    };
  }

  /**
   * The columns that tell the records of a sheet: as decided, else the likeliest key. A key that leads to the records of
   * another sheet is a link; then the next one tells the records here.
   */
  keyOf(sheet: number): readonly number[] {
    const { key } = this.sheetDecision(sheet);
    if (key !== undefined) return key;
    const found = this.source.sheets[sheet]?.keys.find((one) => !this.linked(sheet, one));
    return found === undefined ? [] : [found];
  }

  /** The column that only tells a sheet's rows apart, and becomes no field. */
  recordColumn(sheet: number): number | undefined {
    const { declared, columns = [] } = this.source.sheets[sheet] ?? {};
    const at = declared?.record === undefined ? -1 : columns.findIndex(({ name }) => name === declared.record);
    return at < 0 ? undefined : at;
  }

  /** A target that nobody found but a person chose. */
  private wishedTarget(to: string, match: FieldId | undefined): LinkTarget | undefined {
    const place = /^t(\d+)$/.exec(to)?.[1];
    const standing =
      place === undefined ? this.source.model.tables.find(({ id }) => id === to) : this.intoOf(Number(place));
    const splitOff = false;
    if (standing) {
      const own =
        standing.fields.find((field) => field.id === match) ??
        standing.fields.find((field) => field.unique && isEntered(field));
      const field = own?.id ?? standing.title;
      return field ? { table: standing, match: field, splitOff } : undefined;
    }
    const sheet = Number(place);
    const table = this.tables[this.rootOf(sheet)];
    const column = this.source.sheets[sheet]?.keys[0] ?? 0;
    return table && !this.isLeftOut(sheet) ? { table, match: this.fieldPlaceOf(sheet, column), splitOff } : undefined;
  }

  private targetOf({ to, also, separator, alike }: FoundLink): LinkTarget | undefined {
    const into = this.intoOf(to.sheet);
    // The rows of a sheet that is brought in with another one are no things of their own.
    if (!into && this.rootOf(to.sheet) !== to.sheet) return undefined;
    const splitOff = this.source.sheets[to.sheet]?.derived !== undefined;
    const told = into ? this.fieldsInto(into, to.sheet) : undefined;
    const fieldAt = (column: number) =>
      this.recordColumn(to.sheet) === column
        ? recordMatch
        : told
          ? told.get(column)?.id
          : this.fieldPlaceOf(to.sheet, column);
    const match = fieldAt(to.column);
    const table = into ?? this.tables[this.rootOf(to.sheet)];
    if (match === undefined || !table) return undefined;
    const second = also && fieldAt(also.to);
    return {
      table,
      match,
      splitOff,
      ...(separator === undefined ? {} : { separator }),
      ...(alike ? { alike } : {}),
      ...(also && second !== undefined ? { also: { column: also.from, match: second } } : {}),
    };
  }

  /** The identity of the field that a column of a sheet which makes a table goes to. */
  private fieldPlaceOf(sheet: number, column: number): FieldId {
    const { field } = this.decisionOf(sheet, column);
    return this.identity(field !== undefined && /^f\d+\.\d+$/.test(field) ? field : `f${sheet}.${column}`, 'f');
  }

  /** The fields of a standing table that a sheet's columns go to: as decided, else the most alike. */
  fieldsInto(table: Table, sheet: number): ReadonlyMap<number, Field> {
    const all = this.fieldsOf(table, sheet);
    const isElsewhere = (column: number) => {
      const { as, field } = this.decisionOf(sheet, column);
      return as === undefined && field === undefined && this.isSplitOff(sheet, column);
    };
    return new Map([...all].filter(([column]) => !isElsewhere(column)));
  }

  /** The same as if nothing were split off. */
  private fieldsOf(table: Table, sheet: number): ReadonlyMap<number, Field> {
    const place = `${table.id} ${sheet}`;
    const known = this.fields.get(place);
    if (known) return known;
    const { model, sheets } = this.source;
    const profiles = sheets[sheet]?.columns ?? [];
    const key = sheets[sheet]?.standing?.find((one) => one.column === sheets[sheet]?.keys[0] && one.table === table.id);
    const told = key && table.fields.find(({ id }) => id === key.field);
    // A field takes one column, so what a person chose is spoken for.
    const chosen = new Map<number, Field>(key && told ? [[key.column, told]] : []);
    profiles.forEach((_, column) => {
      const { field: wished } = this.decisionOf(sheet, column);
      const field = wished === undefined ? undefined : table.fields.find(({ id }) => id === wished);
      if (field) chosen.set(column, field);
    });
    // What goes to a field of its own takes none of those that stand.
    const open = profiles.map((profile, column) =>
      this.decisionOf(sheet, column).field === 'new' ? { ...profile, name: '' } : profile,
    );
    const alike = matchFields(model, table, open, chosen);
    const found = new Map(
      profiles.flatMap((_, column) => {
        const { as, field: wished } = this.decisionOf(sheet, column);
        if (as === 'skip' || column === this.recordColumn(sheet)) return [];
        const field = wished === undefined ? alike.get(column) : table.fields.find(({ id }) => id === wished);
        return field ? [[column, field] as const] : [];
      }),
    );
    this.fields.set(place, found);
    return found;
  }
}
