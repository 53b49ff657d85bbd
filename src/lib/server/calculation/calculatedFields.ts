import { dependsOnDay } from '$core/flow/dependencies';
import type { FieldId } from '$core/types/identity';
import { feedSources } from '$core/flow/feeds';
import { calculationSteps } from '$core/flow/graph';
import { fieldOf } from '$core/model/model';
import type { Model } from '$core/types/model';

/** Every calculated field of a workspace, and which records its feeds have, for a recalculation from nothing. */
export const allCalculated = (model: Model): Set<FieldId> =>
  new Set(calculationSteps(model).flatMap(({ fields }) => fields.map(({ field }) => field.id)));

/**
 * Calculated fields of a workspace whose value changes when its day does, and feeds, in whichever workspace, of which the
 * records do.
 */
export const dayDependent = (model: Model): Set<FieldId> =>
  new Set(
    [...allCalculated(model)].filter((id) => {
      const { field, table } = fieldOf(model, id);
      const { type } = field;
      const source = feedSources(model).get(id);
      if ((source?.source ?? table).home !== undefined) return false;
      const written = type.kind === 'formula' ? type.formula : source?.where;
      return written != null && dependsOnDay(written);
    }),
  );
