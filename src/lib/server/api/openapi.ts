import type Joi from 'joi';
import type { Endpoint } from '../http/endpoint';
import * as events from './events';
import * as files from './files';
import * as forms from './forms/forms';
import * as intakes from './intakes';
import * as setAside from './setAside';
import * as recordQueries from './recordQueries';
import * as outsideForms from './forms/outsideForms';
import * as records from './records';
import * as recordWrites from './recordWrites';
import * as people from './people';
import * as search from './search';
import * as findings from './findings';
import * as structure from './structure';
import * as views from './views/views';
import * as workspaces from './workspaces';

/** Every call of the API, each once. */
export const endpoints: readonly Endpoint[] = [
  workspaces,
  findings,
  structure,
  recordQueries,
  records,
  recordWrites,
  views,
  forms,
  outsideForms,
  search,
  people,
  files,
  intakes,
  setAside,
  events,
]
  .flatMap((part) => Object.values(part) as unknown[])
  .filter(
    (value): value is Endpoint => typeof value === 'object' && value !== null && 'path' in value && 'answer' in value,
  );

type JsonSchema = Record<string, unknown>;

/** Joi gives its schemas as JSON Schema 2020-12, the dialect of OpenAPI 3.1. */
function jsonSchemaOf(schema: Joi.Schema): JsonSchema {
  const standard = (
    schema as unknown as { '~standard': { jsonSchema: { input: (options: { target: string }) => JsonSchema } } }
  )['~standard'];
  return standard.jsonSchema.input({ target: 'draft-2020-12' });
}

/** The OpenAPI 3.1 document, made from the descriptions and schemas that answer the requests. */
export function openApiDocument(): JsonSchema {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const one of endpoints) {
    const inPath = [...one.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
      name,
      in: 'path',
      required: true,
      schema: { type: 'string' },
    }));
    const query = one.query ? (jsonSchemaOf(one.query).properties as Record<string, JsonSchema>) : {};
    const inQuery = Object.entries(query).map(([name, schema]) => ({ name, in: 'query', schema }));
    const written =
      one.method === 'GET' || one.streams
        ? []
        : [{ name: 'Idempotency-Key', in: 'header', schema: { type: 'string', maxLength: 200 } }];
    paths[one.path] = {
      ...paths[one.path],
      [one.method.toLowerCase()]: {
        summary: one.summary,
        description: one.open
          ? 'Open to anybody who has the address.'
          : one.role === null
            ? undefined
            : `Needs the role ${one.role} in the workspace.`,
        parameters: [...inPath, ...inQuery, ...written],
        ...(one.body ? { requestBody: { content: { 'application/json': { schema: jsonSchemaOf(one.body) } } } } : {}),
        responses: {
          200: { description: one.answers },
          default: {
            description: 'A refusal',
            content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
          },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Inner Loom',
      version: '1',
      description:
        'Everything a screen can do. Tables and fields are named by key or id; links, options, numbers and blanks are written as in docs/guide/api.md.',
    },
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'session' },
      },
      schemas: {
        Problem: {
          type: 'object',
          description: 'RFC 9457 problem details',
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            detail: { type: 'string' },
            fix: { type: 'string', description: 'what to do about it' },
            at: {
              description: 'a JSON pointer into the request, or a range in a formula',
              oneOf: [
                { type: 'string' },
                { type: 'object', properties: { from: { type: 'integer' }, to: { type: 'integer' } } },
              ],
            },
          },
        },
      },
    },
    security: [{ token: [] }, { session: [] }],
  };
}
