import Joi from 'joi';
import { recordRights, workspaceRights } from '$core/types/role';

const reach = Joi.alternatives(Joi.boolean().strict(), Joi.string().max(10_000)).description(
  'true: all records; false: none; a formula: those that meet it, with person() for whoever looks',
);
const ofTable = {
  ...Object.fromEntries(recordRights.map((right) => [right, reach.default(false)])),
  design: Joi.boolean().default(false).description('change the structure of the table'),
};

/** The parts of a role as they are sent; what is left out stays as it is, or is that of a reader. */
export const roleSchema = Joi.object({
  label: Joi.string().trim().max(120),
  description: Joi.string().allow('').max(2_000),
  workspace: Joi.array()
    .unique()
    .items(Joi.string().valid(...workspaceRights)),
  others: Joi.object({
    ...Object.fromEntries(recordRights.map((right) => [right, Joi.boolean().default(false)])),
    design: ofTable.design,
  }).description('in the tables that are not named, those to come included'),
  tables: Joi.object()
    .pattern(
      Joi.string().max(63),
      Joi.object({
        ...ofTable,
        fields: Joi.object().pattern(Joi.string().max(63), Joi.string().valid('hidden', 'seen')).default({}),
      }),
    )
    .max(500)
    .description('by key: what of a table is left out there is not allowed'),
});
