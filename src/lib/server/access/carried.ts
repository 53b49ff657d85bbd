import { dependenciesOf } from '$core/flow/dependencies';
import type { Change } from '$core/types/change';
import { findField, findTable } from '$core/model/model';
import type { Model } from '$core/types/model';
import { leastSights, seenOf } from '$core/parts/visible';
import { partOf } from '$core/parts/parts';
import { partsOf, type AnyPart } from '$core/types/part';
import { refuse } from '../base/refusal';
import type { WorkspaceAccess } from './workspaceAccess';

/**
 * Fields whose values a change makes seen through a calculated field by people who may not see the fields themselves:
 * readers where they are internal, people whose role hides them, and those who are no members of the workspace they are
 * in. As `Table.Field`.
 */
export function carriedBy(after: Model, change: Change): string[] {
  const field =
    change.do === 'addField'
      ? change.field
      : change.do === 'changeField'
        ? findField(after, change.field)?.field
        : undefined;
  const formula = change.do === 'changeField' && !change.set.type ? undefined : field?.type;
  if (!field || formula?.kind !== 'formula' || field.internal) return [];
  // What any of those sees not who see the field.
  const others = [leastSights, ...partsOf(after, 'role').map((own) => ({ own, homes: {} }))].map((sights) =>
    seenOf(after, sights),
  );
  const at = change.do === 'addField' || change.do === 'changeField' ? change.table : '';
  return dependenciesOf(after, formula.formula).on.flatMap(({ field: id }) => {
    const found = findField(after, id);
    return found && others.some((seen) => findTable(seen, at) && !findField(seen, id))
      ? [`${found.table.home === undefined ? '' : `${found.table.home}: `}${found.table.label}.${found.field.label}`]
      : [];
  });
}

/** Refuses a change that would throw away what its maker cannot see, as they cannot send it along. */
export function requireSeen({ sight, whole }: WorkspaceAccess, changes: readonly Change[]): void {
  if (sight === whole.model) return;
  for (const change of changes) {
    const hidden = hiddenPart(sight, whole.model, change);
    if (hidden)
      throw refuse(
        403,
        `${hidden} reads fields that you may not see, so it cannot be changed by you.`,
        'Ask someone who may see all of them, or make another one.',
      );
  }
}

function hiddenPart(sight: Model, whole: Model, change: Change): string | null {
  if (change.do === 'changeField') {
    const [seen, all] = [findField(sight, change.field)?.field, findField(whole, change.field)?.field];
    if (!seen || !all) return null;
    const isCut = JSON.stringify(seen.type) !== JSON.stringify(all.type);
    const preset = 'default' in change.set && JSON.stringify(seen.default) !== JSON.stringify(all.default);
    return (change.set.type && isCut) || preset ? `“${seen.label}”` : null;
  }
  if (change.do === 'changePart') {
    const { kind, table, part } = change;
    const [seen, all] = [sight, whole].map((model) =>
      (partsOf((table === null ? model : findTable(model, table)) ?? {}, kind) as readonly AnyPart[]).find(
        ({ id }) => id === part.id,
      ),
    );
    return all && JSON.stringify(seen) !== JSON.stringify(all) ? `The ${partOf(kind).word} “${all.label}”` : null;
  }
  return null;
}
