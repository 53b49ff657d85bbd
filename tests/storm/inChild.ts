import { authorize } from '../../src/lib/server/access/workspaceAccess';
import { openPool } from '../../src/lib/server/database/pool';
import { storm } from './writers';

/** Writers of a storm in a process of their own: database, workspace, person, how many, seconds. */
const [url = '', workspace = '', person = '', writers = '1', seconds = '1'] = process.argv.slice(2);
const pool = openPool(url, Number(writers) + 2);
const access = await authorize(pool, { id: Number(person), email: '', name: '' }, workspace, 'design');
console.log('begun');
console.log(JSON.stringify(await storm(pool, access, Number(writers), Number(seconds))));
await pool.end();
