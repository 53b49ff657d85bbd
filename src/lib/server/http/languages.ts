/**
 * The languages that a browser asks for, the most wanted first (Accept-Language, RFC 9110, 12.5.4); none of what is no
 * tag or is not wanted at all.
 */
export const acceptedLanguages = (header: string | null): string[] =>
  (header ?? '')
    .slice(0, 500)
    .split(',')
    .flatMap((part, at) => {
      const [tag = '', ...more] = part.trim().split(';');
      const share = Number(/^\s*q=([\d.]+)\s*$/.exec(more.join(';'))?.[1] ?? 1);
      return /^[a-z]{2,3}(-[a-z0-9]{2,8})*$/i.test(tag) && share > 0 ? [{ tag, share, at }] : [];
    })
    .toSorted((a, b) => b.share - a.share || a.at - b.at)
    .map(({ tag }) => tag);
