import { languagesWithin } from '../languages/texts';
import { dependenciesOf, readsAny } from '../flow/dependencies';
import type { Expression } from '../types/expression';
import { writtenIn } from './dependents';
import { keepingIn, mapParts } from './parts';
import type { FieldId, TableId } from '../types/identity';
import { findField, findTable, tableOf } from '../model/model';
import type { Model, Table } from '../types/model';
import { partsOf, type Parts } from '../types/part';
import { recordRights, type Reach, type RecordRight, type Rights, type TableRights } from '../types/role';
import { builtInRole, has, rightsOver, seesWhole, standingReach, writesIn } from '../access/rights';
import type { Field } from '../types/field';
import { shownType } from '../formula/shownType';

/** What of a workspace somebody may see: what their rights there say, or only what links to it show. */
export type Sight = 'ends' | Rights;

/**
 * The sights somebody has: of a workspace, and of those it is linked with by their keys; of one that is not named only
 * its ends.
 */
export interface Sights {
  readonly own: Sight;
  readonly homes: Readonly<Record<string, Sight>>;
  /** Whose private tables are among it: those of a person, or of everybody; without it nobody's. */
  readonly viewer?: number | 'everybody';
}

/**
 * The tables that are private to others than who looks, and those between them and other tables: the pairs of links that
 * lead there.
 */
export function privateToOthers({ tables }: Model, { viewer }: Pick<Sights, 'viewer'>): ReadonlySet<TableId> {
  const hidden = new Set(
    viewer === 'everybody'
      ? []
      : tables.filter(({ privateTo }) => privateTo !== undefined && privateTo !== viewer).map(({ id }) => id),
  );
  if (hidden.size > 0)
    for (const { id, pairs, fields } of tables)
      if (pairs && fields.some(({ type }) => type.kind === 'link' && hidden.has(type.to))) hidden.add(id);
  return hidden;
}

/**
 * A model with only some of its fields: what was calculated from others shows its values, but no longer where they come
 * from.
 */
export function keeping(model: Model, keeps: (field: Field, table: Table) => boolean): Model {
  const gone = goneWith(model, keeps);
  if (gone.size === 0) return model;
  const reads = (expression: Expression) => readsAny(model, expression, gone);
  const bare = (field: Field): Field[] => {
    if (gone.has(field.id)) return [];
    const { type } = field;
    const { default: preset, ...rest } = field;
    const kept: Field = preset?.kind === 'formula' && reads(preset.formula) ? rest : field;
    // An option is one of a field's list: without that field only the values are left.
    if (type.kind === 'formula' && (reads(type.formula) || ('field' in type.result && gone.has(type.result.field))))
      return [{ ...kept, type: shownType(model, field), veiled: true }];
    if (type.kind === 'link') {
      const { candidates, shows, ...link } = type;
      const limit = candidates && !reads(candidates);
      const left = shows?.filter((id) => !gone.has(id));
      // What is whole stays the very same, by which it is known that nothing of it was cut.
      if ((candidates === undefined || limit) && left?.length === shows?.length) return [kept];
      return [{ ...kept, type: { ...link, ...(limit ? { candidates } : {}), ...(left ? { shows: left } : {}) } }];
    }
    return [kept];
  };
  return {
    ...mapParts(model, (one) => keepingIn(one, (condition) => !reads(condition))),
    tables: model.tables.map((table) => {
      const { rules, ...rest } = table;
      const left = rules?.filter((rule) =>
        rule.kind === 'holds' ? !reads(rule.condition) : !rule.fields.some((id) => gone.has(id)),
      );
      return {
        // A condition tells of what it reads by the very value it compares with.
        ...mapParts(rest, (one) => keepingIn(one, (condition) => !reads(condition))),
        ...(left ? { rules: left } : {}),
        title: table.title !== null && gone.has(table.title) ? null : table.title,
        fields: table.fields.flatMap(bare),
      };
    }),
  };
}

/**
 * The fields that are not kept, and the links that go with them: one whose other side is hidden points nowhere that can
 * be shown.
 */
export function goneWith(model: Model, keeps: (field: Field, table: Table) => boolean): ReadonlySet<FieldId> {
  const gone = new Set<FieldId>();
  for (const table of model.tables) for (const field of table.fields) if (!keeps(field, table)) gone.add(field.id);
  const needs = ({ type }: Field): readonly FieldId[] =>
    type.kind === 'link'
      ? [type.counterpart]
      : type.kind === 'counterpart'
        ? [type.link, ...(type.over === undefined ? [] : [type.over])]
        : [];
  for (let before = -1; before !== gone.size;) {
    before = gone.size;
    for (const { fields } of model.tables)
      for (const field of fields) if (needs(field).some((id) => gone.has(id))) gone.add(field.id);
  }
  return gone;
}

