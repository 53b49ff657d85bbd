import Joi from 'joi';
import { problemKinds } from '$core/base/problemKinds';
import type { Endpoint } from '../http/endpoint';
import { needWords } from '../access/workspaceAccess';
import schemas from './answerSchemas.json';
import { jsonSchemaOf, type JsonSchema } from './jsonSchema';
import * as events from './events';
import * as files from './files';
import * as findings from './findings';
import * as forms from './forms/forms';
import * as outsideForms from './forms/outsideForms';
import * as intakes from './intakes';
import * as people from './people/people';
import * as analysts from './people/analysts';
import * as directory from './people/directory';
import * as privateTables from './people/privateTables';
import * as roles from './people/roles';
import * as recordLines from './recordLines';
import * as recordQueries from './recordQueries';
import * as records from './records';
import * as recordWrites from './recordWrites';
import * as search from './search';
import * as setAside from './setAside';
import * as structure from './structure';
import * as duplicates from './duplicates';
import * as feeds from './feeds';
import * as languages from './languages';
import * as outbox from './outbox';
import * as routines from './routines';
import * as summaries from './summaries';
import * as documents from './documents';
import * as packages from './packages/packages';
import * as samples from './templates/samples';
import * as templates from './templates/templates';
import * as transfers from './transfers';
import * as calendars from './views/calendars';
import * as views from './views/views';
import * as webhooks from './webhooks';
import * as workspaces from './workspaces';

/** The parts of the API, each with what its calls are about. */
const parts: readonly (readonly [tag: string, calls: Readonly<Record<string, unknown>>])[] = [
  ['Workspaces', workspaces],
  ['Health', findings],
  ['Structure', structure],
  ['Records', recordQueries],
  ['Records', records],
  ['Records', recordWrites],
  ['Records', recordLines],
  ['Views', views],
  ['Views', calendars],
  ['Forms', forms],
  ['Forms', outsideForms],
  ['Search', search],
  ['People', people],
  ['People', roles],
  ['People', privateTables],
  ['People', directory],
  ['People', analysts],
  ['Files', files],
  ['Intake', intakes],
  ['Set aside', setAside],
  ['Transfer', transfers],
  ['Transfer', duplicates],
  ['Transfer', feeds],
  ['Summaries', summaries],
  ['Documents', documents],
  ['Packages', packages],
  ['Languages', languages],
  ['Templates', templates],
  ['Templates', samples],
  ['Routines', routines],
  ['Routines', outbox],
  ['Events', events],
  ['Webhooks', webhooks],
];

/** A call with the name it has in code, which is that of the operation, and what it is about. */
interface NamedEndpoint {
  readonly name: string;
  readonly tag: string;
  readonly called: Endpoint;
}

const isEndpoint = (value: unknown): value is Endpoint =>
  typeof value === 'object' && value !== null && 'path' in value && 'answer' in value;

const named: readonly NamedEndpoint[] = parts.flatMap(([tag, calls]) =>
  Object.entries(calls).flatMap(([name, called]) => (isEndpoint(called) ? [{ name, tag, called }] : [])),
);

/** Every call of the API, each once. */
export const endpoints: readonly Endpoint[] = named.map(({ called }) => called);

/** The schema of what a call answers, from the type that its code gives (`tools/answerSchemas.ts`). */
export const answerSchemaOf = (endpoint: Endpoint): JsonSchema | undefined => {
  const name = named.find(({ called }) => called === endpoint)?.name;
  return name === undefined ? undefined : (schemas.answers as Record<string, JsonSchema>)[name];
};

/** The schemas that others point at, as they stand in the document. */
export const sharedSchemas: Readonly<Record<string, JsonSchema>> = schemas.shared;

const statuses = [400, 401, 403, 404, 409, 412, 413, 422, 429, 503] as const;
type Status = (typeof statuses)[number];

const statusWords: Readonly<Record<Status, string>> = {
  400: 'What was sent is malformed; `at` says where.',
  401: 'Nobody is signed in, or the token is over.',
  403: 'The role does not reach that far, or the call comes from a page of another site.',
  404: 'It is not there, or not for whoever asks.',
  409: 'It clashes with what happened meanwhile, or with what stands.',
  412: 'The record was changed since it was read with the tag that If-Match names.',
  413: 'It is larger than is taken.',
  422: 'It is understood and cannot be done; `fix` says what to do.',
  429: 'Too much at once: wait as long as Retry-After says.',
  503: 'The server cannot do it just now: wait as long as Retry-After says.',
};

/** How a call may be refused. */
function refusalsOf({ method, open, needs, path, body, query, streams, versioned }: Endpoint): Status[] {
  const isWrite = method !== 'GET';
  const sends = body !== undefined || (isWrite && streams === true);
  const may: Readonly<Record<Status, boolean>> = {
    400: sends || query !== undefined,
    401: open !== true,
    403: needs !== null || isWrite,
    404: path.includes('{'),
    409: isWrite,
    412: isWrite && versioned === true,
    413: sends,
    422: sends || query !== undefined || isWrite,
    429: true,
    503: true,
  };
  return statuses.filter((status) => may[status]);
}

const nameOfRefusal = (status: Status): string =>
  (problemKinds[status]?.title ?? '').replace(/\W+(\w)/g, (_, next: string) => next.toUpperCase());

