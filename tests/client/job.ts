import createClient from 'openapi-fetch';
import type { paths } from './generated';

/**
 * A whole job as a stranger's program does it, with a client that is made from the OpenAPI document: every address,
 * body and answer is typed, and nothing is cast. Compiled and run by `client.test.ts`.
 */
export async function job(fetch: (request: Request) => Promise<Response>, token: string) {
  const client = createClient<paths>({
    baseUrl: 'http://loom.example',
    fetch,
    headers: { Authorization: `Bearer ${token}` },
  });

  const made = await client.POST('/api/workspaces', { body: { label: 'Wax', zone: 'Europe/Vienna' } });
  if (made.error) throw new Error(made.error.detail);
  const path = { ws: made.data.key };

  const plan = await client.POST('/api/workspaces/{ws}/plans', {
    params: { path },
    body: {
      changes: [
        { do: 'addTable', label: 'Apiaries', fields: [{ label: 'Name', type: 'text', unique: true }] },
        {
          do: 'addTable',
          label: 'Hives',
          fields: [
            { label: 'Number', type: 'text', unique: true },
            { label: 'Weight', type: 'number', unit: 'kg' },
            { label: 'Apiary', type: 'link', to: 'apiaries' },
          ],
        },
      ],
    },
  });
  if (plan.error) throw new Error(plan.error.detail);
  const labels = plan.data.effects.map(({ change }) => change);
  const applied = await client.POST('/api/workspaces/{ws}/plans/{id}/apply', {
    params: { path: { ...path, id: String(plan.data.id) } },
  });
  if (applied.error) throw new Error(applied.error.detail);
  const tables = applied.data.model.tables.map(({ key }) => key);

  const apiaries = await client.POST('/api/workspaces/{ws}/tables/{t}/records', {
    params: { path: { ...path, t: 'apiaries' } },
    body: { records: [{ values: { name: 'Rosehill' } }, { values: { name: 'Thornby' } }] },
  });
  if (apiaries.error) throw new Error(apiaries.error.detail);
  const [first] = apiaries.data.records;
  const hives = await client.POST('/api/workspaces/{ws}/tables/{t}/records', {
    params: { path: { ...path, t: 'hives' } },
    body: {
      records: Array.from({ length: 500 }, (_, at) => ({
        values: { number: `H-${at}`, weight: at % 50, apiary: first?.id ?? null },
      })),
    },
  });
  if (hives.error) throw new Error(hives.error.detail);

  let seen = 0;
  let after: string | undefined;
  do {
    const page = await client.GET('/api/workspaces/{ws}/tables/{t}/records', {
      params: { path: { ...path, t: 'hives' }, query: { limit: 120, sort: '-weight', ...(after ? { after } : {}) } },
    });
    if (page.error) throw new Error(page.error.detail);
    seen += page.data.items.length;
    after = page.data.next ?? undefined;
  } while (after);

  const [hive] = hives.data.records;
  const changed = await client.PATCH('/api/workspaces/{ws}/tables/{t}/records', {
    params: { path: { ...path, t: 'hives' } },
    body: { records: [{ id: hive?.id ?? 0, version: hive?.version, values: { weight: 77 } }] },
  });
  if (changed.error) throw new Error(changed.error.detail);
  const late = await client.PATCH('/api/workspaces/{ws}/tables/{t}/records', {
    params: { path: { ...path, t: 'hives' } },
    body: { records: [{ id: hive?.id ?? 0, version: hive?.version, values: { weight: 78 } }] },
  });
  const undone = await client.POST('/api/workspaces/{ws}/batches/{id}/undo', {
    params: { path: { ...path, id: String(changed.data.batch) } },
    body: {},
  });
  if (undone.error) throw new Error(undone.error.detail);

  const csv = await client.GET('/api/workspaces/{ws}/tables/{t}/export', {
    params: { path: { ...path, t: 'hives' }, query: { format: 'csv', for: 'program' } },
    parseAs: 'text',
  });
  if (csv.error) throw new Error(csv.error.detail);

  const form = new FormData();
  form.append('files', new File(['jar,grams\nJ-1,250\nJ-2,500\n'], 'jars.csv', { type: 'text/csv' }));
  const begun = await client.POST('/api/workspaces/{ws}/intakes', {
    params: { path },
    body: {},
    bodySerializer: () => form,
  });
  if (begun.error) throw new Error(begun.error.detail);
  const intakePath = { ...path, id: String(begun.data.id) };
  const intake = async () => {
    const now = await client.GET('/api/workspaces/{ws}/intakes/{id}', { params: { path: intakePath } });
    if (now.error) throw new Error(now.error.detail);
    return now.data;
  };
  const ready = await until(intake, ({ state }) => state !== 'reading');
  const loading = await client.POST('/api/workspaces/{ws}/intakes/{id}/load', { params: { path: intakePath } });
  if (loading.error) throw new Error(loading.error.detail);
  const loaded = await until(intake, ({ state }) => state !== 'loading');

  const codes = await client.PUT('/api/workspaces/{ws}/tables/{t}/records', {
    params: { path: { ...path, t: 'apiaries' }, query: { by: 'name' } },
    body: { records: [{ values: { name: 'Rosehill' } }, { values: { name: 'Brand new' } }] },
  });
  if (codes.error) throw new Error(codes.error.detail);

  const fieldForm = await client.POST('/api/workspaces/{ws}/tables/{t}/forms', {
    params: { path: { ...path, t: 'hives' } },
    body: { form: { label: 'New hive', sections: [{ items: [{ field: 'number' }, { field: 'weight' }] }] } },
  });
  if (fieldForm.error) throw new Error(fieldForm.error.detail);
  const entry = await client.POST('/api/workspaces/{ws}/tables/{t}/forms/{id}/entries', {
    params: { path: { ...path, t: 'hives', id: fieldForm.data.id } },
    body: { values: { number: 'H-form', weight: 12 } },
  });
  if (entry.error) throw new Error(entry.error.detail);

  const lost = await client.GET('/api/workspaces/{ws}/model', { params: { path: { ws: 'nowhere' } } });
  return {
    labels,
    tables,
    seen,
    clash: { status: late.response.status, detail: late.error?.detail },
    csv: csv.data,
    columns: ready.sheets.flatMap(({ columns }) => columns.map(({ name, type }) => `${name} ${type}`)),
    added: loaded.receipt?.sheets.map(({ added }) => added),
    upserted: [codes.data.made, codes.data.found],
    entered: entry.data.records.map(({ values }) => values.number),
    lost: lost.error?.status,
  };
}

async function until<T>(ask: () => Promise<T>, done: (now: T) => boolean): Promise<T> {
  for (;;) {
    const now = await ask();
    if (done(now)) return now;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
