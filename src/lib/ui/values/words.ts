/** How long ago an instant was, in words: “3 hours ago”. */
export function agoWords(instant: string, now = Date.now()): string {
  const seconds = Math.round((now - new Date(instant).getTime()) / 1000);
  const steps: [number, Intl.RelativeTimeFormatUnit][] = [
    [60, 'second'],
    [60, 'minute'],
    [24, 'hour'],
    [30, 'day'],
    [12, 'month'],
    [Infinity, 'year'],
  ];
  let count = seconds;
  for (const [size, unit] of steps) {
    if (Math.abs(count) < size) return new Intl.RelativeTimeFormat('en', { numeric: 'auto' }).format(-count, unit);
    count = Math.round(count / size);
  }
  return '';
}

/** How long something took, from milliseconds. */
export const tookWords = (milliseconds: number): string =>
  milliseconds < 1 ? 'under 1 ms' : `${Math.round(milliseconds).toLocaleString()} ms`;

export { counted } from '$core/base/counted';

/** A size in bytes as people say it. */
export const byteWords = (bytes: number): string =>
  bytes >= 1e9
    ? `${(bytes / 1e9).toFixed(1)} GB`
    : bytes > 1e6
      ? `${(bytes / 1e6).toFixed(1)} MB`
      : `${Math.max(1, Math.round(bytes / 1000))} kB`;
