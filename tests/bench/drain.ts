import { openPool } from '../../src/lib/server/database/pool';
import { beginSending, queueConnections } from '../../src/lib/server/sending/outgoing';

/**
 * A process of its own that sends what is in the queue until it is told to end; then it says by how many megabytes its
 * memory grew at most, looked at each two seconds.
 */
const url = process.env.DATABASE_URL ?? '';
const used = (): number => {
  globalThis.gc?.();
  return process.memoryUsage().heapUsed / 1e6;
};
const runner = await beginSending(openPool(url, 8), openPool(url, queueConnections));
process.stdout.write('ready\n');
const before = used();
let most = before;
const timer = setInterval(() => (most = Math.max(most, used())), 2_000);
process.on('SIGTERM', () => {
  clearInterval(timer);
  process.stdout.write(`${most - before}\n`);
  void runner.stop().finally(() => process.exit(0));
});
