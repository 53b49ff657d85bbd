import type Joi from 'joi';
import type { PartKind } from '$core/types/part';
import { formSchema } from '../forms/formSchema';
import { roleSchema } from '../people/roleSchema';
import { documentSchema } from './documentSchema';
import { feedSchema } from './feedSchema';
import { languageSchema } from './languageSchema';
import { routineSchema } from './routineSchema';
import { summarySchema } from './summarySchema';
import { viewSchema } from './viewSchema';

/** The registry: what of each kind of part is sent. What is left out stays as it is, or is that of a blank one. */
export const partSchemas: { readonly [K in PartKind]: Joi.ObjectSchema } = {
  view: viewSchema,
  form: formSchema,
  feed: feedSchema,
  routine: routineSchema,
  document: documentSchema,
  role: roleSchema,
  summary: summarySchema,
  language: languageSchema,
};
