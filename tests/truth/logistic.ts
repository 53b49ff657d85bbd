/** One example: how much of each feature was seen, and whether it was one of those that are looked for. */
export interface Example {
  readonly features: Readonly<Record<string, number>>;
  readonly is: boolean;
  /** How much it counts. */
  readonly counts: number;
}

/** By feature, with `prior`. */
type Weights = Readonly<Record<string, number>>;

/**
 * Weights of a logistic regression with a penalty on how far they are from those that are held likely beforehand (a
 * Gaussian prior), by gradient descent with momentum on the whole of the examples. Weights keep the sign that they are
 * given beforehand: what speaks for something never comes to speak against it by accident of few examples.
 */
export function fitted(
  examples: readonly Example[],
  before: Weights,
  { penalty, steps = 4000 }: { readonly penalty: number; readonly steps?: number },
): Weights {
  const names = Object.keys(before);
  const weights = names.map((name) => before[name] ?? 0);
  const speed = names.map(() => 0);
  const rows = examples.map(({ features, is, counts }) => ({
    values: names.map((name) => (name === 'prior' ? 1 : (features[name] ?? 0))),
    is: is ? 1 : 0,
    counts,
  }));
  const all = rows.reduce((sum, { counts }) => sum + counts, 0);
  for (let step = 0; step < steps; step++) {
    const slope = names.map((name, at) => (penalty * ((weights[at] ?? 0) - (before[name] ?? 0))) / all);
    for (const { values, is, counts } of rows) {
      const sum = values.reduce((total, value, at) => total + value * (weights[at] ?? 0), 0);
      const likely = 1 / (1 + Math.exp(-sum));
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
  return Object.fromEntries(names.map((name, at) => [name, weights[at] ?? 0]));
}

/** What weights make of an example: above 0 it is likelier one of those that are looked for than none. */
export const weighed = (features: Example['features'], weights: Weights): number =>
  Object.entries(features).reduce((sum, [feature, value]) => sum + value * (weights[feature] ?? 0), weights.prior ?? 0);
