import type { CalculatedField, CalculationStep } from '$core/flow/graph';
import { sourcesInto, type StandingSource } from '$core/flow/feeds';
import { dependsOnDay } from '$core/flow/dependencies';
import { compileFormulas, fitted } from '$core/formula/compiler';
import { underLink } from '$core/formula/overLink';
import { fieldOf, typeAs } from '$core/model/model';
import type { FieldId } from '$core/types/identity';
import { homeOf, tableSql, type WorkspaceState } from '../access/workspaceState';
import { identifier, join, raw, sql } from '../base/sql';
import { columnNames, columnType } from '../sql/column';
import { among, prepared, statementEpoch, written, type Statement } from '../sql/statement';
import { affectedOver } from './affected';
import { calculating, doneBy, stepStatement, type StepDone } from './calculationStep';
import { linksOf, mostLimited, type Effects, type Known, type Recalculation } from './effects';
import { withParentsLocked } from './parentLocks';

const byFeed = new WeakMap<CalculationStep, ReadonlyMap<FieldId, StandingSource> | null>();

/**
 * The sources of a step whose fields come from nothing but the records that a feed's records stand for, and what these
 * link to; null for any other step. What gathers records needs the lock of whoever gathers.
 */
function sourcesOf({ workspace }: Recalculation, step: CalculationStep): ReadonlyMap<FieldId, StandingSource> | null {
  const ready = byFeed.get(step);
  if (ready !== undefined) return ready;
  const sources = new Map(sourcesInto(workspace.model, step.table.id).map((one) => [one.link.id, one]));
  const own = new Set(step.fields.map(({ field }) => field.id));
  const comes = step.fields.every(({ on }) =>
    on.every(({ path: [first, ...rest], field }) =>
      first === undefined
        ? own.has(field) || sources.has(field)
        : sources.has(first) && rest.every((one) => fieldOf(workspace.model, one).field.type.kind === 'link'),
    ),
  );
  const found = sources.size > 0 && comes && !step.hierarchy && !step.feeds ? sources : null;
  byFeed.set(step, found);
  return found;
}

/**
 * Brings what a feed shows of its sources up to date in one statement, by the links to the records that changed. These
 * are held by then, as they were written or passed on the way; a record of the feed stands for one of them, so that
 * nobody else can be about to write it meanwhile. Null where the step has to be done as any other.
 */
export async function recalculateFed(
  run: Recalculation,
  known: Known,
  step: CalculationStep,
): Promise<StepDone | null> {
  const sources = sourcesOf(run, step);
  if (!sources || known.madeIn(step.table.id).length > 0) return null;
  if (step.fields.some(({ field }) => run.anew?.has(field.id)) || [...sources.keys()].some(known.has)) return null;
  const ids = new Map<FieldId, Set<number>>();
  const effects: Effects[] = [];
  const seen = new Set<string>();
  const fields: CalculatedField[] = [];
  // They stand in the order of their layers: what comes from another of them stands behind it.
  for (const one of step.fields) {
    const follows = one.on.some(
      ({ path, field }) => path.length === 0 && fields.some((other) => other.field.id === field),
    );
    if (follows || one.on.some(({ path, field }) => path.length > 0 && known.has(field))) fields.push(one);
    for (const { path, field } of one.on) {
      const [link, ...rest] = path;
      const way = [...path, field].join();
      if (link === undefined || !known.has(field) || seen.has(way)) continue;
      seen.add(way);
      const over = await affectedOver(run, known, { path: rest, field });
      if (over.ids === 'all') return null;
      effects.push(...over.effects);
      const ofLink = ids.get(link) ?? new Set<number>();
      for (const id of over.ids) ofLink.add(id);
      ids.set(link, ofLink);
    }
  }
  // Before anything is written: what the other way finds written already tells nobody that it was.
  if ([...ids.values()].some(({ size }) => size > mostLimited)) return null;
  const differed = new Set<number>();
  for (const [link, records] of ids) {
    const source = sources.get(link);
    if (!source || records.size === 0) continue;
    const { client, workspace, exclusive } = run;
    const statement =
      shownStatement(run, source, fields, [...records]) ??
      stepStatement(
        workspace,
        step.table,
        fields,
        among(sql`r.${identifier(source.link.key)}`, [...records]),
        'each',
        !exclusive,
      );
    const done = doneBy(run, step.table, fields, await prepared(client, statement, statementEpoch(workspace)));
    effects.push(...done.effects);
    if (done.differed !== 'all') for (const id of done.differed) differed.add(id);
  }
  return { differed, effects };
}

