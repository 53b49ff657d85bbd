import { allStructureDefects, repairStructure } from '../src/lib/server/health/repairStructure';
import { openPool } from '../src/lib/server/database/pool';

/** ./loom repair: says where structures differ from the tables that stand; with a workspace's key, fixes that one. */
const key = process.argv[2];
const pool = openPool(process.env.DATABASE_URL ?? '', 2);
const line = ({ table, words }: { table: string; words: string }) => `    ${table ? `${table}: ` : ''}${words}`;
try {
  if (key === undefined) {
    const all = await allStructureDefects(pool);
    for (const { workspace, defects } of all) console.log([`  ${workspace}`, ...defects.map(line)].join('\n'));
    console.log(all.length === 0 ? 'Every structure is what its tables are.' : 'Fix one with: ./loom repair WORKSPACE');
  } else {
    const { defects, by, left } = await repairStructure(pool, key);
    if (defects.length === 0) console.log(`The structure of ${key} is what its tables are; nothing was changed.`);
    else if (by)
      console.log(
        [`Fixed ${key} from ${by === 'history' ? 'its history' : 'the tables that stand'}:`, ...defects.map(line)].join(
          '\n',
        ),
      );
    else {
      console.error([`${key} could not be fixed; nothing was changed. What is left:`, ...left.map(line)].join('\n'));
      process.exitCode = 1;
    }
  }
} catch (error) {
  console.error(`loom: ${error instanceof Error ? error.message : String(error)}`);
  process.exitCode = 1;
}
await pool.end();
