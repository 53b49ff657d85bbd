import Joi from 'joi';

/**
 * One of several shapes, told apart by the value of one member: what is wrong is said of the shape that was meant, and
 * of the member itself where it is none of them.
 */
export const oneOf = (member: string, shapes: Readonly<Record<string, Joi.Schema>>): Joi.AlternativesSchema =>
  Joi.alternatives().conditional(`.${member}`, {
    switch: Object.entries(shapes).map(([is, then]) => ({ is, then })),
    otherwise: Joi.object({
      [member]: Joi.string()
        .valid(...Object.keys(shapes))
        .required(),
    }).unknown(),
  });
