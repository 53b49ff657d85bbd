import { bad, good, type Result } from '../../base/problem';
import { applyChanges, changesToRemoveTable } from '../../changes/change';
import { fieldOf, isFed, isWritten, linkedTable, tableOf } from '../../model/model';
import type { Change } from '../../types/change';
import type { Field } from '../../types/field';
import type { Model, Table } from '../../types/model';
import type { FoldIn } from '../../types/transfer';
import { follow, written } from '../follow';
import { pathTo } from '../../filled/path';
import { readField, readTable, tableKey } from '../../filled/written';
import { fieldLike, linkLike, Making } from '../newFields';
import type { Replacements } from '../rewrite';
import type { Compiled, WorkDescriptor } from '../work';
import { sameOptions } from './splitOff';

/** The columns that a table gets for the fields of the linked one. */
function columnsFor(
  model: Model,
  table: Table,
  link: Field,
  fields: readonly Field[],
): Result<Pick<FoldIn, 'make' | 'fields'>> {
  const making = new Making(model);
  const made: FoldIn['fields'][number][] = [];
  let at = table.fields.indexOf(link) + 1;
  for (const from of fields) {
    const owner = tableOf(making.model, table.id);
    if (from.type.kind === 'link') {
      const copy = linkLike(making.model, table.id, from, from.type.to, { label: from.label, at });
      const linked = making.add(...copy.changes);
      if (!linked.ok) return linked;
      made.push({ from: from.id, to: copy.field });
    } else {
      const field = { ...fieldLike(owner.fields, from), required: false as const, unique: false };
      const added = making.add({ do: 'addField', table: table.id, field, at });
      if (!added.ok) return added;
      made.push({ from: from.id, to: field.id });
    }
    at++;
  }
  return good({ make: making.changes, fields: made });
}

function compile(model: Model, transfer: FoldIn): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const both = made.value.model;
  const table = tableOf(model, transfer.table);
  const link = fieldOf(model, transfer.link).field;
  const linked = linkedTable(model, link)?.table;
  if (!linked) return bad(`“${link.label}” is no link.`, undefined, '/link');
  if (isFed(link))
    return bad(`${table.label} is fed from ${linked.label}, and shows it already.`, 'End the feed first.', '/link');
  const moved = transfer.fields.map(({ from, to }) => ({
    old: fieldOf(model, from).field,
    now: fieldOf(both, to).field,
  }));
  const others = linked.fields.filter(
    ({ id, type }) => type.kind === 'counterpart' && type.link !== link.id && !moved.some(({ old }) => old.id === id),
  );
  const [other] = others;
  if (other)
    return bad(
      `${linked.label} is linked with others, too: “${other.label}”.`,
      'Remove that link first, or leave the table as it is.',
      '/link',
    );
  const steps = new Map<string, readonly string[]>([[link.id, []]]);
  for (const { old, now } of moved) if (old.type.kind === 'link') steps.set(old.id, [now.id]);
  const values = new Map(
    linked.fields.flatMap((field) => {
      const now = moved.find(({ old }) => old.id === field.id)?.now;
      if (field.type.kind === 'link') return [];
      return [
        [
          field.id,
          now
            ? ({ place, through }: { place: number; through: readonly string[] }) => ({
                ...pathTo(now, through),
                place,
              })
            : null,
        ] as const,
      ];
    }),
  );
  const replacements: Replacements = { steps, values, marks: new Map() };
  const following = follow(model, both, replacements, new Set([linked.id]), {
    via: [],
    fields: new Map(),
  });
  const after = applyChanges(both, following.changes);
  if (!after.ok) return after;
  const title =
    table.title === link.id ? (moved.find(({ old }) => old.id === linked.title)?.now.id ?? null) : undefined;
  return good({
    changes: [
      ...following.comparing,
      ...transfer.make,
      {
        do: 'setValues',
        table: table.id,
        chosen: { where: null },
        set: moved.map(({ old, now }) => ({
          field: now.id,
          from: { is: 'formula', formula: pathTo(old, [link.id]) },
          ...sameOptions(old),
        })),
      },
      ...following.changes,
      ...(title === undefined ? [] : [{ do: 'changeTable', table: table.id, set: { title } } as Change]),
      ...changesToRemoveTable(after.value.model, linked.id),
    ],
    links: [],
    formulas: written(both, following.lines),
    problems: following.problems,
  });
}

export const foldIn: WorkDescriptor<'foldIn'> = {
  label: 'Fold a table in',
  help: 'A linked table becomes columns of the table that links to it.',
  title: (model, { table, link }) =>
    `${linkedTable(model, fieldOf(model, link).field)?.table.label ?? 'A table'} folded into ${tableOf(model, table).label}`,
  compile,
  print: (model, { table, link, fields, accept }) => ({
    work: 'foldIn',
    table: tableKey(tableOf(model, table)),
    link: fieldOf(model, link).field.key,
    fields: fields.map(({ from }) => fieldOf(model, from).field.key),
    ...(accept ? { accept } : {}),
  }),
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const link = readField(table.value, json.link, '/link');
    if (!link.ok) return link;
    if (link.value.type.kind !== 'link')
      return bad(
        `“${link.value.label}” can lead to several records, which are no columns of one.`,
        'Make it a link to one first; records that have several are counted there.',
        '/link',
      );
    const linked = tableOf(model, link.value.type.to);
    if (linked.id === table.value.id) return bad('A table cannot be folded into itself.', undefined, '/link');
    const all = linked.fields.filter(isWritten);
    const keys = json.fields as readonly string[] | undefined;
    const fields = keys === undefined ? all : all.filter(({ key, id }) => keys.includes(key) || keys.includes(id));
    const unknown = keys?.find((key) => !all.some((field) => field.key === key || field.id === key));
    if (unknown !== undefined) return bad(`${linked.label} has no such field “${unknown}”.`, undefined, '/fields');
    const made = columnsFor(model, table.value, link.value, fields);
    if (!made.ok) return made;
    return good({
      work: 'foldIn',
      table: table.value.id,
      link: link.value.id,
      ...made.value,
      ...(json.accept === true ? { accept: true } : {}),
    });
  },
};
