import { refuse } from '../base/refusal';

const tooLarge = (words: string) => refuse(413, `The request is larger than ${words}.`, 'Send it in parts.');

/**
 * The body of a request, of which no more than `most` bytes are ever held: what says that it is larger is refused
 * before anything is read, what is larger without saying so as soon as it is.
 */
export async function bodyWithin(request: Request, most: number, words: string): Promise<Uint8Array<ArrayBuffer>> {
  if (Number(request.headers.get('content-length') ?? 0) > most) throw tooLarge(words);
  const chunks: Uint8Array[] = [];
  let size = 0;
  const reader = request.body?.getReader();
  while (reader) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.length;
    if (size > most) {
      // What is still to come is not waited for.
      void reader.cancel().catch(() => undefined);
      throw tooLarge(words);
    }
    chunks.push(value);
  }
  const body = new Uint8Array(size);
  let at = 0;
  for (const chunk of chunks) {
    body.set(chunk, at);
    at += chunk.length;
  }
  return body;
}

const utf8 = new TextDecoder('utf-8', { fatal: true });

/** The body as text; one that is no UTF-8 is refused, as reading it would alter it. */
export async function textWithin(request: Request, most: number, words: string): Promise<string> {
  const body = await bodyWithin(request, most, words);
  try {
    return utf8.decode(body);
  } catch {
    throw refuse(400, 'The body is no UTF-8.', 'Send it as UTF-8.');
  }
}
