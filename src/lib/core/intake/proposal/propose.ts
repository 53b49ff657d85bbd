import { checkOwnFormula } from '../../flow/ownFormula';
import { applyChange, applyChanges } from '../../changes/change';
import type { AddField, Change } from '../../types/change';
import { newId, type FieldId } from '../../types/identity';
import { checkKey, freeKey, keyFromLabel } from '../../base/key';
import { changesToAddLink } from '../../changes/linkPlans';
import { isEntered, linkedTable, tableOf } from '../../model/model';
import type { Model, Table } from '../../types/model';
import type { Field } from '../../types/field';
import { freeLabel } from '../../model/names/naming';
import { canBeUnique, type Reading } from '../../fieldTypes/registry';
import { newFieldPlace, withSystemFields } from '../../model/systemFields';
import type {
  ColumnDecision,
  ColumnMapping,
  ColumnProfile,
  ConstantMapping,
  DeclaredColumn,
  IntakeSheet,
  Proposal,
  SheetMapping,
} from '../intake';
import { matchFields, recognisedBy } from '../matchFields';
import { recordMatch } from '../sheets/declared';
import { labelFromName, oneOfMany, thingNamed } from '../naming';
import { plainReading } from '../../fieldTypes/kind';
import { cleaningOf } from './cleaning';
import { optionsOf, typeOfColumn, widened } from './fieldType';
import { Ground, type LinkTarget, type ProposalSource } from './ground';

export type { ProposalSource } from './ground';

/**
 * The model that the sheets would become: a table a sheet, a field a column with its proposed or chosen type, the found
 * links, keys unique and shown as titles; sheets that go into a table that stands, or into another sheet's, are mapped
 * onto its fields. Pure: the same sheets and decisions give the same proposal but for identities.
 */
export function propose(source: ProposalSource): Proposal {
  const { sheets, links, decisions } = source;
  const ground = new Ground(source);
  const drafts = new Drafts(source, ground);
  const mappings: SheetMapping[] = [];
  // Tables come before the sheets that are brought in with them.
  const order = sheets
    .map((_, sheet) => sheet)
    .sort((a, b) => Number(ground.rootOf(a) !== a) - Number(ground.rootOf(b) !== b) || a - b);
  for (const sheet of order) {
    if (ground.isLeftOut(sheet)) continue;
    const standing = ground.intoOf(sheet);
    mappings.push(standing ? drafts.takeInto(standing, sheet) : drafts.take(sheet));
  }
  return { decisions, changes: drafts.changes(), mappings: mappings.toSorted((a, b) => a.sheet - b.sheet), links };
}

/** How a column's texts are read: what a formula gives is written plainly unless it is a text. */
function readingOf(profile: ColumnProfile, decision: ColumnDecision): Reading {
  const plain = profile.cleaned !== undefined && profile.cleaned.formula.type.is !== 'text';
  return decision.reading ?? (plain ? plainReading : profile.reading);
}

/** Whether a link is better called after the things it leads to than after the column: a last name means a person. */
const isOfThing = ({ match, also, splitOff }: LinkTarget): boolean =>
  match === recordMatch || (also !== undefined && splitOff);

const missingOf = ({ missing }: ColumnDecision) => (missing === undefined || missing === 'setAside' ? {} : { missing });

/** A table being drafted from one or several sheets. */
interface Draft {
  readonly table: Table;
  readonly fields: Field[];
  title: FieldId | null;
}

/** The tables that sheets become, with their links, while one sheet after the other is taken. */
class Drafts {
  private readonly drafts = new Map<number, Draft>();
  /** The field that each column went to, by its place. */
  private readonly taken = new Map<string, FieldId>();
  /** Fields that are new in tables that stand. */
  private readonly added: Change[] = [];
  /** Links are made last, so that their other sides are named around every field. */
  private readonly pending: (() => Change[])[] = [];
  private readonly formulas: { readonly table: string; readonly declared: DeclaredColumn; readonly titles?: true }[] =
    [];
  private readonly linkFields: { readonly table: string; readonly field: Field }[] = [];
  private readonly names: ReadonlyMap<string, { readonly labels: string[]; readonly keys: Set<string> }>;
  /** Everything that stands or will, for naming. */
  private readonly model: Model;

