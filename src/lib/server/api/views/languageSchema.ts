import Joi from 'joi';

/** A language of a workspace; its texts by the text that was written first. */
export const languageSchema = Joi.object({
  label: Joi.string().trim().max(120).description('what it is called in itself'),
  code: Joi.string().max(20).description('BCP 47, such as de or pt-BR'),
  first: Joi.boolean().description('the one that texts are written in at first'),
  texts: Joi.object().pattern(Joi.string().max(30_000), Joi.string().allow('').max(30_000)).max(50_000),
});
