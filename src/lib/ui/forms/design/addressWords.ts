/** An address of a form as the API answers it. */
export interface AddressOut {
  readonly id: number;
  readonly path: string;
  readonly label: string;
  readonly expiresAt: string | null;
  readonly most: number | null;
  readonly mostHourly: number;
  readonly closed: boolean;
  readonly entries: number;
}

/** The last second of a day on the person's clocks, RFC 3339. */
export const endOfDay = (day: string): string => new Date(`${day}T23:59:59`).toISOString();

/** Whether an address takes entries, and until when or how many. */
export function addressState(
  { closed, expiresAt, most, mostHourly, entries }: AddressOut,
  now = Date.now(),
): { ended: boolean; words: string } {
  const until =
    expiresAt === null
      ? ''
      : new Date(expiresAt).toLocaleDateString(undefined, { day: 'numeric', month: 'long', year: 'numeric' });
  if (closed) return { ended: true, words: 'closed' };
  if (expiresAt !== null && Date.parse(expiresAt) <= now) return { ended: true, words: `ended on ${until}` };
  if (most !== null && entries >= most) return { ended: true, words: `full: ${most} of ${most} entries` };
  const parts = [
    ...(until ? [`until ${until}`] : []),
    ...(most === null ? [] : [`${most - entries} of ${most} entries left`]),
    `${mostHourly} an hour from one place`,
  ];
  return { ended: false, words: `takes entries ${parts.join(', ')}` };
}
