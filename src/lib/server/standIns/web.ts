import { notHere } from '../base/refusal';
import { signed, standInsAreOn } from '../http/outbound';

/** What came in at an address of the stand-in, as it came. */
interface Received {
  readonly at: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
  readonly answered: number;
}

/** A server of somebody else’s, as far as we can see of one: what it gets, and how it answers. */
export interface WebAddress {
  readonly name: string;
  /** With which status it answers from now on. */
  readonly answers: number;
  readonly received: readonly (Received & { readonly signature: 'right' | 'wrong' | 'unknown' })[];
}

const mostReceived = 100;
const mostNames = 50;
/** Of a message, in characters. */
const mostKept = 200_000;

interface Kept {
  answers: number;
  secret: string;
  readonly received: Received[];
}

/** Only in memory: whoever starts the server anew has an empty one. */
const addresses = new Map<string, Kept>();

/** The stand-in ships for trying things out; where it is off, nothing is there. */
export function requireStandIns(): void {
  if (!standInsAreOn()) throw notHere('page');
}

export function addressNamed(name: string): Kept {
  const known = addresses.get(name);
  if (known) return known;
  if (addresses.size >= mostNames) addresses.delete(addresses.keys().next().value ?? '');
  const made: Kept = { answers: 200, secret: '', received: [] };
  addresses.set(name, made);
  return made;
}

/** Takes what was sent, and gives the status to answer with. */
export function receive(name: string, headers: Headers, body: string): number {
  const address = addressNamed(name);
  const wanted = [...headers].filter(([key]) => key === 'content-type' || key.startsWith('webhook-'));
  const kept = body.slice(0, mostKept);
  const received = { at: new Date().toISOString(), headers: Object.fromEntries(wanted), body: kept };
  address.received.unshift({ ...received, answered: address.answers });
  address.received.length = Math.min(address.received.length, mostReceived);
  return address.answers;
}

/** Whether what came was signed with the secret that the address knows. */
function signatureOf(secret: string, { headers, body }: Received): 'right' | 'wrong' | 'unknown' {
  if (secret === '') return 'unknown';
  const at = Number(headers['webhook-timestamp']) * 1000;
  const right = signed(secret, headers['webhook-id'] ?? '', body, at)['webhook-signature'];
  return right === headers['webhook-signature'] ? 'right' : 'wrong';
}

export const webAddresses = (): WebAddress[] =>
  [...addresses].map(([name, { answers, secret, received }]) => ({
    name,
    answers,
    received: received.map((one) => ({ ...one, signature: signatureOf(secret, one) })),
  }));
