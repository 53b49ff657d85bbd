import { and, desc, eq, isNotNull, isNull, or } from 'drizzle-orm';
import type { Icon } from '$core/types/icons';
import { findTable } from '$core/model/model';
import type { Dye } from '$core/types/field';
import { sharedViews, wholeView } from '$core/views/view';
import { seenOf } from '$core/parts/visible';
import { membershipsOf, rightsWithin, roleNamed } from '../access/limits';
import type { Person } from '../access/workspaceAccess';
import { kept, memberships, views, workspaces, type KeptKind } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';

/** Something a person went to lately, or has as a favourite. */
export interface KeptPlace {
  readonly kind: KeptKind;
  readonly label: string;
  /** The workspace, and the table of a view. */
  readonly within: string;
  readonly href: string;
  readonly dye: Dye | null;
  readonly icon: Icon | null;
  readonly visitedAt: string | null;
  readonly favourite: boolean;
}

const mostRecent = 6;

/**
 * Where a person left off, the latest first, and their favourites. What is gone, or no longer theirs to see, is passed
 * over.
 */
export async function keptPlaces(
  pool: Pool,
  person: Person,
): Promise<{ recent: KeptPlace[]; favourites: KeptPlace[] }> {
  const rows = await catalogueOn(pool)
    .select({
      kind: kept.kind,
      target: kept.target,
      favourite: kept.favourite,
      visitedAt: kept.visitedAt,
      key: workspaces.key,
      workspace: workspaces.label,
      dye: workspaces.dye,
      icon: workspaces.icon,
      model: workspaces.model,
      role: memberships.role,
    })
    .from(kept)
    .innerJoin(workspaces, eq(workspaces.id, kept.workspace))
    .innerJoin(memberships, and(eq(memberships.workspace, workspaces.id), membershipsOf(person)))
    .where(
      and(
        eq(kept.person, person.id),
        isNull(workspaces.deletedAt),
        or(eq(kept.favourite, true), isNotNull(kept.visitedAt)),
      ),
    )
    .orderBy(desc(kept.visitedAt));
  const own = await catalogueOn(pool)
    .select({ id: views.id, tableId: views.tableId, view: views.view })
    .from(views)
    .where(eq(views.person, person.id));
  const places = rows.flatMap(
    ({ kind, target, favourite, visitedAt, key, workspace, dye, icon, model: whole, role: id }): KeptPlace[] => {
      const role = roleNamed(whole, id);
      if (!role) return [];
      const model = seenOf(whole, { own: rightsWithin(person, whole, role), homes: {}, viewer: person.id });
      const base = { kind, favourite, visitedAt };
      if (kind === 'workspace') return [{ ...base, label: workspace, within: '', href: `/w/${key}`, dye, icon }];
      if (kind === 'table') {
        const table = findTable(model, target);
        return table
          ? [
              {
                ...base,
                label: table.label,
                within: workspace,
                href: `/w/${key}/t/${table.key}`,
                dye: table.dye,
                icon: table.icon ?? null,
              },
            ]
          : [];
      }
      const [ofTable, viewId = target] = target.includes(':') ? target.split(':') : [null, target];
      const mine = own.find((one) => one.id === viewId);
      const table = model.tables.find(
        (one) =>
          one.id === (ofTable ?? mine?.tableId) ||
          (ofTable === null && !mine && sharedViews(one).some((view) => view.id === viewId)),
      );
      const view = mine?.view ?? (table && sharedViews(table).find((one) => one.id === viewId));
      return table && view
        ? [
            {
              ...base,
              label: view.label,
              within: `${workspace} › ${table.label}`,
              href: `/w/${key}/t/${table.key}${viewId === wholeView ? '' : `?view=${viewId}`}`,
              dye: table.dye,
              icon: table.icon ?? null,
            },
          ]
        : [];
    },
  );
  return {
    recent: places.filter(({ visitedAt }) => visitedAt !== null).slice(0, mostRecent),
    favourites: places.filter(({ favourite }) => favourite),
  };
}
