import Joi from 'joi';
import { formAudiences } from '$core/types/form';
import { wholeNumber } from '../../base/numbers';

const key = Joi.string().max(63);
const words = Joi.string().trim().allow('').max(120);
const text = Joi.string().allow('').max(5000);
const condition = Joi.string().allow('').max(10_000);
const yes = Joi.boolean().valid(true);

const item = Joi.object({
  field: key.description('a field that is filled in'),
  list: key.description('the other side of a link, whose records are listed on a form for inside'),
  label: words,
  help: Joi.string().allow('').max(2000),
  placeholder: Joi.string().allow('').max(200),
  required: yes,
  wide: yes.description('as wide as its section'),
  hidden: yes.description('not shown; every entry has the preset'),
  preset: Joi.any(),
  shownIf: condition.description('over fields further up'),
  offers: condition.description('of a link: over the records of its target; needed on a form for outsiders'),
  filter: condition.description('of a list: over its records'),
}).xor('field', 'list');

/** The parts of a form as they are sent; what is left out stays as it is, or is that of an empty form. */
export const formSchema = Joi.object({
  label: Joi.string().trim().max(120),
  audience: Joi.string().valid(...formAudiences),
  intro: text,
  sections: Joi.array()
    .max(50)
    .items(
      Joi.object({
        label: words.default(''),
        about: Joi.string().allow('').max(2000).default(''),
        columns: Joi.number().valid(1, 2).default(1),
        shownIf: condition.default(''),
        items: Joi.array().max(500).items(item).default([]),
      }),
    ),
  thanks: text,
  next: Joi.object({
    label: Joi.string().trim().max(120).required(),
    address: Joi.string()
      .uri({ scheme: ['http', 'https'] })
      .max(2000)
      .required(),
  }).allow(null),
  closed: text,
  most: wholeNumber.min(1).allow(null).description('entries that it takes in all'),
});
