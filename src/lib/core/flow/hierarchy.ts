import type { FieldId } from '../types/identity';
import { fieldOf, typeAs } from '../model/model';
import type { Model } from '../types/model';
import type { Field } from '../types/field';
import { dependenciesOf, type Dependency } from './dependencies';

/**
 * The paths over which a calculated field reads itself on other records of its table; empty for most fields. Such a
 * field is worked out level by level (see server/tables/hierarchy.ts).
 */
export function hierarchyPaths(model: Model, field: Field): readonly (readonly FieldId[])[] {
  if (field.type.kind !== 'formula') return [];
  return dependenciesOf(model, field.type.formula).on.flatMap((one) =>
    isOverHierarchy(field.id, one) ? [one.path] : [],
  );
}

/** Whether a dependency is a field's on itself, on records that links lead to. */
export const isOverHierarchy = (field: FieldId, { field: on, path }: Dependency): boolean =>
  on === field && path.length > 0;

/**
 * A path there and back again: over it a record would always come from itself. Named by one of its links; null when all
 * paths lead the same way.
 */
export function backAndForth(model: Model, paths: readonly (readonly FieldId[])[]): Field | null {
  const known = new Set(paths.map((path) => path.join('.')));
  const back = paths.find((path) => known.has(inverse(model, path).join('.')));
  return back?.[0] === undefined ? null : fieldOf(model, back[0]).field;
}

/** The path from its end to its beginning. */
const inverse = (model: Model, path: readonly FieldId[]): FieldId[] =>
  path.toReversed().map((step) => {
    const { field } = fieldOf(model, step);
    return field.type.kind === 'counterpart' ? field.type.link : typeAs(field, 'link').counterpart;
  });
