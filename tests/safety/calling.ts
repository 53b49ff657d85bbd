import type { RequestEvent } from '@sveltejs/kit';
import { strFromU8, unzipSync } from 'fflate';
import { callerOf, recalledCaller, type Credential } from '$server/access/signIn';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
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
  const event = {
    locals: {
      pool,
      reads: pool,
      downloads: pool,
      listener,
      caller: typeof from === 'function' ? from : () => Promise.resolve(from && { person: from }),
    },
    params,
    url,
    request,
    setHeaders: () => undefined,
  } as unknown as RequestEvent;
  const response = await respond(endpoint)(event);
  return { status: response.status, text: await textOf(response) };
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
