import { dependsOnDay } from '$core/flow/dependencies';
import type { FieldId } from '$core/types/identity';
import { fieldOf, typeAs } from '$core/model/model';
import type { Model } from '$core/types/model';

/** Every calculated field of a workspace, for a recalculation from nothing. */
export const allCalculated = (model: Model): Set<FieldId> =>
  new Set(
    model.tables
      .flatMap(({ fields }) => fields)
      .filter(({ type }) => type.kind === 'formula')
      .map(({ id }) => id),
  );

/** Calculated fields whose value changes when the day does. */
export const dayDependent = (model: Model): Set<FieldId> =>
  new Set([...allCalculated(model)].filter((id) => dependsOnDay(typeAs(fieldOf(model, id).field, 'formula').formula)));
