import { readTransfer } from '../../src/lib/core/transfer/works';
import { authorize } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { writeRecords } from '../../src/lib/server/entry/write';
import { makeTransfer, runTransfer } from '../../src/lib/server/transfer/transfers';
import { randomFrom } from '../../demo/random';
import { alternating, figure, median, timed, type Figure } from './measure';
import { indexesBuilt } from './waiting';
import { apply, benchPerson, freshWorkspace } from './world';

const records = 1_000_000;
const rounds = 600;

/**
 * A million deliveries that feed two tables: filling one, beside the insert that one would write by hand with the same
 * keys; and an edit of a delivery, beside the same edit of the same table without feeds.
 */
export async function* feeds(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  const key = 'bench_feeds';
  await apply(pool, await freshWorkspace(pool, person, key), [
    ...['Deliveries', 'Orders'].map(
      (label) =>
        ({
          do: 'addTable',
          label,
          fields: [
            { label: 'Article', type: 'text' },
            { label: 'Day', type: 'date' },
            { label: 'Amount', type: 'number' },
            { label: 'Sent', type: 'yesNo' },
          ],
        }) as const,
    ),
  ]);
  for (const table of ['deliveries', 'orders']) {
    await pool.query(`
      insert into ${key}.${table} (article, day, amount, sent)
      select 'Jar ' || (n % 500), date '2020-01-01' + n % 2000, n % 97, n % 10 > 0 from generate_series(1, ${records}) n
    `);
    await pool.query(`vacuum analyze ${key}.${table}`);
  }
  const ours: number[] = [];
  for (const label of ['Movements', 'Sent goods']) {
    const access = await authorize(pool, person, key, 'design');
    const read = readTransfer(access.whole.model, {
      work: 'feed',
      sources: [{ table: 'deliveries', where: 'sent', mark: 'Out' }],
      to: { label },
      fields: ['article', 'day', 'amount'].map((one) => ({ label: one, from: { deliveries: one } })),
    });
    if (!read.ok) throw new Error(read.problem.message);
    const { id } = await makeTransfer(pool, access, read.value);
    ours.push(await timed(() => runTransfer(pool, access, id, false)));
    await indexesBuilt(pool);
    await pool.query('checkpoint');
  }
  const hand: number[] = [];
  for (let round = 0; round < 2; round++) {
    hand.push(await timed(() => filledByHand(pool, key)));
    await pool.query('checkpoint');
  }
  yield figure('feeds', 'a feed filled from 10⁶ records', Math.min(...ours) / 1000, Math.min(...hand) / 1000, 's', 1.3);
  await pool.query(`vacuum analyze ${key}.movements`);
  await pool.query(`vacuum analyze ${key}.sent_goods`);
  const random = randomFrom(records);
  const access = await authorize(pool, person, key, 'see');
  const edit = (table: string) => () => {
    const id = 10 * Math.floor(random() * (records / 10 - 1)) + 1 + Math.floor(random() * 8);
    const values = { amount: Math.floor(random() * 1000) };
    return writeRecords(pool, access, table, { update: [{ id, values }] }, { minimal: true });
  };
  const edits = await alternating(rounds, 200, edit('deliveries'), edit('orders'));
  yield figure('feeds', 'an edit of a record in two feeds', median(edits.ours), median(edits.theirs), 'ms', 1.4);
}

/** The same table with the same keys, filled by one statement. */
async function filledByHand(pool: Pool, key: string): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query('begin');
    await client.query(`create table ${key}.by_hand (like ${key}.movements including defaults)`);
    await client.query(`create sequence ${key}.by_hand_ids owned by ${key}.by_hand._id`);
    await client.query(`
      insert into ${key}.by_hand (_id, deliveries, source, article, day, amount)
      select nextval('${key}.by_hand_ids'), d._id, 'Out', d.article, d.day, d.amount
      from ${key}.deliveries d where d.sent order by d._id
    `);
    await client.query(`alter table ${key}.by_hand add primary key (_id)`);
    await client.query(`alter table ${key}.by_hand add unique (deliveries)`);
    await client.query(`alter table ${key}.by_hand add foreign key (deliveries) references ${key}.deliveries (_id)`);
    await client.query(`analyze ${key}.by_hand`);
  } finally {
    await client.query('rollback');
    client.release();
  }
}
