import type { Problem } from '$core/base/problem';

/** What is told while documents are made, a line each. */
interface Told {
  readonly made?: number;
  readonly count?: number;
  readonly bytes?: number;
  /** Where the file is, once it is there. */
  readonly file?: string;
  readonly notes?: readonly string[];
  readonly problem?: Problem;
}

/** Documents being made: how far it is, and what is to be said of them. */
export class Making {
  made = $state(0);
  count = $state(0);
  bytes = $state(0);
  notes = $state.raw<readonly string[]>([]);
  isOn = $state(false);
  isDone = $state(false);
  private stop = new AbortController();

  /** Makes them and saves the file; gives why it did not, null where it did or was cancelled. */
  async begin(path: string, asked: object): Promise<Problem | null> {
    [this.made, this.count, this.bytes, this.notes, this.isOn, this.isDone] = [0, 0, 0, [], true, false];
    this.stop = new AbortController();
    try {
      const response = await fetch(path, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(asked),
        signal: this.stop.signal,
      });
      if (!response.ok || !response.body) {
        const answer = (await response.json().catch(() => ({}))) as { detail?: string; fix?: string };
        return { message: answer.detail ?? 'The server gave no answer.', ...(answer.fix ? { fix: answer.fix } : {}) };
      }
      return await this.follow(response.body);
    } catch {
      if (this.stop.signal.aborted) return null;
      return { message: 'The connection was lost; nothing was saved.', fix: 'Try again.' };
    } finally {
      this.isOn = false;
    }
  }

  cancel(): void {
    this.stop.abort();
  }

  private async follow(body: ReadableStream<Uint8Array<ArrayBuffer>>): Promise<Problem | null> {
    const reader = body.pipeThrough(new TextDecoderStream()).getReader();
    let rest = '';
    for (;;) {
      const { done, value = '' } = await reader.read();
      const lines = (rest + value).split('\n');
      rest = lines.pop() ?? '';
      for (const line of lines.filter((one) => one !== '')) {
        const problem = this.told(JSON.parse(line) as Told);
        if (problem) return problem;
      }
      if (done) return this.isDone ? null : { message: 'The server stopped before it was done.', fix: 'Try again.' };
    }
  }

  private told({ made, count, bytes, file, notes, problem }: Told): Problem | null {
    if (problem) return problem;
    this.made = made ?? this.made;
    this.count = count ?? this.count;
    this.bytes = bytes ?? this.bytes;
    this.notes = notes ?? this.notes;
    if (file !== undefined) {
      this.isDone = true;
      location.assign(file);
    }
    return null;
  }
}
