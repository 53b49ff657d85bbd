import { printFormula } from '$core/formula/printer';
import type { FieldUi } from '../kind';

export const formula: FieldUi<'formula'> = {
  group: 'From other records',
  draft: {
    from: (type, model) => ({ formula: printFormula(model, type.formula) }),
    to: (draft) => ({ formula: draft.formula }),
    noDefault: true,
    settings: () => import('../settings/FormulaSettings.svelte'),
  },
};

/** Kept by the system: only their names, and whether they are shown, can be changed. */
const kept = {};
export const createdAt: FieldUi<'createdAt'> = kept;
export const createdBy: FieldUi<'createdBy'> = kept;
export const changedAt: FieldUi<'changedAt'> = kept;
export const changedBy: FieldUi<'changedBy'> = kept;
