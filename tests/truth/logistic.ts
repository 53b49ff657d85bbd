/** One example: how much of each feature was seen, and whether it was one of those that are looked for. */
export interface Example {
  readonly features: Readonly<Record<string, number>>;
  readonly is: boolean;
  /** How much it counts. */
  readonly counts: number;
}

interface Fit {
  /** Weights by feature, with `prior`. */
  readonly weights: Readonly<Record<string, number>>;
  /** The mean loss, in natural logarithms. */
  readonly loss: number;
}

/**
 * Weights of a logistic regression with a penalty on how far they are from those that are held likely beforehand (a
 * Gaussian prior), by gradient descent with momentum on the whole of the examples. Weights keep the sign that they are
 * given beforehand: what speaks for something never comes to speak against it by accident of few examples.
 */
export function fitted(
  examples: readonly Example[],
  before: Readonly<Record<string, number>>,
  { penalty, steps = 4000 }: { readonly penalty: number; readonly steps?: number },
): Fit {
  const names = Object.keys(before);
  const weights = names.map((name) => before[name] ?? 0);
  const speed = names.map(() => 0);
  const rows = examples.map(({ features, is, counts }) => ({
    values: names.map((name) => (name === 'prior' ? 1 : (features[name] ?? 0))),
    is: is ? 1 : 0,
    counts,
  }));
  const all = rows.reduce((sum, { counts }) => sum + counts, 0);
  let loss = 0;
  for (let step = 0; step < steps; step++) {
    const slope = names.map((name, at) => (penalty * ((weights[at] ?? 0) - (before[name] ?? 0))) / all);
    loss = 0;
    for (const { values, is, counts } of rows) {
      const sum = values.reduce((total, value, at) => total + value * (weights[at] ?? 0), 0);
      const likely = 1 / (1 + Math.exp(-sum));
      loss -= (counts / all) * Math.log(Math.max(1e-12, is ? likely : 1 - likely));
      values.forEach((value, at) => {
        if (value !== 0) slope[at] = (slope[at] ?? 0) + ((likely - is) * value * counts) / all;
      });
    }
    names.forEach((name, at) => {
      speed[at] = 0.9 * (speed[at] ?? 0) - 0.5 * (slope[at] ?? 0);
      const next = (weights[at] ?? 0) + (speed[at] ?? 0);
      const sign = Math.sign(before[name] ?? 0);
      weights[at] = sign !== 0 && Math.sign(next) === -sign ? 0 : next;
    });
  }
  return { weights: Object.fromEntries(names.map((name, at) => [name, weights[at] ?? 0])), loss };
}
