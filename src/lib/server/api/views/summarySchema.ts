import Joi from 'joi';
import { chartKinds, spans } from '$core/types/summary';
import { blockKinds } from '$core/summaries/blocks';
import { measureKinds } from '$core/summaries/asked';
import { mostBlocks } from '$core/summaries/summary';

const formula = Joi.string().allow('').max(10_000);
const table = Joi.string().max(127).description('of another workspace as `workspace.table`');
const count = Joi.number().integer().min(0).max(1000);
const id = Joi.string().max(40);

const measure = Joi.object({
  label: Joi.string().allow('').trim().max(120),
  total: Joi.string()
    .valid(...Object.keys(measureKinds))
    .required(),
  of: formula.description('a formula over one record'),
  where: formula.description('only records that meet it go in'),
  mark: Joi.boolean().description('in a chart a mark that the first measure is held against'),
});

const period = Joi.object({
  field: Joi.string().max(400).required().description('a date of the table, over links with dots'),
  span: Joi.string()
    .valid(...spans)
    .required(),
  count: count.min(1).description('so many spans, the latest included'),
  back: count.description('so many spans ago'),
  against: Joi.string().valid('before', 'yearBefore').allow(null),
}).allow(null);

/** What every kind of block can have; each kind reads what it needs. */
const blockSchema = Joi.object({
  id,
  kind: Joi.string()
    .valid(...blockKinds)
    .required(),
  title: Joi.string().allow('').trim().max(200),
  place: Joi.object({ x: count, y: count, w: count, h: count })
    .required()
    .description('in columns of twelve and in rows'),
  table,
  where: formula,
  measures: Joi.array().max(20).items(measure),
  groups: Joi.string().allow('').max(1000).description('such as `day:month,apiary`; `kg:5` for steps of 5'),
  period,
  order: Joi.string().valid('group', 'most', 'least'),
  most: count.allow(null).description('no more groups than so many; of a list: records'),
  chart: Joi.string().valid(...chartKinds),
  limit: Joi.number().min(-1e15).max(1e15).allow(null).description('a line across a chart'),
  view: Joi.string().max(120),
  text: Joi.string().allow('').max(20_000).description('Markdown'),
  lost: Joi.string().max(400).description('as it was read: what of it is gone; it stays as it is'),
});

/** A summary as it is sent. */
export const summarySchema = Joi.object({
  label: Joi.string().trim().max(120),
  description: Joi.string().allow('').trim().max(2000),
  groups: Joi.array()
    .max(50)
    .items(Joi.number().integer().min(1).max(2_147_483_647))
    .description('groups of the Directory for which it is; none: for everybody'),
  filters: Joi.array()
    .max(20)
    .items(
      Joi.object({
        id,
        label: Joi.string().trim().max(120).required(),
        fields: Joi.array()
          .max(50)
          .items(Joi.object({ table: table.required(), field: Joi.string().max(400).required() })),
      }),
    ),
  blocks: Joi.array().max(mostBlocks).items(blockSchema),
});
