import { bad, good, type Result } from '../../base/problem';
import { applyChanges, changesToRemoveTable } from '../../changes/change';
import { feedOf } from '../../flow/feeds';
import { fieldOf, isSystem, tableOf } from '../../model/model';
import type { Field } from '../../types/field';
import { printFormula } from '../../formula/printer';
import type { Change } from '../../types/change';
import type { Model, Table } from '../../types/model';
import type { Role } from '../../types/role';
import type { Merge } from '../../types/transfer';
import { follow, problemsOf, written } from '../follow';
import { pathTo } from '../../filled/path';
import { carriedFeeds } from '../merge/feeds';
import { carriedFormulas, carriedParts, carriedRoles, carriedRules, carriedView, namesAgain } from '../merge/carry';
import { manySides } from '../merge/links';
import { proposedColumns, proposedMerge, type MergedColumn } from '../merge/propose';
import { replacedBy } from '../merge/replaced';
import { Making } from '../newFields';
import { readAll, readFormula, readTable, tableKey } from '../../filled/written';
import type { Compiled, LinkLine, WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

/** The records of all sources, and what points at them. */
function records(model: Model, both: Model, transfer: Merge): Change[] {
  const changes: Change[] = [];
  const going = transfer.sources.filter(({ table }) => table !== transfer.to);
  const standing = transfer.sources.find(({ table }) => table === transfer.to);
  const known = (id: string, before: number) => going.findIndex(({ table }) => table === id) <= before;
  const isMarked = (mark: string) => ({
    field: transfer.mark,
    from: {
      is: 'formula' as const,
      formula: { do: 'value' as const, type: { is: 'option' as const, field: transfer.mark }, value: mark },
    },
    options: { [mark]: mark },
  });
  if (standing)
    changes.push({ do: 'setValues', table: transfer.to, chosen: { where: null }, set: [isMarked(standing.mark)] });
  for (const [at, { table, mark, fields }] of going.entries())
    changes.push({
      do: 'copyRecords',
      table: transfer.to,
      from: table,
      chosen: { where: null },
      values: [...fields.filter(({ from }) => from.is !== 'copy' || known(from.copies, at)), isMarked(mark)],
      copies: table,
      moves: true,
    });
  // Links to a table that was brought along after theirs.
  for (const [at, { table, fields }] of going.entries()) {
    const later = fields.filter(({ from }) => from.is === 'copy' && !known(from.copies, at));
    if (later.length > 0)
      changes.push({
        do: 'setValues',
        table: transfer.to,
        chosen: { where: null },
        set: later,
        source: { table, copies: table },
      });
  }
  const gone = new Set(going.map(({ table }) => table));
  for (const { old, now } of transfer.links) {
    const { field, table } = fieldOf(model, old);
    if (field.type.kind === 'link') {
      changes.push({ do: 'pointLinks', table: table.id, link: old, cameOf: field.type.to, into: now, keeps: true });
      continue;
    }
    const before = manySides(model, table).find((side) => side.field.id === old);
    const after = manySides(both, tableOf(both, transfer.to)).find((side) => side.field.id === now);
    if (!before || !after) continue;
    const far = pathTo(before.far);
    changes.push({
      do: 'copyRecords',
      table: after.pairs.id,
      from: before.pairs.id,
      chosen: { where: null },
      values: [
        { field: after.near.id, from: { is: 'copy', copies: table.id, of: pathTo(before.near) } },
        {
          field: after.far.id,
          from: gone.has(before.to) ? { is: 'copy', copies: before.to, of: far } : { is: 'formula', formula: far },
        },
      ],
      copies: `pairs ${old}`,
    });
  }
  return changes;
}

/** The merged tables and the links to them go, and the new links take the names of the old ones. */
function cleared(model: Model, both: Model, transfer: Merge): Result<Making> {
  const making = new Making(both);
  for (const { table } of transfer.sources) {
    if (table === transfer.to) continue;
    const removed = making.add(...changesToRemoveTable(making.model, table));
    if (!removed.ok) return removed;
  }
  for (const { old, now: id } of transfer.links) {
    const { field, table } = fieldOf(model, old);
    if (field.type.kind !== 'link') continue;
    const renamed = making.add({
      do: 'changeField',
      table: table.id,
      field: id,
      set: {
        ...namesAgain(tableOf(making.model, table.id), field),
        ...(field.required === false ? {} : { required: field.required }),
        ...(field.unique ? { unique: true } : {}),
      },
    });
    if (!renamed.ok) return renamed;
  }
  return good(making);
}

const isRole = (change: Change): change is Extract<Change, { do: 'changePart' }> & { readonly part: Role } =>
  change.do === 'changePart' && change.kind === 'role';

/** The roles that changes write anew. */
const rolesIn = (changes: readonly Change[]): ReadonlyMap<string, Role> =>
  new Map(changes.filter(isRole).map(({ part }) => [part.id, part]));

function compile(model: Model, transfer: Merge): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const first = made.value.model;
  const replacements = replacedBy(model, first, transfer);
  const formulas = carriedFormulas({ model, both: first, transfer, replacements });
  const withFormulas = applyChanges(first, formulas.changes);
  if (!withFormulas.ok) return withFormulas;
  const both = withFormulas.value.model;
  const values = new Map(replacements.values);
  for (const [old, now] of formulas.fields) {
    const { field } = fieldOf(both, now);
    values.set(old, ({ place, through }) => ({ ...pathTo(field, through), place }));
  }
  const all = { ...replacements, values };
  const carrying = { model, both, transfer, replacements: all };
  const gone = new Set(transfer.sources.flatMap(({ table }) => (table === transfer.to ? [] : [table])));
  const rules = carriedRules(carrying);
  const parts = carriedParts(carrying, formulas.fields);
  const carriedTables = new Set(transfer.sources.map(({ table }) => table));
  const feeds = carriedFeeds(carrying);
  const following = follow(
    model,
    both,
    all,
    carriedTables,
    undefined,
    ({ kind, part }) => kind === 'feed' && part.sources.some(({ table }) => carriedTables.has(table)),
  );
  const roles = carriedRoles(carrying, rolesIn(following.changes));
  const carriedToo = rolesIn(roles.changes);
  const lines = [...formulas.lines, ...following.lines, ...feeds.lines, ...rules.lines, ...parts.lines, ...roles.lines];
  const problems = problemsOf(lines);
  const turned = [
    ...following.changes.filter((change) => !isRole(change) || !carriedToo.has(change.part.id)),
    ...feeds.changes,
    ...roles.changes,
    ...rules.changes,
    ...parts.changes,
  ];
  const followed = applyChanges(both, turned);
  const clears = followed.ok ? cleared(model, followed.value.model, transfer) : followed;
  if (!clears.ok && problems.length === 0) return clears;
  const own = transfer.sources.flatMap(({ table }): Change[] => {
    if (!gone.has(table)) return [];
    const fields = tableOf(model, table).fields.flatMap(({ id }) => {
      const now = formulas.fields.get(id);
      return now === undefined ? [] : [{ field: id, now: { table: transfer.to, field: now, copies: table } }];
    });
    return fields.length > 0 ? [{ do: 'compareValues', table, fields }] : [];
  });
  return good({
    changes: [
      ...following.comparing,
      ...own,
      ...transfer.make,
      ...records(model, first, transfer),
      ...formulas.changes,
      ...turned,
      ...(clears.ok ? clears.value.changes : []),
    ],
    links: transfer.links.map(({ old }): LinkLine => {
      const { field, table } = fieldOf(model, old);
      return {
        link: `${table.label}.${field.label}`,
        fate: 'pointed',
        words: `points at ${tableOf(both, transfer.to).label}`,
      };
    }),
    formulas: written(clears.ok ? clears.value.model : both, lines),
    problems,
    ownView: carriedView(carrying, formulas.fields),
  });
}

