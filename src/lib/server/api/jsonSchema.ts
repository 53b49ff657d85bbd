import type Joi from 'joi';

export type JsonSchema = Record<string, unknown>;

/** Joi gives its schemas as JSON Schema 2020-12, the dialect of OpenAPI 3.1. */
export function jsonSchemaOf(schema: Joi.Schema): JsonSchema {
  const standard = (
    schema as unknown as { '~standard': { jsonSchema: { input: (options: { target: string }) => JsonSchema } } }
  )['~standard'];
  return withOpenObjects(standard.jsonSchema.input({ target: 'draft-2020-12' })) as JsonSchema;
}

/** An object of which nothing is said holds anything: said, as generators of clients take it for an empty one. */
function withOpenObjects(schema: unknown): unknown {
  if (Array.isArray(schema)) return schema.map(withOpenObjects);
  if (typeof schema !== 'object' || schema === null) return schema;
  const inner = Object.fromEntries(Object.entries(schema).map(([key, value]) => [key, withOpenObjects(value)]));
  const isOpen = inner.type === 'object' && !('properties' in inner) && !('additionalProperties' in inner);
  return isOpen ? { ...inner, additionalProperties: true } : inner;
}
