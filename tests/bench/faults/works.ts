import { randomUUID } from 'node:crypto';
import { ofWorkspace, siteCount, visitCount, workspaceKey, type Ground } from './ground';

/** A piece of work that somebody is at while a server is killed under it. */
export interface Work {
  readonly name: string;
  /** Prepares a round. */
  readonly begin: (ground: Ground, round: number) => Promise<Round>;
}
export interface Round {
  /** Goes on until all of it is answered; rejects where an answer never comes, or is none that was promised. */
  readonly run: () => Promise<void>;
  /** What is then not as it was promised, in words. */
  readonly wrong: () => Promise<string[]>;
  /** Takes away what the round made, so that rounds do not grow. */
  readonly tidy?: () => Promise<void>;
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
const times = <T>(count: number, make: (n: number) => T): T[] => Array.from({ length: count }, (_, n) => make(n));

/** Rows of a query, as one array of values. */
const column = async ({ pool }: Ground, query: string, values: unknown[] = []): Promise<unknown[]> =>
  (await pool.query({ text: query, values, rowMode: 'array' })).rows.map(([value]) => value as unknown);
const differs = (words: string, found: unknown, expected: unknown): string[] =>
  JSON.stringify(found) === JSON.stringify(expected)
    ? []
    : [`${words}: ${JSON.stringify(found).slice(0, 300)} instead of ${JSON.stringify(expected).slice(0, 300)}`];

/** Four people who each change records of their own, and make one, one call after the other. */
const edits: Work = {
  name: 'edit',
  begin: async (ground, round) => {
    const mine = (writer: number) => times(12, (n) => 1 + ((round * 48 + writer * 12 + n) % visitCount));
    const ids = times(4, mine).flat();
    const versions = () =>
      column(ground, `select _version from ${workspaceKey}.visits where _id = any ($1) order by _id`, [ids]);
    const before = (await versions()) as number[];
    const note = `made in round ${round} ${randomUUID()}`;
    // No number of an earlier round: what changes nothing is not written.
    const kg = (id: number) => round + id / 10_000;
    return {
      run: async () => {
        await Promise.all(
          times(4, async (writer) => {
            for (const id of mine(writer))
              await ground.call.must('PATCH', `${ofWorkspace}/tables/visits/records`, {
                records: [{ id, values: { kg: kg(id) } }],
              });
            await ground.call.must('POST', `${ofWorkspace}/tables/visits/records`, {
              records: [{ values: { note, kg: 1, site: 1 + writer } }],
            });
          }),
        );
      },
      wrong: async () => [
        ...differs(
          'numbers typed',
          await column(ground, `select kg::float from ${workspaceKey}.visits where _id = any ($1) order by _id`, [ids]),
          [...ids].sort((a, b) => a - b).map(kg),
        ),
        ...differs(
          'times each record was written',
          await versions(),
          before.map((version) => version + 1),
        ),
        ...differs(
          'records made',
          await column(ground, `select count(*)::int from ${workspaceKey}.visits where note = $1`, [note]),
          [4],
        ),
      ],
    };
  },
};

const addition = (round: number) => [
  {
    do: 'addTable',
    label: `Extra ${round}`,
    fields: [
      { label: 'Name', type: 'text' },
      { label: 'Visit', type: 'link', to: 'visits' },
    ],
  },
  { do: 'addField', table: 'visits', field: { label: `Double ${round}`, type: 'formula', formula: 'kg * 2' } },
  {
    do: 'addField',
    table: 'sites',
    field: { label: `Most ${round}`, type: 'formula', formula: `max(visits.double_${round})` },
  },
];
interface Plan {
  readonly id: number;
  readonly possible: boolean;
}
const planned = async ({ call }: Ground, changes: readonly object[]): Promise<Plan> => {
  const plan = await call.must<Plan>('POST', `${ofWorkspace}/plans`, { changes });
  if (!plan.possible) throw new Error(JSON.stringify(plan));
  return plan;
};
const undone = ({ call }: Ground, batch: number) =>
  call.must<{ batch: number }>('POST', `${ofWorkspace}/batches/${batch}/undo`, {});
/** Keys of fields by table, in their order. */
const structureOf = async ({ call }: Ground): Promise<object> => {
  const { tables } = await call.must<{ tables: { key: string; fields: { key: string }[] }[] }>(
    'GET',
    `${ofWorkspace}/model`,
  );
  return tables.map(({ key, fields }) => [key, fields.map((field) => field.key)]);
};

const plans: Work = {
  name: 'plan',
  begin: async (ground, round) => {
    const plan = await planned(ground, addition(round));
    let batch = 0;
    return {
      run: async () => {
        ({ batch } = await ground.call.must<{ batch: number }>('POST', `${ofWorkspace}/plans/${plan.id}/apply`, {}));
      },
      wrong: async () => [
        ...differs(
          'fields made',
          (
            await structureOf(ground).then(
              (text) => JSON.stringify(text).match(new RegExp(`(?:extra|double|most)_${round}"`, 'g')) ?? [],
            )
          ).sort(),
          // The table, and the other side of its link.
          [`double_${round}"`, `extra_${round}"`, `extra_${round}"`, `most_${round}"`],
        ),
        ...differs(
          'values of the new fields that are wrong',
          await column(
            ground,
            `select count(*)::int from ${workspaceKey}.visits where double_${round} is distinct from kg * 2`,
          ),
          [0],
        ),
      ],
      tidy: async () => void (await undone(ground, batch)),
    };
  },
};

/** A change of the structure and one of 500 records, both taken back. */
const undo: Work = {
  name: 'undo',
  begin: async (ground, round) => {
    const [structure, notes] = [
      await structureOf(ground),
      () => column(ground, `select note from ${workspaceKey}.visits where _id <= 500 order by _id`),
    ];
    const before = await notes();
    const plan = await planned(ground, addition(round));
    const { batch: made } = await ground.call.must<{ batch: number }>(
      'POST',
      `${ofWorkspace}/plans/${plan.id}/apply`,
      {},
    );
    const records = times(500, (n) => ({ id: n + 1, values: { note: `passing ${round}`, kg: n } }));
    const { batch: edited } = await ground.call.must<{ batch: number }>(
      'PATCH',
      `${ofWorkspace}/tables/visits/records`,
      { records },
    );
    return {
      run: async () => {
        await undone(ground, edited);
        await undone(ground, made);
      },
      wrong: async () => [
        ...differs('the structure', await structureOf(ground), structure),
        ...differs('notes', await notes(), before),
        ...differs(
          'batches undone',
          await column(ground, 'select count(*)::int from loom.batches where id = any ($1) and undone_by is not null', [
            [made, edited],
          ]),
          [2],
        ),
      ],
    };
  },
};

const [rows, each] = [4_000, 3];
interface Intake {
  readonly id: number;
  readonly state: string;
  readonly problem: string | null;
  readonly progress: unknown;
}

/** A file that is read, and loaded; whoever is told that it was cut off brings it in again, and no sooner. */
const load: Work = {
  name: 'load',
  begin: (ground, round) => {
    const { call } = ground;
    const label = `Load ${round}`;
    const file = `Wagon,Colour,Weight\n${times(rows, (n) => `wagon ${round}-${n},${['red', 'green', 'blue'][n % 3]},${n * each}`).join('\n')}\n`;
    const sent = async (): Promise<Intake> => {
      const form = new FormData();
      form.append('file', new Blob([file]), `${label}.csv`);
      return call.must<Intake>('POST', `${ofWorkspace}/intakes`, form);
    };
    const until = async (id: number, working: string): Promise<Intake> => {
      for (const end = Date.now() + 60_000; Date.now() < end; await pause(50)) {
        const intake = await call.must<Intake>('GET', `${ofWorkspace}/intakes/${id}`);
        if (intake.state !== working) return intake;
      }
      // Who holds its lock, or that it waits for its turn, says what it hangs on.
      const { progress } = await call.must<Intake>('GET', `${ofWorkspace}/intakes/${id}`);
      const busy = await column(
        ground,
        `select coalesce(a.wait_event, a.state) || ' ' || left(a.query, 100) from pg_stat_activity a
         where a.datname = current_database() and a.state <> 'idle' and a.pid <> pg_backend_pid()`,
      );
      throw new Error(`intake ${id} is ${working} for a minute: ${JSON.stringify({ progress, busy })}`);
    };
    let loaded = 0;
    return Promise.resolve({
      run: async () => {
        for (let tries = 0; tries < 10 && loaded === 0; tries++) {
          let intake = await until((await sent()).id, 'reading');
          for (let again = 0; intake.state === 'ready' && again < 5; again++) {
            const started = await call.send('POST', `${ofWorkspace}/intakes/${intake.id}/load`, {});
            if (started.status >= 300 && started.status !== 409) throw new Error(JSON.stringify(started));
            intake = await until(intake.id, 'loading');
          }
          if (intake.state === 'loaded') loaded = intake.id;
          else if (intake.state !== 'failed') throw new Error(JSON.stringify(intake));
        }
        if (loaded === 0) throw new Error('ten tries loaded nothing');
      },
      wrong: async () => {
        const made = (await structureOf(ground)) as [string, unknown][];
        const keys = made.map(([key]) => key).filter((key) => key.startsWith('load_'));
        if (keys.length !== 1) return [`tables of loads that stand: ${keys.join(', ')}`];
        return differs(
          'rows and their sum',
          await column(ground, `select array[count(*), sum(weight)]::text from ${workspaceKey}.${keys[0]}`),
          [`{${rows},${(each * rows * (rows - 1)) / 2}}`],
        );
      },
      tidy: async () => void (await call.must('POST', `${ofWorkspace}/intakes/${loaded}/undo`, {})),
    });
  },
};

/** Two people outside who send what they saw, one after the other. */
const form: Work = {
  name: 'form',
  begin: (ground, round) => {
    const words = times(2, (sender) => times(12, (n) => `round ${round} sender ${sender} entry ${n} ${randomUUID()}`));
    return Promise.resolve({
      run: async () => {
        await Promise.all(
          words.map(async (mine) => {
            for (const one of mine)
              await ground.call.must('POST', `${ground.formAddress}/entries`, { values: { words: one } });
          }),
        );
      },
      wrong: async () => [
        ...differs(
          'entries',
          await column(ground, `select words from ${workspaceKey}.reports where words like $1 order by 1`, [
            `round ${round} %`,
          ]),
          words.flat().sort(),
        ),
        ...differs(
          'entries counted',
          await column(ground, 'select sum(entries)::int from loom.form_addresses'),
          await column(ground, `select count(*)::int from ${workspaceKey}.reports`),
        ),
      ],
    });
  },
};

/**
 * An open page elsewhere, which reads again whenever it is told of a change, and connects again when it hears nothing
 * more.
 */
const feed: Work = {
  name: 'feed of events',
  begin: async (ground, round) => {
    const { call } = ground;
    const ids = times(20, (n) => 1 + ((round * 20 + n) % visitCount));
    const path = `${ofWorkspace}/tables/visits/records?limit=200&fields=kg&filter=${encodeURIComponent(`site.name = 'Site ${round % siteCount}'`)}`;
    const read = async () =>
      JSON.stringify((await call.must<{ items: { values: object }[] }>('GET', path)).items.map(({ values }) => values));
    let seen = await read();
    const over = new AbortController();
    const follow = async () => {
      for (; !over.signal.aborted; await pause(500)) {
        const stream = await fetch(`${call.origin}${ofWorkspace}/events`, {
          headers: { authorization: `Bearer ${call.token}` },
          signal: over.signal,
        }).catch(() => null);
        if (!stream?.ok || !stream.body) continue;
        // As a page does when its stream begins anew: what happened meanwhile nobody tells it.
        seen = await read();
        try {
          for await (const piece of stream.body)
            if (new TextDecoder().decode(piece as Uint8Array).includes('"tables"')) seen = await read();
        } catch {
          // Broken off, as the server is gone.
        }
      }
    };
    const following = follow();
    return {
      run: async () => {
        for (const id of ids)
          await call.must('PATCH', `${ofWorkspace}/tables/visits/records`, {
            records: [{ id, values: { kg: ((id + round) % 500) / 5, site: 1 + (round % siteCount) } }],
          });
      },
      wrong: async () => {
        const stands = await read();
        for (let tries = 0; tries < 100 && seen !== stands; tries++) await pause(100);
        over.abort();
        await following.catch(() => undefined);
        return seen === stands ? [] : ['who listens does not know within 10 s what stands'];
      },
    };
  },
};

/** All visits go to a table of their own that is made for them, with the sums of their sites. */
const transfer: Work = {
  name: 'transfer',
  begin: async (ground, round) => {
    const { call } = ground;
    const sums = () => column(ground, `select sum(total)::float from ${workspaceKey}.sites`);
    const [structure, before] = [await structureOf(ground), await sums()];
    const { id } = await call.must<{ id: number }>('POST', `${ofWorkspace}/transfers`, {
      work: 'merge',
      sources: [{ table: 'visits' }, { table: 'diary' }],
      to: { label: `Notes ${round}` },
      fields: [
        { label: 'Note', from: { visits: 'note', diary: 'words' } },
        { label: 'Kg', from: { visits: 'kg' } },
        { label: 'Site', from: { visits: 'site' } },
      ],
    });
    let batch = 0;
    return {
      run: async () => {
        ({ batch } = await call.must<{ batch: number }>('POST', `${ofWorkspace}/transfers/${id}/apply`, {}));
      },
      wrong: async () => [
        ...differs('sums of sites', await sums(), before),
        ...differs(
          'records moved',
          await column(ground, `select count(*)::int from ${workspaceKey}.notes_${round} where kg is not null`),
          [visitCount],
        ),
        ...differs(
          'receipt',
          [(await call.must<{ batch: number }>('GET', `${ofWorkspace}/transfers/${id}`)).batch],
          [batch],
        ),
      ],
      tidy: async () => {
        await undone(ground, batch);
        const left = differs('the structure after it was undone', await structureOf(ground), structure);
        if (left.length > 0) throw new Error(left.join());
      },
    };
  },
};

export const works: readonly Work[] = [load, plans, undo, edits, form, feed, transfer];
