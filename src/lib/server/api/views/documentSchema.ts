import Joi from 'joi';
import { markTypes, nodeTypes, papers } from '$core/types/document';

const formula = Joi.string().allow('', null).max(10_000);
const millimetres = Joi.number().min(0).max(400);

/** What every kind of node can have; each kind reads what it needs. */
const attrs = Joi.object({
  textAlign: Joi.string().valid('left', 'center', 'right'),
  level: Joi.number().integer().min(1).max(3),
  formula: formula.description('over the record, or over the one that it is repeated for'),
  when: formula.description('what is in it is there where this holds'),
  over: Joi.string().allow('', null).max(400).description('links with dots, the last to several: `lines`'),
  where: formula.description('only those of the linked records that meet it'),
  sort: Joi.string().allow('', null).max(400).description('such as `day,-amount`'),
  file: Joi.string().hex().length(64).allow(null).description('SHA-256 of a picture that was sent'),
  alt: Joi.string().allow('').max(500).description('what a picture shows, in words'),
  width: millimetres.description('in millimetres'),
  count: Joi.boolean().description('how many pages there are, instead of which one it is'),
  lines: Joi.boolean().description('a table with lines between its cells'),
  colspan: Joi.number().integer().min(1).max(40),
  colwidth: Joi.array().max(40).items(Joi.number().min(1).max(10_000)).allow(null),
  lost: Joi.boolean().description('as it was read: it uses what is gone, and is left out when it is saved'),
});

const node = Joi.object({
  type: Joi.string()
    .valid(...nodeTypes)
    .required(),
  attrs,
  content: Joi.array()
    .max(4000)
    .items(Joi.object().unknown(true))
    .description('what it holds: nodes of the same shape, or pieces of a line'),
  text: Joi.string().allow('').max(20_000),
  marks: Joi.array()
    .max(markTypes.length)
    .items(Joi.object({ type: Joi.string().valid(...markTypes) })),
});

const nodes = Joi.array().max(4000).items(node);

/** A document as it is sent. */
export const documentSchema = Joi.object({
  label: Joi.string().trim().max(120),
  description: Joi.string().allow('').trim().max(2000),
  paper: Joi.object({
    size: Joi.string().valid(...Object.keys(papers)),
    landscape: Joi.boolean(),
    margins: Joi.array().length(4).items(millimetres).description('millimetres: top, right, bottom, left'),
  }),
  labels: Joi.object({
    columns: Joi.number().integer().min(1).max(20),
    rows: Joi.number().integer().min(1).max(50),
    width: millimetres,
    height: millimetres,
    across: millimetres.description('from the beginning of one label to that of the next'),
    down: millimetres,
  })
    .allow(null)
    .description('labels on a sheet, one for each record'),
  header: nodes,
  body: nodes,
  footer: nodes,
});