  constructor(
    private readonly source: ProposalSource,
    private readonly ground: Ground,
  ) {
    this.model = { tables: [...source.model.tables, ...ground.tables] };
    this.names = new Map(
      this.model.tables.map(({ id, fields }) => [
        id,
        { labels: fields.map(({ label }) => label), keys: new Set(fields.map(({ key }) => key)) },
      ]),
    );
  }

  changes(): Change[] {
    const at = this.source.model.tables.length;
    const tables = [...this.drafts.values()].map(({ table, fields, title }, index): Change => ({
      do: 'addTable',
      at: at + index,
      table: { ...table, fields: withSystemFields(fields), title },
    }));
    const changes = [...tables, ...this.added, ...this.pending.flatMap((make) => make())];
    return [...changes, ...this.pairRules(), ...this.calculated(changes)];
  }

  /**
   * Where several columns tell a record, as a person says or links need it, they are unique together from then on, and
   * the next file finds the records by that.
   */
  private pairRules(): Change[] {
    const { links, sheets } = this.source;
    return [...this.drafts].flatMap(([sheet, { table, fields: own }]): Change[] => {
      const chosen = this.ground.keyOf(sheet);
      const pair = links.find(({ to, also }) => also !== undefined && to.sheet === sheet);
      const columns = chosen.length > 1 ? chosen : pair?.also ? [pair.to.column, pair.also.to] : [];
      const isAlone = sheets.every((_, other) => other === sheet || this.ground.rootOf(other) !== sheet);
      const fields = columns.map((column) => this.taken.get(`${sheet}.${column}`));
      // A rule is held to single values as they came in.
      const isSingle = (column: number, field: FieldId | undefined) =>
        !sheets[sheet]?.columns[column]?.cleaned &&
        this.ground.linked(sheet, column)?.separator === undefined &&
        own.every(({ id, type }) => id !== field || canBeUnique(type) || type.kind === 'option');
      if (
        !isAlone ||
        columns.length < 2 ||
        fields.includes(undefined) ||
        !columns.every((column, at) => isSingle(column, fields[at]))
      )
        return [];
      const names = columns.map((column) => sheets[sheet]?.columns[column]?.name ?? '');
      const message = `There is a record with this ${names.join(' and ')} already.`;
      return [
        {
          do: 'addRule',
          table: table.id,
          at: 0,
          rule: { id: newId('r'), kind: 'unique', fields: fields as FieldId[], message },
        },
      ];
    });
  }

  /**
   * Calculated fields that a file of ours declares, once what it reads is there; those that cannot be read any more are
   * left out.
   */
  private calculated(before: readonly Change[]): Change[] {
    if (this.formulas.length === 0) return [];
    const applied = applyChanges(this.source.model, before);
    if (!applied.ok) return [];
    let { model } = applied.value;
    const made: Change[] = [];
    for (let open = this.formulas; open.length > 0;) {
      const left = open.filter(({ table, declared, titles }) => {
        const { fields } = tableOf(model, table);
        const own = {
          ...this.named(tableOf(model, table), declared.title ?? labelFromName(declared.name), declared.name),
          id: newId('f'),
        };
        const { expression } = checkOwnFormula(model, table, own, declared.formula ?? '');
        if (!expression) return true;
        const type = { kind: 'formula', formula: expression, result: expression.type } as const;
        const change: Change = {
          do: 'addField',
          table,
          at: newFieldPlace(fields),
          field: { ...own, help: declared.description ?? '', required: false, unique: false, type },
        };
        const next = applyChange(model, change);
        if (!next.ok) return true;
        model = next.value;
        made.push(change, ...(titles ? [{ do: 'changeTable', table, set: { title: own.id } } as const] : []));
        return false;
      });
      if (left.length === open.length) break;
      open = left;
    }
    return made;
  }

