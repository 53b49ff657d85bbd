import { and, eq, sql as catalogueSql } from 'drizzle-orm';
import { newId, type ViewId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import { sharedViews, wholeView } from '$core/views/view';
import type { View } from '$core/types/view';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { kept, views } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { changeAtOnce } from './plan';
import { sql } from '../base/sql';

/** A view as one person has it. */
export interface HeldView {
  readonly view: View;
  readonly personal: boolean;
  readonly favourite: boolean;
}

/** The views of a table that a person has: everybody's, then their own. */
export async function viewsOf(pool: Pool, access: WorkspaceAccess, table: Table): Promise<HeldView[]> {
  const own = await catalogueOn(pool)
    .select({ view: views.view })
    .from(views)
    .where(
      and(eq(views.workspace, access.workspace.id), eq(views.tableId, table.id), eq(views.person, access.person.id)),
    )
    .orderBy(views.place, views.id);
  const favourites = await catalogueOn(pool)
    .select({ target: kept.target })
    .from(kept)
    .where(
      and(
        eq(kept.person, access.person.id),
        eq(kept.workspace, access.workspace.id),
        eq(kept.kind, 'view'),
        eq(kept.favourite, true),
      ),
    );
  const liked = new Set(favourites.map(({ target }) => target));
  return [
    ...sharedViews(table).map((view) => ({ view, personal: false })),
    ...own.map(({ view }) => ({ view, personal: true })),
  ].map((held) => ({
    ...held,
    favourite: liked.has(keptName(table, held.view.id)),
  }));
}

/** How a view is named among what a person keeps: that of all records has the same id in every table. */
export const keptName = (table: Pick<Table, 'id'>, view: ViewId): string =>
  view === wholeView ? `${table.id}:${view}` : view;

/** A view that the person has, by id or name. */
export async function viewNamed(pool: Pool, access: WorkspaceAccess, table: Table, name: string): Promise<View> {
  const all = await viewsOf(pool, access, table);
  const found =
    all.find(({ view }) => view.id === name) ?? all.find(({ view }) => view.label.toLowerCase() === name.toLowerCase());
  if (!found) throw notHere('view');
  return found.view;
}

/** Where a view is to be kept: for the person alone, or for everybody who sees the table. */
export interface ViewSaving {
  readonly personal: boolean;
  readonly at?: number;
}

/** Keeps a new view. */
export async function addView(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  given: View,
  { personal, at }: ViewSaving,
): Promise<View> {
  const view = { ...given, id: newId('v') };
  if (!personal) {
    await changeAtOnce(pool, access, [
      { do: 'addPart', kind: 'view', table: table.id, part: view, at: at ?? partsOf(table, 'view').length },
    ]);
    return view;
  }
  await requireFreeName(pool, access, table, view);
  await catalogueOn(pool)
    .insert(views)
    .values({ id: view.id, workspace: access.workspace.id, tableId: table.id, person: access.person.id, view });
  await placeAmongOwn(pool, access, table, view.id, at);
  return view;
}

/**
 * Saves a view anew under its identity. One that changes hands, from one person to everybody or back, goes from the one
 * place to the other.
 */
export async function saveView(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  view: View,
  { personal, at }: ViewSaving,
): Promise<void> {
  const held = (await viewsOf(pool, access, table)).find((one) => one.view.id === view.id);
  if (!held) throw notHere('view');
  const mine = and(eq(views.id, view.id), eq(views.person, access.person.id));
  if (personal && view.id === wholeView)
    throw refuse(422, 'The view of all records belongs to everybody.', 'Save it as a view of your own.');
  if (personal && held.personal) {
    await requireFreeName(pool, access, table, view);
    await catalogueOn(pool).update(views).set({ view }).where(mine);
    if (at !== undefined) await placeAmongOwn(pool, access, table, view.id, at);
  } else if (personal) {
    await changeAtOnce(pool, access, [{ do: 'removePart', kind: 'view', table: table.id, part: view.id }]);
    await catalogueOn(pool)
      .insert(views)
      .values({ id: view.id, workspace: access.workspace.id, tableId: table.id, person: access.person.id, view });
    await placeAmongOwn(pool, access, table, view.id, at);
  } else {
    const written = partsOf(table, 'view');
    await changeAtOnce(pool, access, [
      written.some(({ id }) => id === view.id)
        ? { do: 'changePart', kind: 'view', table: table.id, part: view, at }
        : {
            do: 'addPart',
            kind: 'view',
            table: table.id,
            part: view,
            at: at ?? (view.id === wholeView ? 0 : written.length),
          },
    ]);
    if (held.personal) await catalogueOn(pool).delete(views).where(mine);
  }
}

/** Puts one of a person's own views in a place among them; behind all others where none is said. */
async function placeAmongOwn(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  id: ViewId,
  at = Number.POSITIVE_INFINITY,
): Promise<void> {
  const others = (await viewsOf(pool, access, table))
    .filter(({ view, personal }) => personal && view.id !== id)
    .map(({ view }) => view.id);
  const order = others.toSpliced(at, 0, id);
  await pool.query(
    sql`
      update loom.views v
      set place = o.place
      from unnest(${order}::text[])
      with ordinality o(id, place)
      where v.id = o.id and v.person = ${access.person.id}
    `,
  );
}

/** Takes a view away; that of all records becomes what every table has. */
export async function removeView(pool: Pool, access: WorkspaceAccess, table: Table, id: ViewId): Promise<void> {
  const gone = await catalogueOn(pool)
    .delete(views)
    .where(and(eq(views.id, id), eq(views.tableId, table.id), eq(views.person, access.person.id)))
    .returning({ id: views.id });
  if (gone.length > 0) return;
  if (!partsOf(table, 'view').some((view) => view.id === id)) throw notHere('view');
  await changeAtOnce(pool, access, [{ do: 'removePart', kind: 'view', table: table.id, part: id }]);
}

async function requireFreeName(pool: Pool, access: WorkspaceAccess, table: Table, view: View): Promise<void> {
  const taken = (await viewsOf(pool, access, table)).some(
    (one) => one.view.id !== view.id && one.view.label.toLowerCase() === view.label.toLowerCase(),
  );
  if (taken)
    throw refuse(409, `${table.label} has a view called “${view.label}” already.`, 'Choose another name.', '/label');
}

/** Makes something a person's favourite, or no longer. */
export async function setFavourite(
  pool: Pool,
  access: WorkspaceAccess,
  what: { kind: 'workspace' | 'table' | 'view'; target: string },
  favourite: boolean,
): Promise<void> {
  await catalogueOn(pool)
    .insert(kept)
    .values({ person: access.person.id, workspace: access.workspace.id, ...what, favourite })
    .onConflictDoUpdate({ target: [kept.person, kept.workspace, kept.kind, kept.target], set: { favourite } });
}

/** Remembers that a person went to a table, for picking it up again. */
export async function noteVisit(pool: Pool, access: WorkspaceAccess, table: Table): Promise<void> {
  await catalogueOn(pool)
    .insert(kept)
    .values({
      person: access.person.id,
      workspace: access.workspace.id,
      kind: 'table',
      target: table.id,
      visitedAt: catalogueSql`now()`,
    })
    .onConflictDoUpdate({
      target: [kept.person, kept.workspace, kept.kind, kept.target],
      set: { visitedAt: catalogueSql`now()` },
      // A page that looks again every moment is still one visit.
      setWhere: catalogueSql`${kept.visitedAt} is null or ${kept.visitedAt} < now() - interval '1 minute'`,
    });
}
