import Joi from 'joi';
import { dyes } from '$core/types/field';
import { totalKinds } from '$core/types/view';
import { viewKinds } from '$core/views/kinds';
import { wholeNumber } from '../../base/numbers';

const key = Joi.string().max(63);
const condition = Joi.string().allow('').max(10_000);

/** The parts of a view as they are sent; what is left out stays as it is, or is that of a view of everything. */
export const viewSchema = Joi.object({
  label: Joi.string().trim().max(120),
  kind: Joi.string().valid(...viewKinds),
  columns: Joi.array()
    .max(1600)
    .items(
      Joi.object({
        field: key.required(),
        hidden: Joi.boolean().valid(true),
        width: Joi.number().integer().min(40).max(1200).description('in pixels'),
        total: Joi.string().valid(...totalKinds),
      }),
    ),
  takesNew: Joi.boolean().description('fields made later stand behind its columns'),
  frozen: wholeNumber.max(20),
  lines: Joi.number().valid(1, 2, 4),
  filter: condition,
  sort: Joi.string().allow('').max(2000),
  groups: Joi.string().allow('').max(500).description('as a sort; up to three fields'),
  colours: Joi.array()
    .max(12)
    .items(
      Joi.object({
        when: condition.required(),
        dye: Joi.string()
          .valid(...dyes)
          .required(),
      }),
    ),
  by: key.allow(null).description('what a board has its columns by; the day on which a calendar’s records begin'),
  until: key.allow(null).description('the last day of a calendar’s records'),
  picture: key.allow(null),
});
