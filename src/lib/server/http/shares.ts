import { refuse } from '../base/refusal';

export interface ShareLimits {
  /** Calls of one person, or from one place, that go on at once; further ones wait. */
  readonly most: number;
  /** Calls that wait; further ones are refused. */
  readonly waiting: number;
  /**
   * Milliseconds of calls that somebody may have before they have one at a time, and how many of these they get back in
   * each millisecond: who asks for quick things never notices, who asks for heavy ones leaves room for the others.
   */
  readonly budget?: { readonly most: number; readonly back: number };
}

/** One person’s calls: those that go on, those that wait in their order, and what is left of the budget. */
interface Line {
  going: number;
  readonly waiting: (() => void)[];
  left: number;
  at: number;
}

export type Share = <T>(of: number | string, work: () => Promise<T>) => Promise<T>;

/** How often those who have all of their share back are forgotten, in milliseconds. */
const forgottenEvery = 60_000;

/** Lets each person, or each place, have their share of calls, and no more. */
export function sharing({ most, waiting, budget = { most: Infinity, back: 0 } }: ShareLimits): Share {
  const lines = new Map<number | string, Line>();
  const leftOf = (line: Line): number => {
    const now = performance.now();
    [line.left, line.at] = [Math.min(budget.most, line.left + (now - line.at) * budget.back), now];
    return line.left;
  };
  const begin = (line: Line) => {
    while (line.waiting.length > 0 && (line.going === 0 || (line.going < most && leftOf(line) > 0))) {
      line.going++;
      line.waiting.shift()?.();
    }
  };
  setInterval(() => {
    for (const [of, line] of lines)
      if (line.going + line.waiting.length === 0 && leftOf(line) >= budget.most) lines.delete(of);
  }, forgottenEvery).unref();
  return async (of, work) => {
    const line = lines.get(of) ?? { going: 0, waiting: [], left: budget.most, at: performance.now() };
    lines.set(of, line);
    if (line.waiting.length >= waiting)
      throw Object.assign(
        refuse(429, 'Too many of your calls wait for an answer.', 'Wait until some of them are answered.'),
        { details: { retryAfter: 5 } },
      );
    await new Promise<void>((go) => {
      line.waiting.push(go);
      begin(line);
    });
    const began = performance.now();
    try {
      return await work();
    } finally {
      line.going--;
      // What waited for somebody else's long change is not held against anybody for long.
      line.left = Math.max(-budget.most, leftOf(line) - (performance.now() - began));
      // Not at once: calls that wait for nothing would follow each other without letting anything else be read or sent
      // between.
      if (line.waiting.length > 0) setImmediate(() => begin(line));
    }
  };
}

/** What is sent and not read for so long is broken off, in milliseconds: it holds a connection of the database. */
const leastRead = 60_000;

/** A stream that ends as soon as nobody reads it any more; `over` is called however it ends. */
function whileRead(body: ReadableStream<Uint8Array>, over: () => void, idle: number): ReadableStream<Uint8Array> {
  const reader = body.getReader();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const end = () => (clearTimeout(timer), over());
  const wait = (controller: ReadableStreamDefaultController<Uint8Array>) => {
    timer = setTimeout(() => {
      end();
      void reader.cancel().catch(() => undefined);
      controller.error(new Error('nobody read what was sent'));
    }, idle);
  };
  return new ReadableStream<Uint8Array>(
    {
      start: wait,
      async pull(controller) {
        clearTimeout(timer);
        const { done, value } = await reader.read().catch((error: unknown) => {
          end();
          throw error;
        });
        if (done) return (end(), controller.close());
        controller.enqueue(value);
        wait(controller);
      },
      async cancel(reason) {
        end();
        await reader.cancel(reason);
      },
    },
    { highWaterMark: 0 },
  );
}

/**
 * Makes an answer that is sent while it is made, within a person's share of such answers, which it holds until it is
 * sent.
 */
export function download(
  share: Share,
  person: number,
  make: () => Promise<Response>,
  idle = leastRead,
): Promise<Response> {
  return new Promise((resolve, reject) => {
    const work = async () => {
      const response = await make();
      await new Promise<void>((over) => {
        if (response.body === null) return (resolve(response), over());
        resolve(new Response(whileRead(response.body, over, idle), response));
      });
    };
    share(person, work).catch(reject);
  });
}
