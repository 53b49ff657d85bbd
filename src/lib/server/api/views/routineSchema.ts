import Joi from 'joi';
import { recordId } from '../../base/numbers';

const name = Joi.string().max(200);
const formula = Joi.string().max(20_000);
const template = Joi.string().allow('').max(100_000);
const hour = Joi.number().integer().min(0).max(23);
const fields = Joi.array()
  .items(
    Joi.object({
      field: name.required(),
      formula: formula.required().description('over the record, with the results of the steps before'),
      match: name.description('for a link that is given a text: the field of its target that is compared'),
      missing: Joi.string().valid('setAside', 'create'),
    }),
  )
  .max(100);

const when = Joi.object({
  on: Joi.string().valid('made', 'changed', 'comesTrue', 'sent', 'dateNear', 'timetable', 'button').required(),
  fields: Joi.array().items(name).max(100).description('changed: those that are watched'),
  condition: formula.description('comesTrue: what did not hold before and holds now'),
  form: name.description('sent: the form; any unless said'),
  field: name.description('dateNear: the day'),
  days: Joi.number()
    .integer()
    .min(-3660)
    .max(3660)
    .description('dateNear: so many days after it; before it is negative'),
  every: Joi.string().valid('day', 'week', 'month'),
  day: Joi.number()
    .integer()
    .min(1)
    .max(31)
    .description('timetable: the weekday (1 is Monday), or the day of the month'),
  hour,
  inputs: Joi.array()
    .items(
      Joi.object({
        label: Joi.string().trim().max(120).required(),
        type: Joi.string().valid('text', 'number', 'date', 'yesNo', 'link').required(),
        to: name,
        required: Joi.boolean(),
      }),
    )
    .max(20)
    .description('button: what is asked'),
});

const step = Joi.object({
  do: Joi.string()
    .valid('set', 'make', 'find', 'each', 'names', 'option', 'write', 'call', 'stop')
    .required()
    .description('what it does; which of the other members it has follows from it'),
  of: name.description('set: the result of a step before whose record is set'),
  fields,
  table: name,
  result: Joi.string().trim().max(120).description('how the steps behind read the record'),
  by: fields,
  make: Joi.boolean(),
  link: name.allow(null),
  over: name,
  steps: Joi.array().items(Joi.object().unknown(true)).max(40),
  text: template,
  separator: Joi.string().max(20),
  field: name,
  word: formula,
  to: Joi.array()
    .items(Joi.object({ person: recordId, formula }).xor('person', 'formula'))
    .max(50),
  subject: template,
  summary: Joi.string().allow('').max(200).description('write: a summary, which goes with it as a PDF'),
  document: Joi.string().allow('').max(200).description('write: a document of the table, which goes with it as a PDF'),
  address: Joi.string().max(2000),
  values: Joi.object().pattern(Joi.string().max(100), formula),
  when: formula,
});

/** What is sent of a routine. */
export const routineSchema = Joi.object({
  label: Joi.string().trim().max(120),
  on: Joi.boolean().description('it runs once it was tried, too'),
  when,
  where: formula.allow('').description('only for records that meet this'),
  steps: Joi.array().items(step).max(40),
  failing: Joi.string()
    .valid('refuse', 'goOn')
    .description('an edit whose routine cannot be done is refused, or goes on without'),
});
