import { bad, good, type Result } from '../../base/problem';
import { applyChange } from '../../changes/change';
import { changesToAddLink } from '../../changes/linkPlans';
import type { Change } from '../../types/change';
import { quoteText } from '../../base/sql';
import { feedOf } from '../../flow/feeds';
import { checkCondition, checkFormula } from '../../formula/checker';
import { printFormula } from '../../formula/printer';
import { isShown, isSystem, tableOf } from '../../model/model';
import { freeLabel, newFieldKey } from '../../model/names/naming';
import { newFieldPlace } from '../../model/systemFields';
import type { Expression } from '../../types/expression';
import type { FeedSource } from '../../types/feed';
import type { Field } from '../../types/field';
import { newId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { Feed, FeedColumn } from '../../types/transfer';
import { likeness } from '../../intake/matchFields';
import { pathTo } from '../../filled/path';
import { readAll, readFormula, readTable, tableKey } from '../../filled/written';
import { addTable, Making, newTable } from '../newFields';
import { overLink } from '../../formula/overLink';
import type { WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

/** Names less alike than this do not mean the same. */
const leastAlike = 0.62;

/** A source as it is wanted. */
interface Wanted {
  readonly table: Table;
  readonly where: Expression | null;
  readonly mark: string;
}

/** What of a table a feed can show: everything but what many records hold. */
const showable = (field: Field): boolean =>
  isShown(field) && !isSystem(field) && field.type.kind !== 'counterpart' && !field.internal;

/** How a field is written for a feed: a link by the title of its target. */
function written(model: Model, field: Field): string {
  if (field.type.kind !== 'link') return field.key;
  const { title, fields } = tableOf(model, field.type.to);
  const named = fields.find(({ id }) => id === title);
  return named && named.type.kind !== 'link' ? `${field.key}.${named.key}` : '';
}

/**
 * The fields of all sources lined up by their names, those of the first one first; under names that the feed has free
 * beside `taken`.
 */
function proposed(model: Model, tables: readonly Table[], taken: readonly string[]): FeedColumn[] {
  const columns: { label: string; from: Record<string, string> }[] = [];
  for (const table of tables) {
    const key = tableKey(table);
    const open = table.fields.filter((field) => showable(field) && written(model, field) !== '');
    for (const field of open) {
      const like = columns
        .filter(({ from }) => from[key] === undefined)
        .map((column) => ({ column, score: likeness(column.label, field.label) }))
        .sort((a, b) => b.score - a.score)[0];
      if (like && like.score >= leastAlike) like.column.from[key] = written(model, field);
      else columns.push({ label: field.label, from: { [key]: written(model, field) } });
    }
  }
  const used = [...taken];
  return columns.map(({ label, from }) => {
    const free = freeLabel(label, used);
    used.push(free);
    return { label: free, from };
  });
}

/** What a feed that stands calls the field that says where its records come from: a word for each source. */
const marksOf = (feed: Table | undefined): string | undefined =>
  feed?.fields.find(
    ({ type }) =>
      type.kind === 'formula' &&
      type.formula.do === 'case' &&
      type.formula.otherwise === null &&
      type.formula.whens.every(({ then }) => then.do === 'value' && then.type.is === 'text'),
  )?.label;

/** What a feed that stands calls fields that show nothing of its sources: no column can be called so. */
const ownLabels = (feed: Table | undefined): string[] =>
  (feed?.fields ?? []).flatMap(({ label, type }) =>
    type.kind === 'formula' && type.formula.do === 'case' ? [] : [label],
  );

/** The formula of a column: for each source what it gives, where the record stands for one of that. */
function formulaOf(
  model: Model,
  table: Table,
  parts: readonly { readonly link: Field; readonly of: Expression }[],
  standing: Expression | null,
  at: string,
): Result<Expression> {
  const known = standing?.do === 'case' ? standing.whens.map(({ when, then }) => [when, then] as const) : [];
  const added = parts.map(({ link, of }) => [isLinked(link), overLink(link.id, of)] as const);
  const text = (asText: boolean) =>
    `case ${[...known, ...added]
      .map(([when, then]) => {
        const value = printFormula(model, then);
        return `when ${printFormula(model, when)} then ${asText ? `cast(${value} as text)` : value}`;
      })
      .join(' ')} end`;
  const plain = checkFormula(model, table.id, text(false));
  if (plain.expression) return good(plain.expression);
  // Words of different lists have nothing in common but that they are words.
  const words = checkFormula(model, table.id, text(true));
  return words.expression
    ? good(words.expression)
    : { ok: false, problem: { ...(plain.problems[0] ?? { message: 'This is no formula.' }), at } };
}

const isLinked = (link: Field): Expression => ({
  do: 'call',
  name: 'is not null',
  args: [pathTo(link)],
  type: { is: 'boolean' },
});

/** A formula over a source; of a record that it gives its title is shown. */
function readShown(model: Model, table: Table, text: string, at: string): Result<Expression> {
  const read = readFormula(model, table, text, at);
  if (!read.ok || read.value.type.is !== 'record') return read;
  const { title, fields } = tableOf(model, read.value.type.table);
  const named = fields.find(({ id }) => id === title);
  return named ? readFormula(model, table, `${text}.${named.key}`, at) : read;
}

/** The changes that make a feed, or give one further sources. */
function made(
  model: Model,
  sources: readonly Wanted[],
  into: Table | string,
  markLabel: string,
  columns: readonly FeedColumn[],
): Result<Pick<Feed, 'make' | 'to'>> {
  const making = new Making(model);
  const isNew = typeof into === 'string';
  const begun = isNew ? newTable(model, into, [], null) : into;
  if (isNew) {
    const added = making.add(addTable(model, begun));
    if (!added.ok) return { ...added, problem: { ...added.problem, at: '/to/label' } };
  }
  const links = new Map<Wanted, Field>();
  const fed: FeedSource[] = [];
  for (const one of sources) {
    const owner = tableOf(making.model, begun.id);
    const label = freeLabel(
      one.table.label,
      owner.fields.map((field) => field.label),
    );
    const { field, changes } = changesToAddLink(making.model, {
      table: begun.id,
      at: newFieldPlace(owner.fields),
      to: one.table.id,
      field: { key: newFieldKey(owner.fields, label), label, help: '', required: false, unique: true },
      onDelete: 'remove',
      many: false,
      fed: true,
    });
    const linked = making.add(...changes);
    if (!linked.ok) return linked;
    const link = tableOf(making.model, begun.id).fields.find(({ id }) => id === field);
    if (link) links.set(one, link);
    fed.push({ table: one.table.id, link: field, where: one.where });
  }
  const standing = feedOf(begun);
  const part = {
    id: newId('a'),
    label: 'Feed',
    twoWays: [],
    ...standing,
    sources: [...(standing?.sources ?? []), ...fed],
  };
  const feeds: Change = standing
    ? { do: 'changePart', kind: 'feed', table: begun.id, part }
    : { do: 'addPart', kind: 'feed', table: begun.id, at: 0, part };
  // Looked at first, as a ring is told as one of tables rather than of the fields on its way; made last, so that its
  // records come with all that is calculated of them.
  const stands = applyChange(making.model, feeds);
  if (!stands.ok) return stands;
  const marks: FeedColumn = {
    label: markLabel,
    from: Object.fromEntries(sources.map(({ table, mark }) => [tableKey(table), quoteText(mark)])),
  };
  for (const [at, column] of [marks, ...columns].entries()) {
    const place = at === 0 ? '/markLabel' : `/fields/${at - 1}`;
    const shown = addShown(making, begun.id, sources, links, column, place);
    if (!shown.ok) return shown;
  }
  const title = tableOf(making.model, begun.id).fields.find(
    ({ type, label }) => type.kind === 'formula' && type.result.is === 'text' && label !== markLabel,
  );
  const titled =
    isNew && title ? making.add({ do: 'changeTable', table: begun.id, set: { title: title.id } }) : good(true);
  if (!titled.ok) return titled;
  const kept = making.add(feeds);
  return kept.ok ? good({ make: making.changes, to: begun.id }) : kept;
}

/** Adds a column to the table in the making, or what further sources give in one that stands. */
function addShown(
  making: Making,
  to: string,
  sources: readonly Wanted[],
  links: ReadonlyMap<Wanted, Field>,
  { label, from }: FeedColumn,
  at: string,
): Result<true> {
  const table = tableOf(making.model, to);
  const parts: { link: Field; of: Expression }[] = [];
  for (const one of sources) {
    const text = (from[tableKey(one.table)] ?? '').trim();
    const link = links.get(one);
    if (text === '' || !link) continue;
    const of = readShown(making.model, one.table, text, `${at}/from/${tableKey(one.table)}`);
    if (!of.ok) return of;
    parts.push({ link, of: of.value });
  }
  if (parts.length === 0) return good(true);
  const standing = table.fields.find((field) => field.label.toLowerCase() === label.toLowerCase());
  if (standing && standing.type.kind !== 'formula')
    return bad(`“${label}” of ${table.label} is a field of its own.`, 'Choose another name.', at);
  const known = standing?.type.kind === 'formula' ? standing.type.formula : null;
  if (known && known.do !== 'case')
    return bad(`“${label}” is a formula of its own.`, 'Choose another name, or change the formula by hand.', at);
  const formula = formulaOf(making.model, table, parts, known, at);
  if (!formula.ok) return formula;
  const type = { kind: 'formula' as const, formula: formula.value, result: formula.value.type };
  const added = standing
    ? making.add({ do: 'changeField', table: to, field: standing.id, set: { type } })
    : making.add({
        do: 'addField',
        table: to,
        at: newFieldPlace(table.fields),
        field: {
          id: newId('f'),
          key: newFieldKey(table.fields, label),
          label,
          help: '',
          required: false,
          unique: false,
          type,
        },
      });
  return added.ok ? added : { ...added, problem: { ...added.problem, at } };
}

function readSource(model: Model, one: Written, at: string): Result<Wanted> {
  const table = readTable(model, one.table, `${at}/table`);
  if (!table.ok) return table;
  const text = String(one.where ?? '').trim();
  const mark = String(one.mark ?? table.value.label).trim();
  if (text === '') return good({ table: table.value, where: null, mark });
  const { expression, problems } = checkCondition(model, table.value.id, text);
  return expression
    ? good({ table: table.value, where: expression, mark })
    : { ok: false, problem: { ...(problems[0] ?? { message: 'This is no condition.' }), at: `${at}/where` } };
}

export const feed: WorkDescriptor<'feed'> = {
  label: 'Feed a table from others',
  help: 'A table that always shows the records of others: what changes there is changed here at once.',
  title: (model, { label, sources }) =>
    `${label} fed from ${sources
      .map(({ table }) => readTable(model, table, ''))
      .map((table) => (table.ok ? table.value.label : 'a table'))
      .join(' and ')}`,
  compile: (_, { make }) => good({ changes: make, links: [], formulas: [], problems: [] }),
  print: (model, { to, label, isNew, sources, markLabel, columns }) => ({
    work: 'feed',
    sources,
    to: isNew ? { label } : tableKey(tableOf(model, to)),
    markLabel,
    fields: columns,
  }),
  read(model, json) {
    const sources = readAll(json.sources, '/sources', (one, at) => readSource(model, one, at));
    if (!sources.ok) return sources;
    if (sources.value.length === 0) return bad('The feed has no source.', 'Choose a table.', '/sources');
    const isNew = typeof json.to === 'object' && json.to !== null;
    const standing = isNew ? null : readTable(model, json.to, '/to');
    if (standing && !standing.ok) return standing;
    if (standing && !feedOf(standing.value))
      return bad(`${standing.value.label} is no feed.`, 'Choose a feed, or a new table.', '/to');
    const label = standing ? standing.value.label : String((json.to as Written).label ?? '').trim();
    const tables = sources.value.map(({ table }) => table);
    if (new Set(tables).size < tables.length)
      return bad('One table is there twice.', 'Put its conditions together with “or”.', '/sources');
    const markLabel = String(json.markLabel ?? marksOf(standing?.value) ?? 'Source').trim();
    const columns =
      json.fields === undefined
        ? proposed(model, tables, [markLabel, ...tables.map((table) => table.label), ...ownLabels(standing?.value)])
        : (json.fields as readonly FeedColumn[]);
    const labels = [markLabel, ...columns.map((column) => column.label)].map((one) => one.trim().toLowerCase());
    const twice = labels.findIndex((one, at) => labels.indexOf(one) < at);
    if (twice > 0)
      return bad(
        `“${columns[twice - 1]?.label ?? ''}” is there twice.`,
        'Choose another name.',
        `/fields/${twice - 1}`,
      );
    const result = made(model, sources.value, standing?.value ?? label, markLabel, columns);
    if (!result.ok) return result;
    return good({
      work: 'feed',
      ...result.value,
      label,
      isNew,
      markLabel,
      sources: sources.value.map(({ table, where, mark }) => ({
        table: tableKey(table),
        where: where ? printFormula(model, where) : '',
        mark,
      })),
      columns,
    });
  },
};
