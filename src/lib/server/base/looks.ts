import Joi from 'joi';
import { dyes } from '$core/types/field';
import { icons } from '$core/types/icons';

/** How a workspace or a template looks, as it stands in a text. */
export const looks = {
  dye: Joi.string()
    .valid(...dyes)
    .default('woad'),
  icon: Joi.string()
    .valid(...icons)
    .allow(null)
    .default(null),
};
