/** One figure: ours beside the other side of the comparison, from the same run. */
export interface Figure {
  readonly bench: string;
  readonly case: string;
  readonly ours: number;
  readonly against: number | null;
  readonly unit: string;
  /** ours / against. */
  readonly ratio: number | null;
  /** The most the ratio (or, without another side, ours) may be; null where none is set. */
  readonly bar: number | null;
  readonly holds: boolean | null;
}

const round = (value: number) => Number(value.toPrecision(4));

export function figure(
  bench: string,
  name: string,
  ours: number,
  against: number | null,
  unit: string,
  bar: number | null,
): Figure {
  const ratio = against === null ? null : ours / against;
  const measured = ratio ?? ours;
  return {
    bench,
    case: name,
    ours: round(ours),
    against: against === null ? null : round(against),
    unit,
    ratio: ratio === null ? null : round(ratio),
    bar,
    holds: bar === null ? null : measured <= bar,
  };
}

export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;
}
export const median = (values: readonly number[]): number => quantile(values, 0.5);

/** Milliseconds that work takes. */
export async function timed(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}

/**
 * Runs both sides in turn, who begins changing each time, and gives their times; the first rounds warm up and do not
 * count.
 */
export async function alternating(
  rounds: number,
  warm: number,
  ours: () => Promise<unknown>,
  theirs: () => Promise<unknown>,
): Promise<{ ours: number[]; theirs: number[] }> {
  const times = { ours: [] as number[], theirs: [] as number[] };
  for (let round = 0; round < rounds + warm; round++) {
    const sides = [
      ['ours', ours],
      ['theirs', theirs],
    ] as const;
    for (const [side, work] of round % 2 === 0 ? sides : [...sides].reverse()) {
      const taken = await timed(work);
      if (round >= warm) times[side].push(taken);
    }
  }
  return times;
}