/** What is sent with a call: JSON, or the media types that it says itself. */
function bodyOf({ body, sends }: Endpoint): JsonSchema {
  const content = {
    ...(body ? { 'application/json': { schema: jsonSchemaOf(body) } } : {}),
    ...Object.fromEntries(
      Object.entries(sends ?? {}).map(([type, schema]) => [
        type,
        { schema: Joi.isSchema(schema) ? jsonSchemaOf(schema) : schema },
      ]),
    ),
  };
  if (Object.keys(content).length === 0) return {};
  const isNeeded = sends !== undefined || (body !== undefined && body.validate({}).error !== undefined);
  return { requestBody: { required: isNeeded, content } };
}

/** What is answered: the JSON that its code gives, or files and streams of the media types that it says. */
function answerOf({ answers, media }: Endpoint, schema: JsonSchema | undefined): JsonSchema {
  const isFileAlone = schema !== undefined && Object.keys(schema).join() === 'description';
  const content = {
    ...(schema && !isFileAlone ? { 'application/json': { schema: withoutFiles(schema) } } : {}),
    ...Object.fromEntries((media ?? []).map((type) => [type, { schema: { type: 'string' } }])),
  };
  return { description: answers, content };
}

const withoutFiles = (schema: JsonSchema): JsonSchema => {
  const { anyOf } = schema as { anyOf?: JsonSchema[] };
  const left = anyOf?.filter((one) => Object.keys(one).join() !== 'description');
  return left === undefined ? schema : left.length === 1 ? (left[0] as JsonSchema) : { anyOf: left };
};

const parameter = (name: string): JsonSchema => ({ $ref: `#/components/parameters/${name}` });

/** One call as the document has it. */
function operationOf({ name, tag, called }: NamedEndpoint): JsonSchema {
  const { path, query, method, streams, shownOnce, open, needs, summary, versioned } = called;
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, param = '']) => ({
    name: param,
    in: 'path',
    required: true,
    description: pathWords[param] ?? 'its number or key',
    schema: { type: 'string' },
  }));
  const asked = query ? jsonSchemaOf(query) : {};
  const needed = new Set((asked.required as string[] | undefined) ?? []);
  const inQuery = Object.entries((asked.properties ?? {}) as Record<string, JsonSchema>).map(([param, schema]) => ({
    name: param,
    in: 'query',
    ...(needed.has(param) ? { required: true } : {}),
    schema,
  }));
  const keyed = method === 'GET' || streams || shownOnce ? [] : [parameter('IdempotencyKey')];
  const onlyIf =
    method === 'GET' && !streams && !called.downloads
      ? [parameter('IfNoneMatch')]
      : versioned
        ? [parameter('IfMatch')]
        : [];
  const refusals = refusalsOf(called).map((status) => [
    status,
    { $ref: `#/components/responses/${nameOfRefusal(status)}` },
  ]);
  return {
    operationId: name,
    tags: [tag],
    summary,
    description: open
      ? 'Open to anybody who has the address.'
      : needs === null
        ? 'For everybody who is signed in.'
        : `For those who may ${needWords[needs]} in the workspace.`,
    ...(open ? { security: [] } : {}),
    parameters: [...inPath, ...inQuery, ...keyed, ...onlyIf],
    ...bodyOf(called),
    responses: {
      200: answerOf(called, answerSchemaOf(called)),
      ...(method === 'GET' && onlyIf.length > 0 ? { 304: { description: 'Nothing is different.' } } : {}),
      ...Object.fromEntries(refusals),
      default: { $ref: '#/components/responses/Fault' },
    },
  };
}

const pathWords: Readonly<Record<string, string>> = {
  ws: 'the workspace, by key or id',
  t: 'the table, by key or id',
  f: 'the field, by key or id',
  person: 'the number of the person',
  hash: 'the SHA-256 of the contents',
  secret: 'the secret in the address',
  delivery: 'the number of the delivery',
};

const problemAs = (description: string): JsonSchema => ({
  description,
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
});

/** The OpenAPI 3.1 document, made from the descriptions and schemas that answer the requests. */
export function openApiDocument(): JsonSchema {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const one of named) {
    const { path, method } = one.called;
    paths[path] = { ...paths[path], [method.toLowerCase()]: operationOf(one) };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Inner Loom',
      version: '1',
      description:
        'Everything a screen can do. Tables and fields are named by key or id; links, options, numbers and blanks are written as in docs/guide/api.md.',
    },
    servers: [{ url: '/', description: 'this server' }],
    tags: [...new Set(parts.map(([tag]) => tag))].map((name) => ({ name })),
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'session' },
      },
      parameters: {
        IdempotencyKey: {
          name: 'Idempotency-Key',
          in: 'header',
          description: 'the same key again gets the same answer, and nothing is done twice',
          schema: { type: 'string', maxLength: 200 },
        },
        IfNoneMatch: {
          name: 'If-None-Match',
          in: 'header',
          description: 'the ETag of an earlier answer: 304 without a body where nothing is different',
          schema: { type: 'string' },
        },
        IfMatch: {
          name: 'If-Match',
          in: 'header',
          description: 'the ETag with which the record was read: 412 where somebody changed it since',
          schema: { type: 'string' },
        },
      },
      responses: {
        ...Object.fromEntries(statuses.map((status) => [nameOfRefusal(status), problemAs(statusWords[status])])),
        Fault: problemAs('The server could not answer; `detail` has the number under which it is in the log.'),
      },
      schemas: { ...sharedSchemas, Problem: problemSchema },
    },
    security: [{ token: [] }, { session: [] }],
  };
}

const problemSchema: JsonSchema = {
  type: 'object',
  description: 'RFC 9457 problem details',
  required: ['type', 'title', 'status', 'detail'],
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
        {
          type: 'object',
          required: ['from', 'to'],
          properties: { from: { type: 'integer' }, to: { type: 'integer' } },
        },
      ],
    },
  },
};
