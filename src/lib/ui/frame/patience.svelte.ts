/** How long is waited before the server is asked again, in milliseconds: longer each time, up to the last. */
const pauses = [500, 1000, 2000, 4000];
/** Nobody answers behind a proxy, or what answers cannot work just now. */
const away: ReadonlySet<number> = new Set([502, 503, 504]);

/** Whether a page waits for a server that cannot be reached. */
export const waiting = $state({ pages: 0 });

const isPageData = (input: RequestInfo | URL): boolean =>
  new URL(input instanceof Request ? input.url : input, location.href).pathname.endsWith('/__data.json');

/**
 * Lets what a page is made of be asked for until it is answered. A page that reads again what it shows, as somebody
 * else changed it, would become a page that says “500” where the server is away for a moment, and what is being typed
 * would be gone. The framework asks through `window.fetch`, so that it can be put behind another.
 */
export function beginPatience(): void {
  const ask = window.fetch;
  window.fetch = async (input, init) => {
    if (!isPageData(input)) return ask(input, init);
    const first = await reached(ask, input, init);
    if (first) return first;
    waiting.pages++;
    try {
      for (let tries = 0; ; tries++) {
        await new Promise((resolve) => setTimeout(resolve, pauses[Math.min(tries, pauses.length - 1)]));
        const answer = await reached(ask, input, init);
        if (answer) return answer;
      }
    } finally {
      waiting.pages--;
    }
  };
}

/** The answer; null where nobody is there to give one. What was given up by whoever asked stays an error. */
async function reached(ask: typeof fetch, input: RequestInfo | URL, init?: RequestInit): Promise<Response | null> {
  try {
    const answer = await ask(input, init);
    return away.has(answer.status) ? null : answer;
  } catch (error) {
    if (error instanceof TypeError) return null;
    throw error;
  }
}
