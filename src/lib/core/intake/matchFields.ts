import type { FieldId } from '../types/identity';
import { enteredKind, isEnteredType } from '../fieldTypes/registry';
import { distance } from 'fastest-levenshtein';
import { isEntered, ownTables } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import type { ColumnProfile } from './intake';
import { speaksOfKey, thingNamed, thingsNamed } from './naming';
import { bareSpelling } from './columns/spellings';

/** A column with a field, from 0 for no likeness up to 1 for the same name. */
const leastLikeness = 0.62;

/** How alike two names are: the share of letters that need no change. */
export function likeness(a: string, b: string): number {
  const [x, y] = [bareSpelling(a), bareSpelling(b)];
  if (x === '' || y === '') return 0;
  if (x === y) return 1;
  const [short, long] = x.length < y.length ? [x, y] : [y, x];
  const within = short.length >= 4 && long.includes(short) ? 0.6 + (0.3 * short.length) / long.length : 0;
  return Math.max(within, 1 - distance(x, y) / long.length);
}

/** Whether what a column looks like can be read into a field. */
function fits(profile: ColumnProfile, field: Field): boolean {
  if (!isEnteredType(field.type)) return false;
  const { kind } = field.type;
  const { looksLike } = enteredKind(kind);
  if (looksLike === 'files') return false;
  if (looksLike === 'words' || profile.type === kind || profile.filled === 0) return true;
  if ((looksLike === 'numbers' || looksLike === 'days') && enteredKind(profile.type).looksLike === looksLike)
    return true;
  // A column with many misfits looks like words, and is read into the field all the same.
  const alike = looksLike === 'numbers' && !(kind in profile.fits) ? 'number' : kind;
  const count = alike in profile.fits ? profile.fits[alike as keyof typeof profile.fits] : 0;
  return count >= profile.filled * 0.5;
}

/**
 * The fields of a table that columns go to, by name and by what is in them; each field takes one column, the most alike
 * first. What is `told` stands: it was found by content. `hive_no` is the number of a table of hives; `keeper_code` a
 * link to keepers.
 */
export function matchFields(
  model: Model,
  table: Table,
  columns: readonly ColumnProfile[],
  told: ReadonlyMap<number, Field> = new Map(),
): ReadonlyMap<number, Field> {
  const open = table.fields.filter((field) => isEntered(field) && field.type.kind !== 'counterpart' && !field.off);
  const singular = (label: string) => bareSpelling(thingsNamed(label));
  const pairs = columns.flatMap((profile, column) =>
    open.map((field) => {
      const names = [field.label, field.key];
      // `lot_no` goes to Lot where nothing is called more like it.
      let score = Math.max(
        ...names.map((name) => Math.max(likeness(profile.name, name), 0.9 * likeness(thingNamed(profile.name), name))),
      );
      const thing = singular(profile.name);
      const target =
        field.type.kind === 'link'
          ? model.tables.find(({ id }) => field.type.kind === 'link' && id === field.type.to)
          : undefined;
      if (target && (thing === bareSpelling(target.label) || likeness(thingNamed(profile.name), field.label) === 1))
        score = Math.max(score, 0.9);
      // The table's own name, with or without a word for a key, is what its records are known by.
      if (thing === bareSpelling(table.label) && (field.unique || field.id === table.title))
        score = Math.max(score, speaksOfKey(profile.name) ? 0.85 : 0.75);
      return { column, field, score: fits(profile, field) ? score : score * 0.5 };
    }),
  );
  const taken = new Map(told);
  const used = new Set([...told.values()].map(({ id }) => id));
  for (const { column, field, score } of pairs.toSorted((a, b) => b.score - a.score)) {
    if (score < leastLikeness || taken.has(column) || used.has(field.id)) continue;
    taken.set(column, field);
    used.add(field.id);
  }
  return taken;
}

/** The fields that tell a record together, where a rule says so and all of them take a column. */
export const uniqueTogether = ({ rules = [] }: Pick<Table, 'rules'>, mapped: readonly Field[]): readonly Field[] => {
  const fieldsOf = (ids: readonly FieldId[]) => ids.map((id) => mapped.find((field) => field.id === id));
  const told = rules.flatMap((rule) => (rule.kind === 'unique' ? [fieldsOf(rule.fields)] : []));
  return told.find((fields): fields is Field[] => fields.every((field) => field && field.type.kind !== 'link')) ?? [];
};

/**
 * The fields by which records are found again: one that each record has once, else several that tell it together, else
 * the title.
 */
export const recognisedBy = (table: Table, mapped: Iterable<Field>): readonly Field[] => {
  const fields = [...mapped].filter(({ type }) => type.kind !== 'link');
  const own = fields.find(({ unique }) => unique);
  if (own) return [own];
  const together = uniqueTogether(table, fields);
  return together.length > 0 ? together : fields.filter(({ id }) => id === table.title);
};

/** From this share of its columns on a sheet is like a table. */
const leastShared = 0.6;

/** The table that stands whose fields take most columns of a sheet, where they take most of them. */
export function mostAlike(model: Model, columns: readonly ColumnProfile[]): Table | undefined {
  const [best] = ownTables(model)
    .map((table) => ({ table, shared: matchFields(model, table, columns).size }))
    .filter(({ shared }) => shared >= 2 && shared >= columns.length * leastShared)
    .sort((a, b) => b.shared - a.shared);
  return best?.table;
}
