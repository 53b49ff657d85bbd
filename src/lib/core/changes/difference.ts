import { dyeWords } from '../model/names/dyeWords';
import { findField, linkedTable, ownTables } from '../model/model';
import { partOf, structurePartKinds, tablePartKinds } from '../parts/parts';
import type { Model, Table } from '../types/model';
import { partsOf } from '../types/part';
import { fieldSettings, type Field } from '../types/field';

/** One thing in which two structures differ. */
export interface StructureDifference {
  readonly kind: 'added' | 'removed' | 'changed';
  /** `Table` or `Table.Field`. */
  readonly what: string;
  /** What about it differs, with both sides; empty for what is only on one side. */
  readonly changes: readonly { readonly of: string; readonly before: string; readonly now: string }[];
}

const words = (value: unknown): string =>
  value === undefined || value === null || value === false || value === ''
    ? '—'
    : value === true
      ? 'yes'
      : typeof value === 'string' || typeof value === 'number'
        ? String(value)
        : JSON.stringify(value);

/** A field's type without identities, so that only what people chose is compared. */
function typeWordsOf(model: Model, field: Field): string {
  const { type } = field;
  const linked = linkedTable(model, field)?.table.label;
  if (linked !== undefined)
    return type.kind === 'link' ? `link to ${linked}, ${type.onDelete}` : `linked from ${linked}`;
  const { kind, ...rest } = type;
  if ('options' in rest)
    return `${kind}: ${rest.options.map(({ label, retired }) => label + (retired ? ' (retired)' : '')).join(', ')}`;
  const members = Object.entries(rest).filter(([, value]) => value !== null && value !== undefined);
  return members.length === 0 ? kind : `${kind} ${JSON.stringify(Object.fromEntries(members))}`;
}

/** What is different in the second model: tables, fields, rules, their order. By identity, so a rename is a rename. */
export function structureDifference(before: Model, now: Model): StructureDifference[] {
  const found: StructureDifference[] = [];
  const [old, fresh] = [ownTables(before), ownTables(now)];
  for (const table of old)
    if (!fresh.some(({ id }) => id === table.id)) found.push({ kind: 'removed', what: table.label, changes: [] });
  for (const table of fresh) {
    const was = old.find(({ id }) => id === table.id);
    if (!was) found.push({ kind: 'added', what: table.label, changes: [] });
    else found.push(...tableDifference(before, now, was, table));
  }
  for (const kind of structurePartKinds())
    found.push(...partsDifference('', partOf(kind).word, partsOf(before, kind), partsOf(now, kind)));
  return found;
}

/** A setting of a table as people know it. */
const looked = (name: 'label' | 'key' | 'description' | 'dye' | 'icon', table: Table) =>
  name === 'dye' ? dyeWords[table.dye] : table[name];

function tableDifference(before: Model, now: Model, was: Table, table: Table): StructureDifference[] {
  const found: StructureDifference[] = [];
  const titled = (model: Model, id: string | null) =>
    id === null ? null : (findField(model, id)?.field.label ?? null);
  const of = [
    ...(['label', 'key', 'description', 'dye', 'icon'] as const).map((name) => ({
      of: name as string,
      before: words(looked(name, was)),
      now: words(looked(name, table)),
    })),
    ...(was.title === table.title
      ? []
      : [{ of: 'title', before: words(titled(before, was.title)), now: words(titled(now, table.title)) }]),
    {
      of: 'rules',
      before: words((was.rules ?? []).map(({ message }) => message).join('; ')),
      now: words((table.rules ?? []).map(({ message }) => message).join('; ')),
    },
  ].filter((one) => one.before !== one.now);
  if (of.length > 0) found.push({ kind: 'changed', what: table.label, changes: of });
  for (const field of was.fields)
    if (!table.fields.some(({ id }) => id === field.id))
      found.push({ kind: 'removed', what: `${was.label}.${field.label}`, changes: [] });
  for (const field of table.fields) {
    const earlier = was.fields.find(({ id }) => id === field.id);
    const what = `${table.label}.${field.label}`;
    if (!earlier) {
      found.push({ kind: 'added', what, changes: [] });
      continue;
    }
    const changes = [
      ...fieldSettings.map((name) => ({ of: name as string, before: words(earlier[name]), now: words(field[name]) })),
      // By identity: a link to a table that is called otherwise now is the same link.
      ...(JSON.stringify(earlier.type) === JSON.stringify(field.type)
        ? []
        : [{ of: 'type', before: typeWordsOf(before, earlier), now: typeWordsOf(now, field) }]),
    ].filter((one) => one.before !== one.now);
    if (changes.length > 0) found.push({ kind: 'changed', what, changes });
  }
  found.push(
    ...tablePartKinds().flatMap((kind) =>
      partsDifference(table.label, partOf(kind).word, partsOf(was, kind), partsOf(table, kind)),
    ),
  );
  const order = (one: Table, other: Table) =>
    one.fields.filter(({ id }) => other.fields.some((field) => field.id === id)).map(({ id }) => id);
  if (order(was, table).join() !== order(table, was).join())
    found.push({
      kind: 'changed',
      what: table.label,
      changes: [
        {
          of: 'order of fields',
          before: was.fields.map(({ label }) => label).join(', '),
          now: table.fields.map(({ label }) => label).join(', '),
        },
      ],
    });
  return found;
}

/** Parts of a kind that came, went or became others. */
function partsDifference(
  /** Whose they are; blank for those of the workspace itself. */
  owner: string,
  what: string,
  before: readonly { readonly id: string; readonly label: string }[],
  now: readonly { readonly id: string; readonly label: string }[],
): StructureDifference[] {
  const named = (label: string) => `${owner === '' ? '' : `${owner}: `}${what} “${label}”`;
  const gone = before.filter(({ id }) => !now.some((one) => one.id === id));
  return [
    ...gone.map(({ label }) => ({ kind: 'removed', what: named(label), changes: [] }) as const),
    ...now.flatMap((one): StructureDifference[] => {
      const was = before.find(({ id }) => id === one.id);
      if (!was) return [{ kind: 'added', what: named(one.label), changes: [] }];
      if (JSON.stringify(was) === JSON.stringify(one)) return [];
      return [
        {
          kind: 'changed',
          what: named(one.label),
          changes: was.label === one.label ? [] : [{ of: 'label', before: was.label, now: one.label }],
        },
      ];
    }),
  ];
}
