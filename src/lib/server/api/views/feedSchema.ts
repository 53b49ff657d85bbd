import Joi from 'joi';

const key = Joi.string().max(63);

/** A feed as it is sent: its sources with the links that name their records, and the fields that are typed into. */
export const feedSchema = Joi.object({
  label: Joi.string().trim().max(120),
  sources: Joi.array()
    .min(1)
    .max(20)
    .items(
      Joi.object({
        table: Joi.string().max(127).required().description('of another workspace as `workspace.table`'),
        link: key.required().description('the field of this table that names the record of the source'),
        where: Joi.string().allow('').max(10_000).description('over a record of the source; none takes all'),
      }),
    ),
  twoWays: Joi.array().max(200).items(key).description('fields that are typed into here and written into the source'),
});
