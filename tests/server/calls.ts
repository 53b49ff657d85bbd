import type { TransferReceipt } from '$core/transfer/receipt';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { TransferOut } from '$server/transfer/transfers';
import { called, endpointAt } from '../safety/calling';
import type { Place } from './place';

export type Asked = Record<string, unknown>;

/** The address of something in a workspace. */
export const at = (place: Place, rest = ''): string => `/api/workspaces/${place.key}${rest}`;

/** A call of the API by a person, as a program makes it. */
export async function ask(pool: Pool, by: Person, method: string, path: string, body?: unknown) {
  const { endpoint, params } = endpointAt(method, path.split('?')[0] ?? '');
  const query = Object.fromEntries(new URLSearchParams(path.split('?')[1]));
  const { status, text } = await called(pool, by, endpoint, params, query, body);
  return { status, text, answer: JSON.parse(text) as Asked };
}

/** A file that is answered, as its text. */
export async function fetched(place: Place, path: string, by = place.person): Promise<string> {
  const { endpoint, params } = endpointAt('GET', path.split('?')[0] ?? '');
  const query = Object.fromEntries(new URLSearchParams(path.split('?')[1]));
  const { status, text } = await called(place.pool, by, endpoint, params, query);
  if (status !== 200) throw new Error(text);
  return text;
}

/** A transfer as it is planned. */
export async function planned(place: Place, transfer: unknown, by = place.person): Promise<TransferOut> {
  const { status, text } = await ask(place.pool, by, 'POST', at(place, '/transfers'), transfer);
  if (status !== 200) throw new Error(text);
  return JSON.parse(text) as TransferOut;
}

/** A transfer planned and done, or tried. */
export async function transferred(
  place: Place,
  transfer: unknown,
  by = place.person,
  step: 'apply' | 'dry-run' = 'apply',
): Promise<TransferOut & { receipt: TransferReceipt; batch: number }> {
  const { id } = await planned(place, transfer, by);
  const { status, text } = await ask(place.pool, by, 'POST', at(place, `/transfers/${id}/${step}`));
  if (status !== 200) throw new Error(text);
  return JSON.parse(text) as never;
}

/** The whole of a workspace as it is taken out: what an undo has to bring back. */
export async function exported(place: Place): Promise<string> {
  const { answer } = await ask(place.pool, place.person, 'GET', at(place, '/model'));
  const tables = (answer.tables as { key: string }[]).map(({ key }) => key);
  const all: unknown[] = [answer.tables];
  for (const table of tables)
    all.push(
      (await ask(place.pool, place.person, 'GET', at(place, `/tables/${table}/records?limit=500`))).answer.items,
    );
  return JSON.stringify(all, (key, value: unknown) =>
    ['version', 'changed', 'last_changed', 'last_changed_by'].includes(key) ? undefined : value,
  );
}