  /** A label and a key in a table that no other field has. */
  private named(table: Table, wished: string, wishedKey?: string): { label: string; key: string } {
    const { labels, keys } = this.names.get(table.id) ?? { labels: [], keys: new Set<string>() };
    const label = freeLabel(wished, labels);
    const key = freeKey(
      wishedKey !== undefined && checkKey(wishedKey).ok ? wishedKey : keyFromLabel(label, 'field'),
      keys,
    );
    labels.push(label);
    keys.add(key);
    return { label, key };
  }

  /** Where the columns of a sheet go in a table that stands: to its fields, and to new ones where a person says so. */
  takeInto(table: Table, sheet: number): SheetMapping {
    const mapping = mappingInto(this.source, this.ground, table, sheet);
    const made = (this.source.sheets[sheet]?.columns ?? []).flatMap((profile, column): ColumnMapping[] => {
      const decision = this.ground.decisionOf(sheet, column);
      if (decision.field !== 'new' || decision.as === 'skip') return [];
      const link = this.ground.linked(sheet, column);
      const id = this.ground.identity(`f${sheet}.${column}`, 'f');
      const label = decision.label ?? labelFromName(link ? thingNamed(profile.name) : profile.name);
      const field = { ...this.named(table, label), id, help: '', required: false };
      const clean = cleaningOf(profile, decision, link);
      const base = { column, field: id, reading: readingOf(profile, decision), ...(clean ? { clean } : {}) };
      const at = newFieldPlace(table.fields) + this.added.length;
      if (link) {
        this.addLink(sheet, column, field, link, table, {}, at);
        return [{ ...base, ...told(this.source, this.ground, sheet, link, decision) }];
      }
      const type = typeOfColumn(profile, decision);
      this.added.push({ do: 'addField', table: table.id, at, field: { ...field, unique: false, type } });
      return [base];
    });
    return { ...mapping, columns: [...mapping.columns, ...made].sort((a, b) => a.column - b.column) };
  }

  /** Where the columns of a sheet go that makes a table, or is brought in with one that does. */
  take(sheet: number): SheetMapping {
    const root = this.ground.rootOf(sheet);
    const table = this.ground.tables[root] as Table;
    const { columns: profiles = [] } = this.source.sheets[sheet] ?? {};
    const [titled] = this.ground.sheetDecision(sheet).key ?? this.source.sheets[sheet]?.keys ?? [];
    const draft = this.drafts.get(root) ?? { table, fields: [], title: null };
    this.drafts.set(root, draft);
    const joined = root === sheet ? new Map<number, Field>() : this.alike(draft, sheet, profiles);
    const columns: ColumnMapping[] = [];
    profiles.forEach((profile, column) => {
      const decision = this.ground.decisionOf(sheet, column);
      if (
        decision.as === 'skip' ||
        column === this.ground.recordColumn(sheet) ||
        (decision.as === undefined && this.ground.isSplitOff(sheet, column))
      )
        return;
      const { declared } = profile;
      // Nothing stands in it.
      if (profile.filled === 0 && !declared && decision.as === undefined && profiles.some(({ filled }) => filled > 0))
        return;
      // What is calculated is calculated anew.
      if (declared?.formula !== undefined && decision.as === undefined && root === sheet) {
        this.formulas.push({ table: table.id, declared });
        return;
      }
      const link = this.ground.linked(sheet, column);
      const clean = cleaningOf(profile, decision, link);
      const base = { column, reading: readingOf(profile, decision), ...(clean ? { clean } : {}) };
      const into = joined.get(column);
      if (into) {
        if (!link)
          draft.fields.splice(
            0,
            draft.fields.length,
            ...draft.fields.map((one) => (one.id === into.id ? widen(one, profile, decision) : one)),
          );
        columns.push({
          ...base,
          field: into.id,
          ...(link ? told(this.source, this.ground, sheet, link, decision) : {}),
        });
        return;
      }
      const id = this.ground.identity(`f${sheet}.${column}`, 'f');
      const label =
        decision.label ??
        declared?.title ??
        labelFromName(
          link
            ? isOfThing(link)
              ? oneOfMany(link.table.label.toLowerCase())
              : thingNamed(profile.name)
            : profile.name,
        );
      const names = this.named(table, label, declared?.field || declared?.link ? profile.name : undefined);
      const field = {
        ...names,
        id,
        help: declared?.description ?? '',
        required: false,
        ...(declared?.required && decision.as === undefined ? { required: true } : {}),
      };
      if (link) {
        this.addLink(sheet, column, field, link, table, declared?.link);
        columns.push({ ...base, field: id, ...told(this.source, this.ground, sheet, link, decision) });
        return;
      }
      const type = typeOfColumn(profile, decision);
      draft.fields.push({
        ...field,
        unique: (declared?.field ? declared.unique === true : this.isKey(sheet, column, profile)) && canBeUnique(type),
        type,
      });
      columns.push({ ...base, field: id });
    });
    if (root === sheet) {
      const wished = this.source.sheets[sheet]?.declared?.table?.title;
      const told = columns.find(({ column }) =>
        wished === undefined ? column === titled : profiles[column]?.name === wished,
      )?.field;
      draft.title = told ?? draft.fields.find(({ type }) => type.kind === 'text')?.id ?? null;
    }
    for (const { column, field } of columns) this.taken.set(`${sheet}.${column}`, field);
    if (this.source.sheets[sheet]?.derived?.pair) this.titleOfPair(draft, columns);
    const constants = this.marked(draft, sheet);
    const numbered = this.ground.recordColumn(sheet);
    return {
      sheet,
      table: table.id,
      columns,
      ...(constants.length > 0 ? { constants } : {}),
      ...(numbered === undefined ? {} : { numbered }),
    };
  }

