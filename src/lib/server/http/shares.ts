import pLimit, { type LimitFunction } from 'p-limit';
import { refuse } from '../refusal';

/** Lets each person have so many calls going on at once; further ones wait, and too many of those are refused. */
export function sharing(most: number, mostWaiting: number): <T>(person: number, work: () => Promise<T>) => Promise<T> {
  const limits = new Map<number, LimitFunction>();
  return async (person, work) => {
    const limit = limits.get(person) ?? pLimit(most);
    limits.set(person, limit);
    if (limit.pendingCount >= mostWaiting)
      throw Object.assign(refuse(429, 'Too many of your calls wait for an answer.', 'Wait until some of them are answered.'), { details: { retryAfter: 5 } });
    try {
      return await limit(work);
    } finally {
      if (limit.activeCount + limit.pendingCount === 0) limits.delete(person);
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

/** Makes an answer that is sent while it is made, within a person's share of such answers, which it holds until it is sent. */
export function download(share: ReturnType<typeof sharing>, person: number, make: () => Promise<Response>, idle = leastRead): Promise<Response> {
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