/** `{label, from: {table: formula}}`; a formula that is a field alone is that field. */
function readColumn(model: Model, tables: readonly Table[], json: Written, at: string): Result<MergedColumn> {
  const given = (json.from ?? {}) as Readonly<Record<string, string>>;
  const from: MergedColumn['from'][number][] = [];
  const unknown = Object.keys(given).find(
    (key) => !tables.some((table) => tableKey(table) === key || table.id === key),
  );
  if (unknown !== undefined) return bad(`“${unknown}” is none of the tables that are merged.`, undefined, `${at}/from`);
  for (const table of tables) {
    const text = given[tableKey(table)] ?? given[table.id];
    if (text === undefined || text.trim() === '') {
      from.push(null);
      continue;
    }
    const formula = readFormula(model, table, text, `${at}/from/${tableKey(table)}`);
    if (!formula.ok) return formula;
    const { value } = formula;
    const isPlain = value.do === 'field' && value.through.length === 0;
    from.push(isPlain ? fieldOf(model, value.field).field : { formula: text });
  }
  return good({ label: String(json.label ?? '').trim(), from });
}

const columnsOf = (model: Model, tables: readonly Table[], to: Table | undefined): MergedColumn[] =>
  // The table that the others go into keeps its own columns first.
  proposedColumns(model, tables).map((column) => {
    const own = to === undefined ? null : column.from[tables.indexOf(to)];
    return own && 'type' in own ? { ...column, label: own.label } : column;
  });

