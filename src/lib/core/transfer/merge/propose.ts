import { bad, good, type Result } from '../../base/problem';
import { changesToAddLink } from '../../changes/linkPlans';
import { shownType } from '../../formula/shownType';
import { likeness } from '../../intake/matchFields';
import { fieldOf, isSystem, isWritten, tableOf, typeAs } from '../../model/model';
import { freeLabel, newFieldKey } from '../../model/names/naming';
import { newFieldPlace } from '../../model/systemFields';
import type { Field, FieldType, Option } from '../../types/field';
import { newId, type FieldId, type TableId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { FilledField } from '../../types/recordChange';
import type { Merge, MergedSource } from '../../types/transfer';
import { filledFrom, isFillable } from '../lineUp';
import type { readFormula } from '../../filled/written';
import { addTable, fieldLike, linkLike, Making, newTable } from '../newFields';
import { incomingLinks, manySides } from './links';

/** One column of the merged table: its name, and what gives it in each source, by the source's place. */
export interface MergedColumn {
  readonly label: string;
  readonly from: readonly (Field | { readonly formula: string } | null)[];
}

const leastAlike = 0.62;

/** Columns lined up: those of the first table, each with what is most like it in the others, then what is left of these. */
export function proposedColumns(model: Model, tables: readonly Table[]): MergedColumn[] {
  const columns: { label: string; from: (Field | null)[] }[] = [];
  for (const [at, table] of tables.entries()) {
    const open = new Set(table.fields.filter((field) => isWritten(field) && !isSystem(field)));
    for (const column of columns) {
      const [like] = column.from.filter((one) => one !== null);
      const scored = [...open]
        .map((field) => ({ field, score: like ? alike(model, like, field, tables) : 0 }))
        .sort((a, b) => b.score - a.score);
      const best = scored[0];
      if (!best || best.score < leastAlike) continue;
      column.from[at] = best.field;
      open.delete(best.field);
    }
    for (const field of open)
      columns.push({ label: field.label, from: tables.map((_, other) => (other === at ? field : null)) });
  }
  return columns;
}

/** How alike two fields are that are to become one; 0 where they cannot. */
function alike(model: Model, one: Field, other: Field, tables: readonly Table[]): number {
  const isLink = one.type.kind === 'link';
  if (isLink !== (other.type.kind === 'link')) return 0;
  if (isLink) {
    const merged = new Set(tables.map(({ id }) => id));
    const to = (field: Field) => (merged.has(typeAs(field, 'link').to) ? 'merged' : typeAs(field, 'link').to);
    if (to(one) !== to(other)) return 0;
  } else if (filledFrom(model, one, other) === null) return 0;
  const names = Math.max(likeness(one.label, other.label), likeness(one.key, other.key));
  return one.type.kind === other.type.kind ? names : names * 0.8;
}

/** The list of an option field that takes all options of several, each label once; and what each option becomes. */
function mergedOptions(fields: readonly Field[]): { options: Option[]; become: Map<FieldId, Record<string, string>> } {
  const options: Option[] = [];
  const become = new Map<FieldId, Record<string, string>>();
  for (const { id, type } of fields) {
    if (type.kind !== 'option' && type.kind !== 'options') continue;
    const map: Record<string, string> = {};
    for (const option of type.options) {
      const same = options.find(({ label }) => label.toLowerCase() === option.label.toLowerCase());
      const free = same ?? {
        ...option,
        id: options.some((one) => one.id === option.id) ? freeId(options, option.id) : option.id,
      };
      if (!same) options.push(free);
      map[option.id] = free.id;
    }
    become.set(id, map);
  }
  return { options, become };
}

function freeId(options: readonly Option[], id: string): string {
  for (let n = 2; ; n++) if (!options.some((one) => one.id === `${id}_${n}`)) return `${id}_${n}`;
}

interface Sourced {
  readonly table: Table;
  readonly mark: string;
}

/** What a transfer needs besides its columns: the table, its links, the links from elsewhere. */
export function proposedMerge(
  model: Model,
  sources: readonly Sourced[],
  to: Table | { readonly label: string },
  columns: readonly MergedColumn[],
  markLabel: string,
  read: (table: Table, formula: string, at: string) => ReturnType<typeof readFormula>,
): Result<Merge> {
  const making = new Making(model);
  const merged = new Set(sources.map(({ table }) => table.id));
  const standing = 'id' in to ? to : null;
  const options = sources.map(({ mark }, at): Option => ({ id: `source_${at + 1}`, label: mark, dye: 'slate' }));
  const fields = sources.map((): FilledField[] => []);
  const plain: { field: Field; fill: (target: Field) => Result<true> }[] = [];
  const names = () => [...(standing?.fields ?? []), ...plain.map(({ field }) => field)];
  const links: (() => Result<true>)[] = [];
  let target: TableId = standing?.id ?? '';

  for (const [place, column] of columns.entries()) {
    const at = `/fields/${place}`;
    const known = column.from.filter((one): one is Field => one !== null && 'type' in one);
    const [first] = known;
    const stands = standing?.fields.find(({ label }) => label === column.label);
    if (first?.type.kind === 'link') {
      links.push(() => mergeLink(column, known, stands));
      continue;
    }
    const { options: list, become } = mergedOptions(
      stands ? [stands, ...known.filter((one) => one !== stands)] : known,
    );
    const fill = (field: Field): Result<true> => {
      for (const [source, from] of column.from.entries()) {
        if (from === null || (standing && sources[source]?.table.id === standing.id)) continue;
        if ('type' in from) {
          const filled = filledFrom(making.model, field, from);
          if (!filled) return bad(`“${from.label}” cannot become “${field.label}”.`, 'Leave it out.', at);
          const map = become.get(from.id);
          fields[source]?.push(map ? { ...filled, options: map } : filled);
        } else {
          const formula = read(sources[source]?.table ?? tableOf(model, ''), from.formula, `${at}/from`);
          if (!formula.ok) return formula;
          fields[source]?.push({ field: field.id, from: { is: 'formula', formula: formula.value } });
        }
      }
      return good(true);
    };
    if (stands) {
      if (
        list.length > 0 &&
        (stands.type.kind === 'option' || stands.type.kind === 'options') &&
        list.length > stands.type.options.length
      ) {
        const grown = making.add({
          do: 'changeField',
          table: target,
          field: stands.id,
          set: { type: { ...stands.type, options: list } },
          keep: newId('k'),
        });
        if (!grown.ok) return grown;
      }
      const filled = fill(stands);
      if (!filled.ok) return filled;
      continue;
    }
    const type = typeOfColumn(making.model, sources, column, read, at);
    if (!type.ok) return type;
    const listed =
      list.length > 0 && (type.value.kind === 'option' || type.value.kind === 'options')
        ? { ...type.value, options: list }
        : type.value;
    const everywhere = column.from.every((from) => from !== null && 'type' in from && from.required === true);
    const like = first ?? textLike(names(), column.label);
    const field = {
      ...fieldLike(names(), like, column.label, listed),
      required: everywhere && !standing,
      unique: false,
    };
    plain.push({ field, fill });
  }

  const markField: Field = {
    ...fieldLike(names(), textLike(names(), markLabel), markLabel, { kind: 'option', options }),
    required: false,
    unique: false,
  };
  if (standing) {
    for (const { field } of [...plain, { field: markField }]) {
      const { fields: now } = tableOf(making.model, target);
      const added = making.add({ do: 'addField', table: target, field, at: newFieldPlace(now) });
      if (!added.ok) return added;
    }
  } else {
    const [title] = plain.filter(({ field }) =>
      columns.some(
        ({ label, from }) =>
          label === field.label &&
          from.some((one, at) => one !== null && 'type' in one && sources[at]?.table.title === one.id),
      ),
    );
    const home = sources[0]?.table.home;
    const made = newTable(
      model,
      'label' in to ? to.label : '',
      [...plain.map(({ field }) => field), markField],
      (title ?? plain.find(({ field }) => field.type.kind === 'text'))?.field.id ?? null,
      home,
    );
    target = made.id;
    const added = making.add(addTable(model, made));
    if (!added.ok) return { ...added, problem: { ...added.problem, at: '/to' } };
  }
  for (const { field, fill } of plain) {
    const filled = fill(fieldOf(making.model, field.id).field);
    if (!filled.ok) return filled;
  }
  for (const make of links) {
    const made = make();
    if (!made.ok) return made;
  }
  systemFields();
  const pairs = mergePairs();
  if (!pairs.ok) return pairs;
  const elsewhere: Merge['links'][number][] = [];
  for (const { table } of sources) {
    if (table.id === target) continue;
    for (const { link, from } of incomingLinks(model, table, merged)) {
      if (from.pairs) continue;
      const owner = tableOf(making.model, from.id);
      const copy = linkLike(making.model, from.id, link, target, {
        label: `${link.label} (new)`,
        counterpart: fieldOf(model, typeAs(link, 'link').counterpart).field.label,
        at: owner.fields.findIndex(({ id }) => id === link.id) + 1,
      });
      const linked = making.add(...copy.changes);
      if (!linked.ok) return linked;
      elsewhere.push({ old: link.id, now: copy.field });
    }
  }
  return good({
    work: 'merge',
    make: making.changes,
    to: target,
    mark: markField.id,
    sources: sources.map(({ table }, at): MergedSource => ({
      table: table.id,
      mark: options[at]?.id ?? '',
      fields: fields[at] ?? [],
    })),
    links: [...elsewhere, ...pairs.value],
  });

  /** A link of the merged table: to the same table, or to the merged one where it led to one of them. */
  function mergeLink(column: MergedColumn, known: readonly Field[], stands: Field | undefined): Result<true> {
    const [like] = known;
    if (!like) return good(true);
    let now = stands?.id;
    if (now === undefined) {
      const { to: first } = typeAs(like, 'link');
      const copy = linkLike(making.model, target, like, merged.has(first) ? target : first, {
        label: column.label,
      });
      const added = making.add(...copy.changes);
      if (!added.ok) return added;
      now = copy.field;
    }
    for (const [source, from] of column.from.entries()) {
      if (from === null || !('type' in from) || sources[source]?.table.id === target) continue;
      const { to: led } = typeAs(from, 'link');
      const path = { do: 'field', place: 0, through: [], field: from.id, type: { is: 'record', table: led } } as const;
      fields[source]?.push({
        field: now,
        from:
          merged.has(led) && led !== target ? { is: 'copy', copies: led, of: path } : { is: 'formula', formula: path },
      });
    }
    return good(true);
  }

  /** Who made and changed a record, and when, goes with it. */
  function systemFields(): void {
    const { fields: all } = tableOf(making.model, target);
    for (const [source, { table }] of sources.entries()) {
      if (table.id === target) continue;
      for (const field of all.filter(isSystem)) {
        const from = table.fields.find(({ type }) => type.kind === field.type.kind);
        const filled = from && isFillable(field) ? filledFrom(making.model, field, from) : null;
        if (filled) fields[source]?.push(filled);
      }
    }
  }

  /** Links to many of the merged table, each with the fields of the sources that it takes the place of. */
  function mergePairs(): Result<Merge['links'][number][]> {
    const found: Merge['links'][number][] = [];
    const made: { label: string; to: string; field: FieldId }[] = (standing ? manySides(model, standing) : []).map(
      ({ field, to: far }) => ({ label: field.label.toLowerCase(), to: far, field: field.id }),
    );
    for (const { table } of sources) {
      if (table.id === target) continue;
      for (const side of manySides(model, table)) {
        const { field, to: far, other } = side;
        const to = merged.has(far) ? target : far;
        const same = made.find((one) => one.label === field.label.toLowerCase() && one.to === to);
        if (same) {
          found.push({ old: field.id, now: same.field });
          continue;
        }
        const owner = tableOf(making.model, target);
        const label = freeLabel(
          field.label,
          owner.fields.map((one) => one.label),
        );
        const link = changesToAddLink(making.model, {
          table: target,
          at: newFieldPlace(owner.fields),
          to,
          field: { key: newFieldKey(owner.fields, label), label, help: field.help, required: false, unique: false },
          onDelete: typeAs(side.far, 'link').onDelete,
          many: true,
          ...(other
            ? {
                counterpart: {
                  label: freeLabel(
                    other.label,
                    tableOf(making.model, to).fields.map((one) => one.label),
                  ),
                  ...(other.off ? { off: true as const } : {}),
                },
              }
            : {}),
        });
        const added = making.add(...link.changes);
        if (!added.ok) return added;
        made.push({ label: field.label.toLowerCase(), to, field: link.field });
        found.push({ old: field.id, now: link.field });
      }
    }
    return good(found);
  }
}

const textLike = (fields: readonly Field[], label: string): Field => ({
  id: newId('f'),
  key: newFieldKey(fields, label),
  label,
  help: '',
  required: false,
  unique: false,
  type: { kind: 'text' },
});

/** The type of a column: of its first field, else of what its first formula gives. */
function typeOfColumn(
  model: Model,
  sources: readonly Sourced[],
  column: MergedColumn,
  read: (table: Table, formula: string, at: string) => ReturnType<typeof readFormula>,
  at: string,
): Result<FieldType> {
  for (const [source, from] of column.from.entries()) {
    if (from === null) continue;
    if ('type' in from) return good(from.type);
    const formula = read(sources[source]?.table ?? tableOf(model, ''), from.formula, `${at}/from`);
    if (!formula.ok) return formula;
    const type = shownType(model, {
      type: { kind: 'formula', formula: formula.value, result: formula.value.type },
    } as Field);
    return type.kind === 'link' ? bad('A link is lined up by its field.', 'Write the field alone.', at) : good(type);
  }
  return bad(`“${column.label}” has no values.`, 'Leave it out.', at);
}
