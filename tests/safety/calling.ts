import type { RequestEvent } from '@sveltejs/kit';
import { Ajv2020 as Ajv, type ValidateFunction } from 'ajv/dist/2020';
import { strFromU8, unzipSync } from 'fflate';
import { callerOf, recalledCaller, type Credential } from '$server/access/signIn';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { answerSchemaOf, endpoints, sharedSchemas } from '$server/api/openapi';
import { respond, type Endpoint } from '$server/http/endpoint';
import { ChangeListener } from '$server/live/events';

/** Listens to nothing: what is asked for is answered with what is known now. */
const listener = new ChangeListener('');

export interface Called {
  readonly status: number;
  readonly text: string;
}

/** Whoever a credential stands for, as the server finds them. */
export const callerBy =
  (pool: Pool, credential: Credential, workspace: string): App.Locals['caller'] =>
  (recalled) =>
    (recalled ? recalledCaller : callerOf)(pool, credential, workspace);

/** The endpoint behind an address, with what stands in its path. */
export function endpointAt(method: string, path: string) {
  for (const endpoint of endpoints.filter((one) => one.method === method)) {
    const names: string[] = [];
    const shape = endpoint.path.replace(/\{(\w+)\}/g, (_, name: string) => {
      names.push(name);
      return '([^/]+)';
    });
    const found = new RegExp(`^${shape}$`).exec(path);
    if (found)
      return {
        endpoint,
        params: Object.fromEntries(names.map((name, at) => [name, decodeURIComponent(found[at + 1] ?? '')])),
      };
  }
  throw new Error(`nothing is at ${method} ${path}`);
}

/** Answers a request as the route of an endpoint does. */
export function answered(
  pool: Pool,
  from: Person | null | App.Locals['caller'],
  endpoint: Endpoint,
  params: Readonly<Record<string, string>>,
  request: Request,
  listens = listener,
): Promise<Response> {
  const event = {
    locals: {
      pool,
      reads: pool,
      downloads: pool,
      listener: listens,
      caller: typeof from === 'function' ? from : () => Promise.resolve(from && { person: from }),
    },
    params,
    url: new URL(request.url),
    request,
    setHeaders: () => undefined,
    cookies: { get: () => undefined, set: () => undefined, delete: () => undefined },
  } as unknown as RequestEvent;
  return respond(endpoint)(event);
}

/** Calls an endpoint as its route does: path filled in, query and body as they are sent. */
export async function called(
  pool: Pool,
  from: Person | null | App.Locals['caller'],
  endpoint: Endpoint,
  params: Readonly<Record<string, string>>,
  query: Readonly<Record<string, string>> = {},
  body?: unknown,
  headers: Readonly<Record<string, string>> = {},
): Promise<Called> {
  const path = endpoint.path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(params[name] ?? 'none'));
  const url = new URL(`http://loom.example${path}?${new URLSearchParams(query)}`);
  const request = new Request(url, {
    method: endpoint.method,
    ...(body === undefined
      ? {}
      : { body: JSON.stringify(body), headers: { 'content-type': 'application/json', ...headers } }),
  });
  const response = await answered(pool, from, endpoint, params, request);
  const text = await textOf(response);
  if (response.status === 200 && /^application\/json/.test(response.headers.get('content-type') ?? ''))
    requireDescribed(endpoint, text);
  return { status: response.status, text };
}

const schemas = new Ajv({
  strict: false,
  allErrors: true,
  schemas: [{ $id: 'api', components: { schemas: sharedSchemas } }],
});
const validators = new Map<Endpoint, ValidateFunction | null>();

/** What is answered is what the OpenAPI document says. */
function requireDescribed(endpoint: Endpoint, text: string): void {
  let validate = validators.get(endpoint);
  if (validate === undefined) {
    const schema = answerSchemaOf(endpoint);
    // The shared schemas stand in a document of their own here.
    const own = JSON.parse(JSON.stringify(schema ?? null).replaceAll('"#/', '"api#/')) as object | null;
    validate = own && !endpoint.media ? schemas.compile(own) : null;
    validators.set(endpoint, validate);
  }
  if (validate && !validate(JSON.parse(text)))
    throw new Error(
      `${endpoint.method} ${endpoint.path} answers otherwise than it is described: ${schemas.errorsText(validate.errors)}`,
    );
}

/** What came, unpacked where it is an archive; of a stream that does not end by itself only the beginning. */
async function textOf(response: Response): Promise<string> {
  if (!response.headers.get('content-type')?.startsWith('text/event-stream')) {
    const bytes = new Uint8Array(await response.arrayBuffer());
    const isArchive = bytes[0] === 0x50 && bytes[1] === 0x4b;
    return isArchive
      ? Object.values(unzipSync(bytes))
          .map((part) => strFromU8(part))
          .join('\n')
      : strFromU8(bytes);
  }
  const reader = response.body?.getReader();
  const first = await Promise.race([
    reader?.read(),
    new Promise<null>((resolve) => setTimeout(() => resolve(null), 200)),
  ]);
  await reader?.cancel();
  return first?.value ? new TextDecoder().decode(first.value as Uint8Array) : '';
}