export const merge: WorkDescriptor<'merge'> = {
  label: 'Merge tables',
  help: 'Two or more tables become one, with a mark that says where each record comes from.',
  title(model, { make, to, sources }) {
    const after = applyChanges(model, make);
    const names = sources.map(({ table }) => tableOf(model, table).label);
    return `${names.join(' and ')} merged into ${after.ok ? tableOf(after.value.model, to).label : 'one table'}`;
  },
  compile,
  print(model, transfer) {
    const after = applyChanges(model, transfer.make);
    const known = after.ok ? after.value.model : model;
    const to = tableOf(known, transfer.to);
    const isNew = !transfer.sources.some(({ table }) => table === transfer.to);
    const { type } = fieldOf(known, transfer.mark).field;
    const options = type.kind === 'option' ? type.options : [];
    const columns = new Map<string, Record<string, string>>();
    for (const { table, fields } of transfer.sources)
      for (const { field, from } of fields) {
        const formula = from.is === 'formula' ? from.formula : from.is === 'copy' ? from.of : null;
        const { label, type: kind } = fieldOf(known, field).field;
        // What the system keeps goes along by itself.
        if (!formula || isSystem({ type: kind } as Field)) continue;
        const given = columns.get(label) ?? {};
        given[tableKey(tableOf(model, table))] = printFormula(model, formula);
        columns.set(label, given);
      }
    // The table that the others go into is filled from itself.
    if (!isNew)
      for (const [label, given] of columns) {
        const own = to.fields.find((field) => field.label === label);
        if (own) given[tableKey(to)] = own.key;
      }
    const marks = fieldOf(known, transfer.mark).field.label;
    return {
      work: 'merge',
      sources: transfer.sources.map(({ table, mark }) => ({
        table: tableKey(tableOf(model, table)),
        mark: options.find(({ id }) => id === mark)?.label ?? mark,
      })),
      to: isNew ? { label: to.label } : tableKey(to),
      markLabel: marks,
      fields: [...columns].map(([label, from]) => ({ label, from })),
      ...(transfer.accept ? { accept: true } : {}),
    };
  },
  read(model, json) {
    const sources = readAll(json.sources, '/sources', (one, at) => {
      const table = readTable(model, one.table, `${at}/table`);
      return table.ok ? good({ table: table.value, mark: String(one.mark ?? table.value.label).trim() }) : table;
    });
    if (!sources.ok) return sources;
    const tables = sources.value.map(({ table }) => table);
    if (tables.length < 2 || new Set(tables).size < tables.length)
      return bad('Two or more different tables become one.', 'Choose them.', '/sources');
    const homes = new Set(tables.map(({ home }) => home));
    if (homes.size > 1)
      return bad('Tables of different workspaces are not merged.', 'Move their records first.', '/sources');
    const fed = tables.find((table) => feedOf(table));
    if (fed)
      return bad(
        `${fed.label} is fed from other tables, which keep its records.`,
        'End the feed first, or merge the tables that it is fed from.',
        '/sources',
      );
    const marks = sources.value.map(({ mark }) => mark.toLowerCase());
    if (new Set(marks).size < marks.length)
      return bad('Two tables have the same mark.', 'Give each its own.', '/sources');
    const isNew = typeof json.to === 'object' && json.to !== null;
    const standing = isNew ? undefined : readTable(model, json.to, '/to');
    if (standing && !standing.ok) return standing;
    if (standing && !tables.includes(standing.value))
      return bad(
        `${standing.value.label} is none of the tables that are merged.`,
        'Choose one of them, or a new one.',
        '/to',
      );
    const columns =
      json.fields === undefined
        ? good(columnsOf(model, tables, standing?.value))
        : readAll(json.fields, '/fields', (one, at) => readColumn(model, tables, one, at));
    if (!columns.ok) return columns;
    const merged = proposedMerge(
      model,
      sources.value,
      standing?.value ?? (json.to as { readonly label: string }),
      columns.value,
      String(json.markLabel ?? 'Source').trim(),
      (table, formula, at) => readFormula(model, table, formula, at),
    );
    if (!merged.ok) return merged;
    return good({ ...merged.value, ...(json.accept === true ? { accept: true as const } : {}) });
  },
};