  /** What two columns tell is called by both of them. */
  private titleOfPair({ table, fields }: Draft, columns: readonly ColumnMapping[]): void {
    const keys = [0, 1].flatMap((at) => {
      const id = columns.find(({ column }) => column === at)?.field;
      return fields.find((one) => one.id === id)?.key ?? [];
    });
    const formula = `textjoin(', ', true, ${keys.join(', ')})`;
    const declared = { name: 'name', title: 'Name', type: 'string', formula };
    if (keys.length === 2) this.formulas.push({ table: table.id, declared, titles: true });
  }

  /** Whether each record has a value of its own; what several sheets bring together, or a formula makes, may repeat. */
  private isKey(sheet: number, column: number, { cleaned, distinct, filled, blanks }: ColumnProfile): boolean {
    const alone =
      this.ground.rootOf(sheet) === sheet &&
      !this.source.sheets.some((_, other) => other !== sheet && this.ground.rootOf(other) === sheet);
    const [key, ...others] = this.ground.keyOf(sheet);
    if (others.length > 0) return false;
    return alone && key === column && (!cleaned || (distinct === filled && blanks === 0));
  }

  /** The fields of a drafted table that the columns of another sheet go to, by decision, name and content. */
  private alike({ table, fields }: Draft, sheet: number, profiles: readonly ColumnProfile[]): Map<number, Field> {
    const all = [...fields, ...this.linkFields.filter(({ table: id }) => id === table.id).map(({ field }) => field)];
    const told = new Map<number, Field>();
    const own = new Set<number>();
    profiles.forEach((_, column) => {
      const { field: wished, as } = this.ground.decisionOf(sheet, column);
      if (wished === 'new' || as === 'skip') own.add(column);
      const known =
        wished !== undefined && /^f\d+\.\d+$/.test(wished)
          ? all.find(({ id }) => id === this.ground.identity(wished, 'f'))
          : undefined;
      if (known) told.set(column, known);
    });
    const open = profiles.map((profile, column) => (own.has(column) ? { ...profile, name: '' } : profile));
    const found = matchFields(this.model, { ...table, fields: all }, open, told);
    return new Map([...found].filter(([column]) => !own.has(column)));
  }

