import { partsOf } from '../../src/lib/core/types/part';
import { tableAt, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { makeDocuments } from '../../src/lib/server/documents/made';
import { figure, median, timed, type Figure } from './measure';
import { apply, benchPerson, freshWorkspace } from './world';

const key = 'bench_documents';
const deliveries = 1000;
const lines = 40;

const text = (said: string) => ({ type: 'text', text: said });
const field = (formula: string) => ({ type: 'field', attrs: { formula } });
const line = (...content: object[]) => ({ type: 'paragraph', content });
const cell = (type: string, content: object) => ({ type, content: [line(content)] });
const row = (type: string, attrs: object, contents: readonly object[]) => ({
  type: 'tableRow',
  attrs,
  content: contents.map((content) => cell(type, content)),
});

/** A delivery note of forty lines with sums, a part on a condition, header and footer with numbers of pages. */
const note = {
  label: 'Note',
  header: [line(text('The stall'))],
  footer: [line(text('page '), { type: 'pageNumber' }, text(' of '), { type: 'pageNumber', attrs: { count: true } })],
  body: [
    { type: 'heading', attrs: { level: 1 }, content: [text('Delivery '), field('number')] },
    line(text('To '), field('customer'), text(' on '), field('day')),
    {
      type: 'table',
      content: [
        row('tableHeader', {}, ['What', 'Jars', 'Price', 'Amount'].map(text)),
        row('tableCell', { over: 'lines', sort: 'what' }, ['what', 'jars', 'price', 'jars * price'].map(field)),
        row('tableCell', {}, [
          text('Together'),
          field('sum(lines.jars)'),
          text(' '),
          field('sum(lines.jars * lines.price)'),
        ]),
      ],
    },
    { type: 'part', attrs: { when: 'customer.member' }, content: [line(text('Members take 5 % off.'))] },
  ],
};

/** Documents made of records as a person has them made: one of forty lines, and a thousand of them in one file. */
export async function* documents(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  let access = await freshWorkspace(pool, person, key);
  access = await apply(pool, access, [
    {
      do: 'addTable',
      label: 'Customers',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Member', type: 'yesNo' },
      ],
    },
    {
      do: 'addTable',
      label: 'Deliveries',
      fields: [
        { label: 'Number', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'Customer', type: 'link', to: 'customers' },
      ],
    },
    {
      do: 'addTable',
      label: 'Lines',
      fields: [
        { label: 'What', type: 'text' },
        { label: 'Jars', type: 'number', digits: 0 },
        { label: 'Price', type: 'money', currency: 'EUR', digits: 2 },
        { label: 'Delivery', type: 'link', to: 'deliveries' },
      ],
    },
    { do: 'addPart', kind: 'document', table: 'deliveries', part: note } as never,
  ]);
  await pool.query(
    `insert into ${key}.customers (name, member) select 'Customer ' || i, i % 2 = 0 from generate_series(1, 50) i`,
  );
  await pool.query(`
    insert into ${key}.deliveries (number, day, customer)
    select 'D-' || i, current_date - i % 300, 1 + i % 50 from generate_series(1, ${deliveries}) i
  `);
  await pool.query(`
    insert into ${key}.lines (what, jars, price, delivery)
    select 'Heather honey, jar ' || i % 97, 1 + i % 12, 2 + i % 7, 1 + i % ${deliveries}
    from generate_series(1, ${deliveries * lines}) i
  `);
  await pool.query(`vacuum analyze ${key}.lines, ${key}.deliveries, ${key}.customers`);
  await makeFor(pool, access, [1]);
  const times: number[] = [];
  for (let id = 2; id <= 12; id++) times.push(await timed(() => makeFor(pool, access, [id])));
  yield figure('documents', 'a delivery note of 40 lines as PDF', median(times), null, 'ms', 300);
  const all = Array.from({ length: deliveries }, (_, n) => n + 1);
  let [early, most] = [0, 0];
  const took = await timed(() =>
    makeFor(pool, access, all, (made) => {
      globalThis.gc?.();
      const held = process.memoryUsage().heapUsed;
      if (made <= 200) early = Math.max(early, held);
      else most = Math.max(most, held);
    }),
  );
  yield figure('documents', '1,000 of them in one PDF', took / 1000, null, 's', 60);
  yield figure(
    'documents',
    'memory held after the first 200, against up to there',
    most / 1e6,
    early / 1e6,
    'MB',
    1.25,
  );
}

async function makeFor(
  pool: Pool,
  access: WorkspaceAccess,
  ids: readonly number[],
  look: (made: number) => void = () => undefined,
): Promise<void> {
  const table = tableAt(access, 'deliveries');
  const [document] = partsOf(table, 'document');
  if (!document) throw new Error('the document is not there');
  const { pieces, made } = makeDocuments(pool, access, table, document, {
    format: 'pdf',
    chosen: { ids },
    each: false,
    skip: 0,
    language: 'en-GB',
    origin: 'http://loom.example',
  });
  let [bytes, looked] = [0, 0];
  for await (const piece of pieces) {
    bytes += piece.length;
    if (made() >= looked + 100) look((looked = made()));
  }
  if (bytes < 10_000 || made() !== ids.length) throw new Error(`${made()} documents of ${bytes} bytes`);
}
