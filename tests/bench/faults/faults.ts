import { structureDefects } from '../../../src/lib/server/health/storedStructure';
import { migrateCatalogue } from '../../../src/lib/server/database/migrate';
import { openPool } from '../../../src/lib/server/database/pool';
import { wrongAfter } from '../../storm/world';
import { figure, median, timed, type Figure } from '../measure';
import { makeGround, ofWorkspace, type Ground } from './ground';
import { typist } from './typing';
import { startVictims, victimNames } from './victims';
import { works, type Work } from './works';

/** How often each victim is killed in each work; LOOM_KILLS=2 is a short look. */
const kills = Number(process.env.LOOM_KILLS ?? 20);
/** The only work that is done, such as LOOM_WORK=typing. */
const only = process.env.LOOM_WORK;

/**
 * Kills the application server and the database server in the middle of each kind of work, at a moment by chance, and
 * looks at what stands once everything is answered: all of it, once, and a structure that memory, catalogue and tables
 * agree on.
 */
export async function* faults(): AsyncGenerator<Figure> {
  const victims = await startVictims(async (url) => {
    const first = openPool(url, 1);
    await migrateCatalogue(first);
    await first.end();
  });
  const ground = await makeGround(victims.url, victims.origin);
  const typing = await typist(ground, victims.origin);
  let round = 0;
  try {
    for (const work of [...works, typing.work].filter(({ name }) => only === undefined || name === only)) {
      let span = Math.min(await quiet(work, ground, ++round), await quiet(work, ground, ++round));
      for (const victim of victimNames) {
        const found: string[] = [];
        const waits: number[] = [];
        let late = 0;
        while (waits.length < kills) {
          // Spread evenly over the work, so that each of its steps is met.
          const moment = ((waits.length + Math.random()) / kills) * span;
          const told = await killedWithin(work, ground, ++round, victims.kill[victim], moment);
          for (const words of told.wrong) console.error(`${work.name}, ${victim}, round ${round}: ${words}`);
          found.push(...told.wrong);
          if (told.within) waits.push(told.taken);
          // The work was over before the kill: that counts for nothing, and says how short the work can be.
          else span = Math.min(span, moment);
          if (!told.within && ++late > kills * 2) throw new Error(`${work.name} is too quick to be killed in`);
        }
        yield figure(
          'faults',
          `${work.name}: ${victim} killed ${kills} times, what was not as promised`,
          found.length,
          null,
          'defects',
          0,
        );
        yield figure(
          'faults',
          `${work.name}: ${victim} killed, until it is up and all is answered, median`,
          median(waits),
          null,
          'ms',
          null,
        );
      }
    }
  } finally {
    await typing.end();
    await ground.pool.end();
    await victims.end();
  }
}

interface Told {
  readonly wrong: readonly string[];
  /** Whether the work was still going on when the kill came. */
  readonly within: boolean;
  /** Milliseconds from the kill until all is answered. */
  readonly taken: number;
}

async function killedWithin(
  work: Work,
  ground: Ground,
  round: number,
  kill: () => Promise<void>,
  after: number,
): Promise<Told> {
  const going = await work.begin(ground, round);
  let over = false;
  const outcome = going.run().then(
    () => ((over = true), null),
    (error: unknown) => String(error),
  );
  await new Promise((resolve) => setTimeout(resolve, after));
  const within = !over;
  const taken = await timed(() => kill().then(() => outcome));
  const failed = await outcome;
  await ground.connectAnew();
  const wrong = [...(failed === null ? await going.wrong() : [failed]), ...(await disagreements(ground))];
  if (failed === null) await going.tidy?.();
  return { wrong, within, taken };
}

/** A round in which nobody is killed: how long it takes, in milliseconds. */
async function quiet(work: Work, ground: Ground, round: number): Promise<number> {
  const going = await work.begin(ground, round);
  const taken = await timed(going.run);
  const wrong = [...(await going.wrong()), ...(await disagreements(ground))];
  if (wrong.length > 0) throw new Error(`${work.name}, with nobody killed: ${wrong.join('; ')}`);
  await going.tidy?.();
  return taken;
}

/** Where memory, catalogue, tables and calculated values do not say the same. */
async function disagreements(ground: Ground): Promise<string[]> {
  const access = await ground.access();
  const served = await ground.call.must<{ version: number }>('GET', `${ofWorkspace}/model`);
  const defects = await structureDefects(ground.pool, access.workspace);
  return [
    ...defects.map(({ table, words }) => `${table}: ${words}`),
    ...(served.version === access.workspace.version
      ? []
      : [`the server holds version ${served.version} of the structure, ${access.workspace.version} is stored`]),
    ...(await wrongAfter(ground.pool, access)).map((label) => `a calculated value of ${label} was wrong`),
  ];
}
