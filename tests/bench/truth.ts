import type { Pool } from '../../src/lib/server/database/pool';
import { brought } from '../truth/bring';
import type { TruthCase } from '../truth/case';
import { truthCases } from '../truth/cases';
import { packageFiles } from '../truth/packages';
import { judge, parts, said, type Judged } from '../truth/score';
import type { Figure } from './measure';
import { benchPerson, freshWorkspace } from './world';

/**
 * What is proposed for real data against what a person would say of it: right of wanted, and what is proposed that is
 * none, with the names; first of the sets that are looked at while proposals are made better, then of those that are
 * only measured with.
 */
export async function* truth(pool: Pool): AsyncGenerator<Figure> {
  const only = process.env.LOOM_WORK;
  const cases = truthCases.filter(({ name }) => !only || name.includes(only));
  const person = await benchPerson(pool);
  const judged: { half: TruthCase['half']; one: Judged }[] = [];
  for (const [at, one] of cases.entries()) {
    const { from } = one;
    const read = packageFiles(from === 'made up' ? null : from);
    const access = await freshWorkspace(pool, person, `bench_truth_${at}`);
    const { sheets, proposal, problem } = await brought(pool, access, await one.files(read));
    if (!proposal) throw new Error(`${one.name}: ${problem ?? 'nothing was proposed'}`);
    if (process.env.LOOM_SHOW) console.error(one.name, [...said(sheets, proposal).types].join(' '));
    for (const each of judge(one, said(sheets, proposal))) judged.push({ half: one.half, one: each });
  }
  for (const half of ['practice', 'measure'] as const)
    for (const part of parts) {
      const own = judged.flatMap(({ half: of, one }) => (of === half && one.part === part ? [one] : []));
      for (const one of own.filter(({ is }) => is !== 'right'))
        console.error(`${half} · ${part} · ${one.case}: ${one.is} ${one.what} (${one.said})`);
      const count = (is: Judged['is']) => own.filter((each) => each.is === is).length;
      const [right, wrong] = [count('right'), count('wrong')];
      const wanted = right + count('missed');
      if (own.length === 0) continue;
      yield shares(`${half}: ${part} that are right, of those wanted`, right, wanted);
      yield shares(`${half}: ${part} proposed that are none, beside those right`, wrong, right);
    }
}

const shares = (name: string, ours: number, against: number): Figure => ({
  bench: 'truth',
  case: name,
  ours,
  against,
  unit: '',
  ratio: against === 0 ? null : Number((ours / against).toPrecision(4)),
  bar: null,
  holds: null,
});
