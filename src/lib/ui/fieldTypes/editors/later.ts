import type { Problem } from '$core/base/problem';

export type Settled =
  { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly problem: Problem };

/**
 * A value that was typed and is still being looked up, such as the record that a name stands for: its text is shown at
 * once, and what it is comes later. One goes on typing meanwhile.
 */
export class Later {
  constructor(
    readonly text: string,
    readonly settled: Promise<Settled>,
  ) {}

  /** A text that is no value of its field, with the reason. */
  static refused(text: string, problem: Problem): Later {
    return new Later(text, Promise.resolve({ ok: false, problem }));
  }
}

export interface SettledValues {
  readonly values: Readonly<Record<string, unknown>>;
  /** The first value that is none, and the field it was typed into. */
  readonly problem: Problem | null;
  readonly field: string | null;
}

/** Values with what was being looked up; what is no value stays as its text. */
export async function settleAll(values: Readonly<Record<string, unknown>>): Promise<SettledValues> {
  const settled: Record<string, unknown> = {};
  let [problem, field]: [Problem | null, string | null] = [null, null];
  for (const [key, value] of Object.entries(values)) {
    const answer = value instanceof Later ? await value.settled : ({ ok: true, value } as const);
    settled[key] = answer.ok ? answer.value : value;
    if (!answer.ok && !problem) [problem, field] = [answer.problem, key];
  }
  return { values: settled, problem, field };
}
