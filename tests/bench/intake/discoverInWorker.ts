import { parentPort, workerData } from 'node:worker_threads';
import { encodeTable } from '../../../src/lib/core/intake/discovery/encoded';
import { discover, type SearchLimits } from '../../../src/lib/core/intake/discovery/search';
import { flatNames, flatRow } from './flatSheet';

/** Encodes and searches a sheet of so many rows; making its texts does not count. */
const { rows: count, limits } = workerData as { rows: number; limits: SearchLimits };
const rows = Array.from({ length: count }, (_, i) => flatRow(i));
const started = performance.now();
const { keys, dependencies } = discover(encodeTable(flatNames, rows), rows.length, limits);
parentPort?.postMessage({
  milliseconds: performance.now() - started,
  keys: keys.length,
  // hive → keeper_code and the like: what the sheet was made with has to be there.
  found: [
    'hive>keeper_code',
    'hive>apiary',
    'keeper_code>phone',
    'apiary>height',
    'queen>queen_line',
    'keeper_code>village',
  ].filter((wanted) =>
    dependencies.some(
      ({ determinants, dependent }) =>
        determinants.length === 1 && `${flatNames[determinants[0] ?? 0]}>${flatNames[dependent]}` === wanted,
    ),
  ).length,
});
