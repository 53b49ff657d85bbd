import { randomUUID } from 'node:crypto';

/** How long a caller asks again before they give up, in milliseconds. */
const patience = 60_000;
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

export interface Answer {
  readonly status: number;
  readonly json: unknown;
}

/**
 * Calls as a careful program does: whatever breaks off, is answered with 503, or still goes on elsewhere, is sent again
 * under the same key. Anything else is the answer; nothing within a minute is an error that says what was last heard.
 */
export class Caller {
  constructor(
    readonly origin: string,
    readonly token: string,
  ) {}

  async send(
    method: string,
    path: string,
    body?: unknown,
    key: string | null = method === 'GET' ? null : randomUUID(),
  ): Promise<Answer> {
    const until = Date.now() + patience;
    let heard = 'nothing';
    while (Date.now() < until) {
      const answer = await this.once(method, path, body, key).catch((error: unknown) => {
        heard = String(error);
        return null;
      });
      const again =
        answer !== null &&
        (answer.status === 503 || (answer.status === 409 && (answer.json as { going?: boolean }).going === true));
      if (answer && !again) return answer;
      if (answer) heard = JSON.stringify(answer);
      await pause(100);
    }
    throw new Error(`${method} ${path} had no answer within ${patience / 1000} s; last heard: ${heard}`);
  }

  private async once(method: string, path: string, body: unknown, key: string | null): Promise<Answer> {
    const isForm = body instanceof FormData;
    const response = await fetch(`${this.origin}${path}`, {
      method,
      headers: {
        ...(path.startsWith('/api/forms/') ? {} : { authorization: `Bearer ${this.token}` }),
        ...(key === null ? {} : { 'idempotency-key': key }),
        ...(isForm || body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      signal: AbortSignal.timeout(30_000),
      ...(body === undefined ? {} : { body: isForm ? body : JSON.stringify(body) }),
    });
    return { status: response.status, json: await response.json() };
  }

  /** The same where only success is right. */
  async must<T>(method: string, path: string, body?: unknown): Promise<T> {
    const { status, json } = await this.send(method, path, body);
    if (status >= 300) throw new Error(`${method} ${path} was answered ${status}: ${JSON.stringify(json)}`);
    return json as T;
  }
}
