import Joi from 'joi';

/** The language that somebody reads before others, as their browser says (RFC 9110, 12.5.4). */
export function languageOf(request: Request, asked?: unknown): string {
  const first = String(asked ?? request.headers.get('accept-language') ?? '').split(/[,;]/)[0] ?? '';
  try {
    const [language] = Intl.getCanonicalLocales(first.trim());
    return language ?? 'en';
  } catch {
    return 'en';
  }
}

/** The language that is asked for. */
export const language = Joi.string()
  .max(40)
  .description('of numbers and days, such as `de-AT`; that of the caller unless said');

/** What is said of a file that is saved; what is in a page of HTML runs nowhere. */
export const fileHeaders = (type: string, label: string, ending: string) => ({
  'content-type': type,
  'content-disposition': `attachment; filename="document.${ending}"; filename*=UTF-8''${encodeURIComponent(`${label}.${ending}`)}`,
  'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox",
});

/** Pieces of which the first was taken, so that what is refused is refused before the answer begins. */
export async function* startedWith(
  first: IteratorResult<Uint8Array, void>,
  others: AsyncGenerator<Uint8Array, void>,
): AsyncGenerator<Uint8Array, void> {
  if (first.done !== true) yield first.value;
  yield* others;
}
