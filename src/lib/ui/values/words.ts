import { say, spokenCode } from '$core/base/say';

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
    if (Math.abs(count) < size)
      return new Intl.RelativeTimeFormat(spokenCode(), { numeric: 'auto' }).format(-count, unit);
    count = Math.round(count / size);
  }
  return '';
}

/** How long something took, from milliseconds. */
export const tookWords = (milliseconds: number): string =>
  milliseconds < 1 ? 'under 1 ms' : `${Math.round(milliseconds).toLocaleString()} ms`;

/** A count with its unit, in the language of the interface: “1 record”, “240 records”. */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  say(`{0} ${count === 1 ? one : many}`, count.toLocaleString('en'));

/** A size in bytes as people say it. */
export const byteWords = (bytes: number): string =>
  bytes >= 1e9
    ? `${(bytes / 1e9).toFixed(1)} GB`
    : bytes > 1e6
      ? `${(bytes / 1e6).toFixed(1)} MB`
      : `${Math.max(1, Math.round(bytes / 1000))} kB`;