const onlyShown = new WeakMap<StandingSource, Map<string, boolean>>();

/**
 * The statement that brings fields up to date which show nothing but a source, for the records of the feed that stand for
 * these of it: it reads the source alone. Null where one of them comes from anything else.
 */
function shownStatement(
  { workspace, exclusive }: Recalculation,
  source: StandingSource,
  fields: readonly CalculatedField[],
  records: readonly number[],
): Statement | null {
  const { table, link } = source;
  const ids = fields.map(({ field }) => field.id);
  const ofSource = onlyShown.get(source) ?? new Map<string, boolean>();
  onlyShown.set(source, ofSource);
  const known = ofSource.get(ids.join());
  const isShown = known ?? shownDirectly(workspace, source, fields, 'each').rest.length === 0;
  ofSource.set(ids.join(), isShown);
  if (!isShown) return null;
  const limit = among(raw('r._id'), records);
  const dated = fields.some(({ field }) => dependsOnDay(typeAs(field, 'formula').formula));
  const day = dated ? homeOf(workspace, table).day : '';
  const key = [
    'shown',
    workspace.key,
    ...(workspace.shadowed ?? []),
    limit.text,
    exclusive,
    day,
    link.id,
    ...ids,
  ].join();
  return written(workspace.model, key, limit.values, () => {
    const { values, joins } = shownDirectly(workspace, source, fields, 'each');
    const names = fields.map(({ field }) => identifier(field.key));
    const update = sql`
      update ${tableSql(workspace, table)} t
      set ${join(names.map((name) => sql`${name} = c.${name}`))}
      from (
        select ${join([raw('r._id as _source'), ...values])}
        from ${tableSql(workspace, source.source)} r ${joins} where ${limit} offset 0
      ) c
      where t.${identifier(link.key)} = c._source
        and (${join(
          names.map((name) => sql`t.${name} is distinct from c.${name}`),
          ' or ',
        )})
      returning ${join([raw('t._id'), ...columnNames(linksOf(table), 't')])}
    `;
    return exclusive ? update : withParentsLocked(workspace, table, ids, update);
  });
}

/**
 * Fields of a feed that show nothing but a source, worked out over its records, which stand as `r`, and not by way of
 * the links to them; `rest`: what else is calculated in the feed.
 */
export function shownDirectly(
  workspace: WorkspaceState,
  { table, link }: StandingSource,
  all: readonly CalculatedField[],
  aggregates: 'each' | 'grouped',
) {
  const { model } = workspace;
  const others = new Set(sourcesInto(model, table.id).flatMap((one) => (one.link.id === link.id ? [] : [one.link.id])));
  const under = all.map((one) => ({
    ...one,
    formula: underLink(link.id, others, typeAs(one.field, 'formula').formula),
  }));
  const direct = under.flatMap(({ field, formula }) => (formula ? [{ field, formula }] : []));
  const { raw: values, joins } = compileFormulas(
    direct.map(({ formula }) => formula),
    { ...calculating(workspace, table, aggregates), part: '_shown_' },
  );
  return {
    fields: direct.map(({ field }) => field),
    values: direct.map(({ field }, at) => {
      const value = fitted(values[at] ?? 'null', typeAs(field, 'formula').result);
      return sql`(${raw(value)})::${raw(columnType(field))} as ${identifier(field.key)}`;
    }),
    joins: raw(joins),
    rest: all.filter((_, at) => under[at]?.formula === null),
  };
}