  /** The field that says for each record which sheet it came from, and its text for this one. */
  private marked({ table, fields }: Draft, sheet: number): ConstantMapping[] {
    const { mark } = this.ground.sheetDecision(sheet);
    if (!mark) return [];
    const id = this.ground.identity(`m${this.ground.rootOf(sheet)}.${mark.field}`, 'f');
    const known = fields.findIndex((field) => field.id === id);
    const standing = fields[known];
    const before = standing?.type.kind === 'option' ? standing.type.options.map(({ label }) => label) : [];
    const type = { kind: 'option', options: optionsOf([...before, mark.text]) } as const;
    if (standing) fields[known] = { ...standing, type };
    else
      fields.push({
        ...this.named(table, mark.field),
        id,
        help: 'Which sheet the record came from',
        required: false,
        unique: false,
        type,
      });
    return [{ field: id, text: mark.text }];
  }

  private addLink(
    sheet: number,
    column: number,
    base: Omit<Field, 'type' | 'unique'>,
    { table: target, separator }: LinkTarget,
    table: Table,
    declared: DeclaredColumn['link'] = {},
    at = column,
  ): void {
    const other = this.ground.identity(`c${sheet}.${column}`, 'f');
    const link = { kind: 'link', to: target.id, onDelete: declared.onDelete ?? 'prevent', counterpart: other } as const;
    this.linkFields.push({ table: table.id, field: { ...base, unique: false, type: link } });
    this.pending.push(() => {
      const names = this.named(target, declared.counterpart?.label ?? table.label, declared.counterpart?.key);
      if (separator !== undefined) return this.pairsFor(sheet, column, at, base, target, table, names);
      const change: AddField = {
        do: 'addField',
        table: table.id,
        at,
        field: { ...base, unique: false, type: link },
        counterpart: {
          at: 1_000,
          field: {
            ...names,
            id: other,
            help: '',
            required: false,
            unique: false,
            type: { kind: 'counterpart', from: table.id, link: base.id },
          },
        },
      };
      return [change];
    });
  }

  /** A link to many: a table of pairs between the two. */
  private pairsFor(
    sheet: number,
    column: number,
    at: number,
    base: Omit<Field, 'type' | 'unique'>,
    target: Table,
    table: Table,
    counterpart: { label: string; key: string },
  ) {
    const place = `${sheet}.${column}`;
    const { changes } = changesToAddLink(
      this.model,
      {
        table: table.id,
        at,
        to: target.id,
        field: { ...base, unique: false },
        onDelete: 'clear',
        many: true,
        counterpart,
      },
      {
        here: base.id,
        pairs: this.ground.identity(`p${place}`, 't'),
        near: this.ground.identity(`n${place}`, 'f'),
        far: this.ground.identity(`a${place}`, 'f'),
        there: this.ground.identity(`c${place}`, 'f'),
      },
    );
    // Behind the target's own fields, which are not there yet.
    return changes.map((change) =>
      change.do === 'addField' &&
      change.counterpart?.field.type.kind === 'counterpart' &&
      change.table !== table.id &&
      change.at === 1
        ? { ...change, counterpart: { ...change.counterpart, at: 1_000 } }
        : change,
    );
  }
}

function widen(field: Field, profile: ColumnProfile, decision: ColumnDecision): Field {
  return { ...field, type: widened(field.type, typeOfColumn(profile, decision)) };
}

/** How a link's texts find their target; a second column that tells it is cleaned as where it is read itself. */
function told(
  { sheets }: ProposalSource,
  ground: Ground,
  sheet: number,
  { match, also }: Pick<LinkTarget, 'match' | 'also'>,
  decision: ColumnDecision,
): Partial<ColumnMapping> {
  const second = also && sheets[sheet]?.columns[also.column];
  const clean = also && second && cleaningOf(second, ground.decisionOf(sheet, also.column));
  return { match, ...(also ? { also: { ...also, ...(clean ? { clean } : {}) } } : {}), ...missingOf(decision) };
}

