import { say } from '$core/base/say';
import type { Field } from '$core/types/field';
import { call, workspacePath } from '../api';

/** What is in a field, as the server counted it. */
export interface FieldFacts {
  readonly field: string;
  readonly records: number;
  readonly filled: number;
  readonly distinct: number | null;
  readonly least: string | null;
  readonly greatest: string | null;
  readonly frequent: readonly { readonly value: string; readonly count: number }[];
  readonly setAside: number;
}

/** So many fields are counted at a time: the page's other questions to the server do not wait behind them. */
const atOnce = 2;

/** The facts of a table's fields, arriving one by one while the page stands already. */
export class TableFacts {
  found = $state.raw<Readonly<Record<string, FieldFacts>>>({});
  private stopped = false;

  constructor(
    private readonly workspace: string,
    private readonly table: string,
    /** What the table looked like when it was counted; another shape is counted anew. */
    readonly shape: string,
  ) {}

  /** Counts the fields in their order; ends when `stop` is called. */
  async count(fields: readonly Field[]): Promise<void> {
    const waiting = [...fields];
    const work = async () => {
      for (let field = waiting.shift(); field && !this.stopped; field = waiting.shift()) {
        const answer = await call<FieldFacts>(
          'GET',
          workspacePath(this.workspace, `/tables/${this.table}/fields/${field.id}/facts`),
        );
        if (answer.ok && !this.stopped) this.found = { ...this.found, [field.id]: answer.value };
      }
    };
    await Promise.all(Array.from({ length: atOnce }, work));
  }

  stop(): void {
    this.stopped = true;
  }
}

/** What is in a field in a few words: its most frequent values, or how far they reach. */
export function factWords(facts: FieldFacts, isCounterpart: boolean): string {
  if (facts.filled === 0) return '';
  if (isCounterpart)
    return say('{0} links, {1} at most', (facts.distinct ?? 0).toLocaleString(), facts.frequent[0]?.count ?? 0);
  const { least, greatest, frequent, distinct } = facts;
  if (least !== null && greatest !== null && distinct !== null && distinct > 3) return `${least} … ${greatest}`;
  const words = frequent.map(({ value, count }) => (count > 1 ? `${value} ${count.toLocaleString()}` : value));
  return words.join(' · ') + (distinct !== null && distinct > frequent.length ? ' …' : '');
}
