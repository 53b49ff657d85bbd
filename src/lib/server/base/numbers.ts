import Joi from 'joi';

/** What `integer` of PostgreSQL holds: identities of people and batches, versions, places in a list, counts. */
const largestInteger = 2_147_483_647;

/** A whole number from 0 that an `integer` column can be compared with. */
export const wholeNumber = Joi.number().integer().min(0).max(largestInteger);

/** The identity of a record or a batch, a `bigint` that JSON carries without loss. */
export const recordId = Joi.number().integer().max(Number.MAX_SAFE_INTEGER);

/** A place on a drawing, in pixels at its own size. */
export const coordinate = Joi.number().min(-1e6).max(1e6);