/** The fields by which a workspace's own links are made: both sides, and the pairs between them. */
function endsOf(model: Model): ReadonlySet<FieldId> {
  const ends = new Set<FieldId>();
  const follow = (id: FieldId) => {
    if (ends.has(id)) return;
    ends.add(id);
    const type = findField(model, id)?.field.type;
    if (type?.kind === 'link') follow(type.counterpart);
    if (type?.kind === 'counterpart') [type.link, ...(type.over === undefined ? [] : [type.over])].forEach(follow);
  };
  for (const table of model.tables)
    if (table.home === undefined)
      for (const { id, type } of table.fields) if (type.kind === 'link' || type.kind === 'counterpart') follow(id);
  return ends;
}

/** A table whose fields say which of them are seen and not entered. */
const withStill = (table: Table, limits: TableRights['fields']): Table =>
  table.fields.some(({ id }) => limits[id] === 'seen')
    ? {
        ...table,
        fields: table.fields.map((field) => (limits[field.id] === 'seen' ? { ...field, still: true as const } : field)),
      }
    : table;

/** What routines do, and whom they write to, is told to those alone who manage them. */
function withRoutines(table: Table, sight: Rights): Table {
  if (partsOf(table, 'routine').length === 0 || has(sight, 'routines')) return table;
  const { routine: _, ...parts } = table.parts ?? {};
  return { ...table, parts };
}

/** Tells sights apart that show different things, in a few characters where they are those of a role of every workspace. */
function sightName(sight: Sight): string {
  if (sight === 'ends') return sight;
  const known = sightNames.get(sight);
  if (known !== undefined) return known;
  const shown = (rights: TableRights) => {
    const fields = Object.entries(rights.fields).map(([id, limit]) => `${id} ${limit}`);
    return rights.see === 'none' ? '-' : [writesIn(rights) ? 'all' : 'plain', ...fields.sort()].join(' ');
  };
  const tables = Object.entries(sight.tables).map(([id, rights]) => `${id} ${shown(rights)}`);
  const knows = (['people', 'routines', 'share'] as const).filter((right) => has(sight, right));
  const name = [...knows, shown(sight.others), ...tables.sort()].join('; ');
  sightNames.set(sight, name);
  return name;
}
const sightNames = new WeakMap<Rights, string>();

/** Whether somebody with this sight sees all of a workspace, what is internal included. */
export const seesEverything = (sight: Sight): boolean =>
  sight !== 'ends' &&
  seesWhole(sight) &&
  [sight.others, ...Object.values(sight.tables)].every((rights) => writesIn(rights));

// A model never changes, so what is left of it for others can be kept as long as it is.
const known = new WeakMap<Model, Map<string, Model>>();

/**
 * The model as somebody may see it who has these sights. Whose sight of a linked workspace ends at the links knows its
 * linked tables by their titles, and nothing else of it.
 */
export function seenOf(model: Model, sights: Sights): Model {
  const { own, homes } = sights;
  const isPrivate = privateToOthers(model, sights);
  const sightOf = ({ home }: Table): Sight => (home === undefined ? own : (homes[home] ?? 'ends'));
  const others = new Set(model.tables.flatMap(({ home }) => home ?? []));
  const name = [
    sightName(own),
    ...[...others].map((home) => `${home}: ${sightName(homes[home] ?? 'ends')}`),
    ...isPrivate,
  ].join();
  const ofModel = known.get(model) ?? new Map<string, Model>();
  known.set(model, ofModel);
  const ready = ofModel.get(name);
  if (ready) return ready;
  const ends = endsOf(model);
  const linked = (table: Table) => table.fields.some(({ id }) => ends.has(id));
  const cut = keeping(model, (field, table) => {
    if (isPrivate.has(table.id)) return false;
    const sight = sightOf(table);
    if (sight === 'ends') return !field.internal && linked(table) && (table.title === field.id || ends.has(field.id));
    const rights = rightsOver(model, sight, table);
    return rights.see !== 'none' && rights.fields[field.id] !== 'hidden' && (!field.internal || writesIn(rights));
  });
  const bare = (table: Table): Table[] => {
    if (isPrivate.has(table.id)) return [];
    const sight = sightOf(table);
    if (sight !== 'ends') {
      // By the table as it was: a cut one no longer says which it links.
      const { see, fields } = rightsOver(model, sight, tableOf(model, table.id));
      return see === 'none' ? [] : [withStill(withRoutines(table, sight), fields)];
    }
    if (!linked(table)) return [];
    const { rules: _, parts: __, ...rest } = table;
    return [{ ...rest, description: '' }];
  };
  const tables = cut.tables.flatMap(bare);
  const isSame = tables.every((table, at) => table === model.tables[at]) && tables.length === model.tables.length;
  const parts = own === 'ends' || !cut.parts ? undefined : ownParts({ tables }, cut.parts, own, isSame);
  const seen =
    isSame && parts === model.parts && model.peerParts === undefined ? model : { tables, ...(parts ? { parts } : {}) };
  ofModel.set(name, seen);
  return seen;
}

