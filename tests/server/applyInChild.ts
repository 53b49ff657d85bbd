import { takeSeat } from '../../src/lib/server/access/seat';
import { openPool } from '../../src/lib/server/database/pool';
import { applyPlan } from '../../src/lib/server/structure/plan';

/** Applies one plan in a process of its own, for a test that ends it half way: database, workspace, person, plan. */
const [url = '', workspace = '', person = '', plan = ''] = process.argv.slice(2);
const pool = openPool(url, 2);
const seat = await takeSeat(pool, { id: Number(person), email: '', name: '' }, workspace, 'administrator');
await applyPlan(pool, seat, Number(plan));
await pool.end();
