import { makeToken } from '../src/lib/server/access/tokens';
import { openPool } from '../src/lib/server/database/pool';

const at = process.argv.indexOf('--as');
const email = at > 0 ? (process.argv[at + 1] ?? '') : 'ida@alderfold.example';
const pool = openPool(process.env.DATABASE_URL ?? '', 1);
try {
  console.log(await makeToken(pool, email, 'made by ./loom token'));
} catch (error) {
  console.error(
    `loom: ${error instanceof Error ? error.message : String(error)} Run ./loom demo first if there is no demo database yet.`,
  );
  process.exitCode = 1;
}
await pool.end();
