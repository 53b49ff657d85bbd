import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';

/** Runs every check of the project, one after the other, and counts them all in the last line. */
interface Counts {
  passed: number;
  failed: number;
  skipped: number;
}

const only = process.argv[2];
const total: Counts = { passed: 0, failed: 0, skipped: 0 };
rmSync('test-results', { recursive: true, force: true });
mkdirSync('test-results', { recursive: true });

function run(name: string, command: string, args: readonly string[], count: () => Counts | null): void {
  if (only && only !== name) return;
  const started = Date.now();
  console.log(`\n— ${name}`);
  const { status } = spawnSync(command, args, { stdio: 'inherit' });
  const counts = count() ?? { passed: status === 0 ? 1 : 0, failed: status === 0 ? 0 : 1, skipped: 0 };
  // A runner that ended badly without a failed test has failed all the same.
  if (status !== 0 && counts.failed === 0) counts.failed = 1;
  for (const key of ['passed', 'failed', 'skipped'] as const) total[key] += counts[key];
  console.log(`${name}: ${counts.passed} passed, ${counts.failed} failed, ${counts.skipped} skipped, ${Math.round((Date.now() - started) / 1000)} s`);
}

function vitestCounts(file: string): Counts | null {
  if (!existsSync(file)) return null;
  const report = JSON.parse(readFileSync(file, 'utf8')) as { numPassedTests: number; numFailedTests: number; numPendingTests: number };
  return { passed: report.numPassedTests, failed: report.numFailedTests, skipped: report.numPendingTests };
}

function playwrightCounts(file: string): Counts | null {
  if (!existsSync(file)) return null;
  const { stats } = JSON.parse(readFileSync(file, 'utf8')) as { stats: { expected: number; unexpected: number; flaky: number; skipped: number } };
  // Each browser test may be tried twice; what needed it is said, so that it is mended.
  if (stats.flaky > 0) console.log(`${stats.flaky} browser tests passed at the second try only; each hides a race that wants mending.`);
  return { passed: stats.expected + stats.flaky, failed: stats.unexpected, skipped: stats.skipped };
}

const vitest = (project: string) => [
  'vitest',
  'run',
  '--project',
  project,
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=test-results/${project}.json`,
];

run('lint', 'npx', ['eslint', '.', '--max-warnings', '0'], () => null);
run('format', 'npx', ['prettier', '--check', '.', '--log-level', 'warn'], () => null);
run('types', 'npm', ['run', '--silent', 'check'], () => null);
run('unit', 'npx', vitest('core'), () => vitestCounts('test-results/core.json'));
run('server', 'npx', vitest('server'), () => vitestCounts('test-results/server.json'));
run('build', 'npx', ['vite', 'build', '--logLevel', 'error'], () => null);
run('browser', 'npx', ['playwright', 'test'], () => playwrightCounts('test-results/browser.json'));

console.log(`\n${total.passed} passed, ${total.failed} failed, ${total.skipped} skipped`);
process.exitCode = total.failed > 0 ? 1 : 0;
