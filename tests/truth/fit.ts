import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { linkCandidates } from '../../src/lib/core/intake/discover';
import { linkWeights as now, type LinkFeature } from '../../src/lib/core/intake/fitted/linkWeights';
import type { IntakeSheet } from '../../src/lib/core/intake/intake';
import { keysOf } from '../../src/lib/core/intake/keys';
import { linkObserved } from '../../src/lib/core/intake/linkEvidence';
import type { Client, Pool } from '../../src/lib/server/database/pool';
import { countedWays } from '../../src/lib/server/intake/discovery/links';
import type { Figure } from '../bench/measure';
import { benchPerson, freshWorkspace } from '../bench/world';
import { brought } from './bring';
import type { TruthCase } from './case';
import { practiceCases } from './cases';
import { fitted, weighed, type Example } from './logistic';
import { packageFiles } from './packages';

const folder = join(import.meta.dirname, '../../src/lib/core/intake/fitted');

interface LinkExample extends Example {
  readonly case: string;
  readonly what: string;
}

/**
 * Fits the weights of what is seen of possible links on the practice half alone, and says what they make of it: each
 * set is judged by weights that were fitted without it, then the weights beside those that are in use. `LOOM_WRITE=1`
 * writes them down.
 */
export async function* fit(pool: Pool): AsyncGenerator<Figure> {
  const examples = await practiceExamples(pool);
  let [right, missed, wrong] = [0, 0, 0];
  for (const name of new Set(examples.map((one) => one.case))) {
    const others = examples.filter((one) => one.case !== name);
    const weights = fitted(others, beforehand, { penalty, steps: 1500 });
    for (const { case: of, what, is, features } of examples) {
      if (of !== name) continue;
      const weight = weighed(features, weights);
      if (is && weight > 0) right++;
      else if (is) missed++;
      else if (weight > 0) wrong++;
      if (is !== weight > 0)
        console.error(`${of} · ${is ? 'missed' : 'wrong'} ${what} (${weight.toFixed(2)}: ${JSON.stringify(features)})`);
    }
  }
  yield figure('links found by weights fitted without their set', right, right + missed);
  yield figure('links proposed that are none, beside those right', wrong, right);
  const weights = fitted(examples, beforehand, { penalty });
  for (const [name, weight] of Object.entries(weights))
    yield figure(name, Number(weight.toFixed(2)), now[name as LinkFeature]);
  if (process.env.LOOM_WRITE) writeWeights('linkWeights', weights);
}

const figure = (name: string, ours: number, against: number): Figure => ({
  bench: 'fit',
  case: name,
  ours,
  against,
  unit: '',
  ratio: against === 0 ? null : Number((ours / against).toPrecision(4)),
  bar: null,
  holds: null,
});

async function practiceExamples(pool: Pool): Promise<LinkExample[]> {
  const examples: LinkExample[] = [];
  const person = await benchPerson(pool);
  for (const [at, one] of practiceCases.entries()) {
    const access = await freshWorkspace(pool, person, `bench_fit_${at}`);
    const read = packageFiles(one.from === 'made up' ? null : one.from);
    const { sheets, problem } = await brought(pool, access, await one.files(read));
    if (sheets.length === 0) throw new Error(`${one.name}: ${problem ?? 'nothing was read'}`);
    const client = await pool.connect();
    try {
      examples.push(...(await linkExamples(client, one, sheets)));
    } finally {
      client.release();
    }
  }
  return examples;
}

/** What is held likely of each feature before any data is looked at. */
const beforehand: Readonly<Record<LinkFeature | 'prior', number>> = {
  prior: -2.5,
  unlikely: 0.6,
  samePattern: 3,
  several: 1,
  calledExactly: 4.5,
  calledAlike: 3.5,
  calledEnd: 3.5,
  calledPart: 0.5,
  calledBetter: -1,
  speaksElsewhere: -2,
  numbersOther: -4,
  numbersSilent: -3,
  metAll: 1.5,
  numbersMet: 0.5,
  metHalf: 1,
  metSome: 0.5,
  metFew: -1.5,
  missing: -5,
  missingCalled: -2.5,
  oneValue: -2.5,
  twoValues: -0.5,
  furtherKey: -1.5,
  rowsAgree: 4,
  rowsDiffer: -3,
  ownKey: -2,
  ownNumbers: -4,
  ownKeyCalled: -0.5,
  ownRow: -8,
  playsPart: 2.5,
  ownSheetPart: -0.5,
  ownSheet: -1.5,
  measure: -2,
  numberToCode: -1,
};

/** How strongly weights are held to what is held likely beforehand. */
const penalty = 0.5;

/** Every pair of columns of which enough values are found, and whether it is a link. */
async function linkExamples(client: Client, one: TruthCase, read: readonly IntakeSheet[]): Promise<LinkExample[]> {
  const sheets = read
    .filter(({ derived }) => !derived)
    .map((sheet) => (sheet.declared?.columns ? sheet : { ...sheet, keys: keysOf(sheet, sheet.unique) }));
  const plain = (name: string) => name.replace(/\s+/g, ' ').trim();
  const placed = (sheet: number, column: number) =>
    `${plain(sheets[sheet]?.name ?? '')}.${plain(sheets[sheet]?.columns[column]?.name ?? '')}`;
  const wanted = new Set(one.truth.links.flatMap((link) => link.split(' | ')));
  const also = new Set(one.truth.alsoLinks ?? []);
  const found: LinkExample[] = [];
  for (const candidate of linkCandidates(sheets)) {
    const what = `${placed(candidate.from.sheet, candidate.from.column)} > ${placed(candidate.to.sheet, candidate.to.column)}`;
    if (also.has(what) && !wanted.has(what)) continue;
    // A column that leads elsewhere itself is no further key.
    if ([...wanted].some((link) => link.startsWith(`${placed(candidate.to.sheet, candidate.to.column)} > `))) continue;
    for await (const { included } of countedWays(client, sheets, candidate)) {
      const observed = linkObserved(sheets, candidate, included);
      const features = Object.fromEntries(observed.map(({ feature, value }) => [feature, value]));
      found.push({ case: one.name, what, is: wanted.has(what), features, counts: 1 });
      break;
    }
  }
  // A set of many tables says the same again and again: it counts as some, not as thousands.
  const counts = Math.min(1, 600 / Math.max(1, found.length));
  return found.map((example) => ({ ...example, counts: example.is ? Math.max(counts, 0.5) : counts }));
}

/** Writes weights into the file that holds them, each in its place. */
function writeWeights(name: string, weights: Readonly<Record<string, number>>): void {
  const path = join(folder, `${name}.ts`);
  const text = readFileSync(path, 'utf8').replace(
    /^ {2}(\w+): -?[\d.]+,$/gm,
    (_line, feature: string) => `  ${feature}: ${Number((weights[feature] ?? 0).toFixed(2))},`,
  );
  writeFileSync(path, text);
}
