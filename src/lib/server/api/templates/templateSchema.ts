import Joi from 'joi';
import { looks } from '../../base/looks';
import { partKinds, partOf } from '$core/parts/parts';
import { tableMembers } from '../changes/tables';
import { partSchemas } from '../views/partSchemas';

/** The format that this program writes, and the latest that it reads. */
export const templateFormat = 1;

const label = Joi.string().trim().max(120);
const key = Joi.string().max(63);

const partsOf = (isOfWorkspace: boolean): Joi.SchemaMap =>
  Object.fromEntries(
    partKinds
      .filter((kind) => (partOf(kind).ofWorkspace !== undefined) === isOfWorkspace)
      .map((kind) => [
        partOf(kind).words,
        Joi.array()
          .max(500)
          .items(partSchemas[kind].keys({ id: Joi.string().max(40) })),
      ]),
  );

/** Settings of a field are those of its type: they are read with the changes that they become. */
const field = Joi.object({
  key: key.required(),
  label: label.required(),
  type: Joi.string().max(40).required().description('as in the structure that a workspace exports'),
}).unknown(true);

const rule = Joi.object({
  message: Joi.string().max(500).required(),
  condition: Joi.string().max(30_000),
  unique: Joi.array().items(key).max(20),
  fromNow: Joi.boolean(),
}).xor('condition', 'unique');

const table = Joi.object({
  ...tableMembers,
  private: Joi.forbidden(),
  key: key.required(),
  label: label.required(),
  placeholder: Joi.boolean().description('stands for a table that is chosen when the template is applied'),
  fields: Joi.array().max(2_000).items(field).required(),
  rules: Joi.array().max(500).items(rule),
  ...partsOf(false),
});

/** What the text of a template holds. */
export const templateSchema = Joi.object({
  template: Joi.number().valid(templateFormat).required().description('the format of the text'),
  name: Joi.string()
    .pattern(/^[a-z][a-z0-9-]{0,62}$/)
    .required()
    .description('its key: the same in all of its versions, such as lending-library'),
  version: Joi.number().integer().min(1).max(1_000_000).required(),
  label: label.required(),
  description: Joi.string().allow('').max(2000).default(''),
  purpose: Joi.string().allow('').max(120).default('').description('the trade that it is for'),
  ...looks,
  tables: Joi.array().min(1).max(500).items(table).required(),
  ...partsOf(true),
  samples: Joi.object()
    .pattern(
      Joi.string(),
      Joi.array()
        .max(2_000)
        .items(
          Joi.object({ _id: Joi.number().integer().min(1).max(1_000_000_000).required() })
            .unknown(true)
            .description('values by the keys of fields; a link is the _id of a sample'),
        ),
    )
    .default({}),
});
