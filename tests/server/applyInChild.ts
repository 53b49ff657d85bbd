import { authorize } from '../../src/lib/server/access/workspaceAccess';
import { openPool } from '../../src/lib/server/database/pool';
import { applyPlan } from '../../src/lib/server/structure/plan';

/** Applies one plan in a process of its own, for a test that ends it half way: database, workspace, person, plan. */
const [url = '', workspace = '', person = '', plan = ''] = process.argv.slice(2);
const pool = openPool(url, 2);
const access = await authorize(pool, { id: Number(person), email: '', name: '' }, workspace, 'design');
await applyPlan(pool, access, Number(plan));
await pool.end();