/**
 * All of a model, in which what `seen` of it does not show has no name: for what people are told of what else a change
 * concerns. Names stay different within a table, as they must.
 */
export function nameless(whole: Model, seen: Model): Model {
  if (whole === seen) return whole;
  const shown = new Map(seen.tables.map((table) => [table.id, table]));
  const hide = <T extends { readonly id: string }>(
    all: readonly T[],
    left: readonly T[] | undefined,
    bare: (one: T, number: number) => T,
  ): T[] => {
    const ids = new Set(left?.map(({ id }) => id));
    return all.map((one, index) => (ids.has(one.id) ? one : bare(one, index + 1)));
  };
  return {
    ...whole,
    tables: whole.tables.map((table, index) => {
      const own = shown.get(table.id);
      return {
        ...mapParts(table, ({ kind, part }, at) =>
          partsOf(own ?? {}, kind).some(({ id }) => id === part.id)
            ? part
            : { ...part, label: `${at + 1} that you may not see` },
        ),
        label: own ? table.label : `table ${index + 1} that you may not see`,
        fields: hide(table.fields, own?.fields, (field, number) => ({
          ...field,
          label: `field ${number} that you may not see`,
        })),
        ...(table.rules
          ? { rules: hide(table.rules, own?.rules, (rule) => ({ ...rule, message: 'that you may not see' })) }
          : {}),
      };
    }),
  };
}

/**
 * The parts of the workspace itself. Who may do what is told to those alone who decide it; summaries to those who share
 * them, as some are for few: whom one is for is asked where it is read.
 */
function ownParts(seen: Model, parts: Parts, own: Rights, isSame: boolean): Parts | undefined {
  const { role, summary, language, ...others } = isSame ? parts : rolesSeen(seen, parts);
  const shown: Parts = {
    ...others,
    ...(language ? { language: isSame ? language : languagesWithin(seen, language) } : {}),
    ...(role && has(own, 'people') ? { role } : {}),
    ...(summary && has(own, 'share') ? { summary } : {}),
  };
  const kinds = Object.keys(shown).length;
  return kinds === 0 ? undefined : isSame && kinds === Object.keys(parts).length ? parts : shown;
}

/** Roles without what they say of tables that are hidden, and of conditions that read there. */
function rolesSeen(seen: Model, parts: Parts): Parts {
  const within = (rights: TableRights): TableRights => ({
    ...rights,
    ...(Object.fromEntries(recordRights.map((right) => [right, standingReach(seen, rights[right])])) as Record<
      RecordRight,
      Reach
    >),
  });
  if (!parts.role) return parts;
  return {
    ...parts,
    role: partsOf({ parts }, 'role').map((role) => ({
      ...role,
      tables: Object.fromEntries(
        Object.entries(role.tables).flatMap(([id, rights]) => (findTable(seen, id) ? [[id, within(rights)]] : [])),
      ),
    })),
  };
}

const reader = builtInRole('reader') as Rights;

/** The model without internal fields, for people who have no right to them. */
export const withoutInternal = (model: Model): Model =>
  seenOf(model, { own: reader, homes: Object.fromEntries(model.tables.map(({ home }) => [home ?? '', reader])) });

/** What everybody sees who is in one workspace, and in no other. */
export const leastSights: Sights = { own: reader, homes: {} };

/**
 * The model that pages get: of other workspaces' tables only what the workspace's own links, formulas and titles show
 * anyway.
 */
export function withoutForeign(model: Model): Model {
  if (model.tables.every(({ home }) => home === undefined)) return model;
  const needed = new Set<FieldId>();
  for (const { table, expression } of writtenIn(model))
    if (table.home === undefined)
      for (const { path, field } of dependenciesOf(model, expression).on)
        for (const id of [...path, field]) needed.add(id);
  const ends = new Set(
    model.tables
      .filter(({ home }) => home === undefined)
      .flatMap(({ fields }) => fields)
      .flatMap(({ type }) =>
        type.kind === 'link'
          ? [type.counterpart, ...(type.shows ?? [])]
          : type.kind === 'counterpart'
            ? [type.link, ...(type.over ? [type.over] : [])]
            : [],
      ),
  );
  return keeping(
    model,
    (field, table) =>
      table.home === undefined ||
      table.title === field.id ||
      needed.has(field.id) ||
      ends.has(field.id) ||
      Boolean(table.pairs),
  );
}