/** Where the columns go in a table that stands: as decided, else to the field that is most alike. */
function mappingInto(source: ProposalSource, ground: Ground, table: Table, sheet: number): SheetMapping {
  const { model, sheets } = source;
  const profiles = (sheets[sheet] as IntakeSheet).columns;
  const chosen = ground.fieldsInto(table, sheet);
  const columns = [...chosen].map(([column, field]): ColumnMapping => {
    const profile = profiles[column] as ColumnProfile;
    const decision = ground.decisionOf(sheet, column);
    const many = linkedTable(model, field)?.many ?? false;
    const as =
      field.type.kind === 'options' || many ? 'options' : field.type.kind === 'number' ? 'number' : decision.as;
    const target = linkedTable(model, field)?.table;
    const linked = ground.linked(sheet, column);
    const clean = cleaningOf(profile, { ...decision, as }, linked && { alike: linked.alike });
    const own = target?.fields.find(({ id }) => id === decision.match);
    const match = target && (own?.id ?? (linked?.table.id === target.id ? linked.match : tellingField(target)));
    const also = decision.also ?? (linked && linked.table.id === target?.id ? linked.also : undefined);
    const base = { column, field: field.id, reading: readingOf(profile, decision), ...(clean ? { clean } : {}) };
    return match === undefined
      ? base
      : { ...base, ...told(source, ground, sheet, { match, ...(also ? { also } : {}) }, decision) };
  });
  const { by, mode, blanks, mark, record, keep } = ground.sheetDecision(sheet);
  const key = recognisedBy(table, chosen.values());
  const constants =
    mark && table.fields.some(({ id }) => id === mark.field)
      ? { constants: [{ field: mark.field, text: mark.text }] }
      : {};
  const into = {
    by: by ?? key.map(({ id }) => id),
    mode: mode ?? 'both',
    blanks: blanks ?? 'keep',
    ...(record === undefined ? {} : { record }),
    ...(keep && keep.length > 0 ? { keep } : {}),
  } as const;
  const numbered = ground.recordColumn(sheet);
  return { sheet, table: table.id, columns, ...constants, ...(numbered === undefined ? {} : { numbered }), into };
}

/** The field by which a table's records are told from outside: one that each has once, else the title. */
const tellingField = (table: Table): FieldId | undefined =>
  (table.fields.find((one) => one.unique && isEntered(one))?.id ?? table.title) || undefined;

/** The identities of a proposal by place, for making it anew after a correction. */
export function identitiesOf({ changes, mappings, decisions }: Proposal): Map<string, string> {
  const identities = new Map<string, string>();
  for (const { sheet, table, columns, constants = [], into } of mappings) {
    // In a table that stands, what is made are its new fields.
    const isMade = (column: number) => !into || decisions.columns[`${sheet}.${column}`]?.field === 'new';
    const root = decisions.tables[String(sheet)]?.with ?? sheet;
    const { mark } = decisions.tables[String(sheet)] ?? {};
    if (root === sheet && !into) identities.set(`t${sheet}`, table);
    if (mark && constants[0] && !into) identities.set(`m${root}.${mark.field}`, constants[0].field);
    for (const { column, field } of columns) {
      const place = `${sheet}.${column}`;
      if (!isMade(column)) continue;
      if (root !== sheet && [...identities.values()].includes(field)) continue;
      identities.set(`f${place}`, field);
      for (const change of changes) {
        if (change.do !== 'addField' || !change.counterpart) continue;
        if (change.field.id === field) identities.set(`c${place}`, change.counterpart.field.id);
        if (change.counterpart.field.id !== field || change.counterpart.field.type.kind !== 'counterpart') continue;
        const { over = '' } = change.counterpart.field.type;
        identities.set(`p${place}`, change.table).set(`n${place}`, change.field.id).set(`a${place}`, over);
        const far = changes.find((one) => one.do === 'addField' && one.field.id === over);
        if (far?.do === 'addField' && far.counterpart) identities.set(`c${place}`, far.counterpart.field.id);
      }
    }
  }
  return identities;
}
