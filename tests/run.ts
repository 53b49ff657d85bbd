import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { stripVTControlCharacters } from 'node:util';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';

/** Runs every check of the project and counts them all in the last line. */
interface Counts {
  passed: number;
  failed: number;
  skipped: number;
}

/** What failed, or passed at the second try only, with the beginning of why: said once more at the end, where one looks. */
const said: string[] = [];
const firstLines = (message: string) => stripVTControlCharacters(message).split('\n').slice(0, 12).join('\n    ');

const only = process.argv[2];
const total: Counts = { passed: 0, failed: 0, skipped: 0 };
rmSync('test-results', { recursive: true, force: true });
mkdirSync('test-results', { recursive: true });

interface Check {
  readonly name: string;
  readonly command: string;
  readonly args: readonly string[];
  /** What its report counts; without one it is one check that passes or fails. */
  readonly count?: () => Counts | null;
}

/** Runs one check; its output is shown as it comes, or kept and shown as a whole once it is done. */
async function run({ name, command, args, count }: Check, shown: boolean): Promise<void> {
  if (only && only !== name) return;
  const started = Date.now();
  if (shown) console.log(`\n— ${name}`);
  const output: Buffer[] = [];
  const child = spawn(command, args, { stdio: shown ? 'inherit' : ['ignore', 'pipe', 'pipe'] });
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (piece: Buffer) => output.push(piece));
  const [status] = (await once(child, 'close')) as [number | null];
  const counts = count?.() ?? { passed: status === 0 ? 1 : 0, failed: status === 0 ? 0 : 1, skipped: 0 };
  // A runner that ended badly without a failed test has failed all the same.
  if (status !== 0 && counts.failed === 0) {
    counts.failed = 1;
    said.push(`${name} ended with ${status ?? 'a signal'}, though no test of it failed`);
  }
  for (const key of ['passed', 'failed', 'skipped'] as const) total[key] += counts[key];
  const words = `${name}: ${counts.passed} passed, ${counts.failed} failed, ${counts.skipped} skipped, ${Math.round((Date.now() - started) / 1000)} s`;
  console.log(shown ? words : `\n— ${name}\n${Buffer.concat(output).toString()}${words}`);
}

async function inOrder(checks: readonly Check[], shown: boolean): Promise<void> {
  for (const check of checks) await run(check, shown);
}

function vitestCounts(file: string): Counts | null {
  if (!existsSync(file)) return null;
  const report = JSON.parse(readFileSync(file, 'utf8')) as {
    numPassedTests: number;
    numFailedTests: number;
    numPendingTests: number;
    testResults: {
      name: string;
      status: string;
      message: string;
      assertionResults: { fullName: string; status: string; failureMessages: string[] }[];
    }[];
  };
  for (const { name, status, message, assertionResults } of report.testResults) {
    const failed = assertionResults.filter((one) => one.status === 'failed');
    for (const { fullName, failureMessages } of failed)
      said.push(`${fullName}\n    ${firstLines(failureMessages[0] ?? '')}`);
    if (status === 'failed' && failed.length === 0) said.push(`${name}\n    ${firstLines(message)}`);
  }
  return { passed: report.numPassedTests, failed: report.numFailedTests, skipped: report.numPendingTests };
}

interface Suite {
  readonly specs: {
    title: string;
    tests: { status: string; results: { error?: { message?: string } }[] }[];
  }[];
  readonly suites?: Suite[];
}

const specsOf = (suite: Suite): Suite['specs'] => [...suite.specs, ...(suite.suites ?? []).flatMap(specsOf)];

function playwrightCounts(file: string): Counts | null {
  if (!existsSync(file)) return null;
  const { stats, suites } = JSON.parse(readFileSync(file, 'utf8')) as {
    stats: { expected: number; unexpected: number; flaky: number; skipped: number };
    suites: Suite[];
  };
  for (const spec of suites.flatMap(specsOf))
    for (const { status, results } of spec.tests) {
      if (status === 'expected' || status === 'skipped') continue;
      const why = firstLines(results.find(({ error }) => error)?.error?.message ?? '');
      // Each browser test may be tried twice; what needed it is said, so that it is fixed.
      said.push(`${spec.title}${status === 'flaky' ? ' (passed at the second try only)' : ''}\n    ${why}`);
    }
  return { passed: stats.expected + stats.flaky, failed: stats.unexpected, skipped: stats.skipped };
}

// Two files at once: each waits for PostgreSQL half of its time.
const vitest = (project: string) => [
  'vitest',
  'run',
  '--project',
  project,
  '--reporter=default',
  '--reporter=json',
  '--maxWorkers=2',
  `--outputFile.json=test-results/${project.replace('*', '')}.json`,
];

// Two rows side by side, one a core; what needs the build comes after both.
await Promise.all([
  inOrder(
    [
      { name: 'unit', command: 'npx', args: vitest('core'), count: () => vitestCounts('test-results/core.json') },
      {
        name: 'server',
        command: 'npx',
        args: vitest('server*'),
        count: () => vitestCounts('test-results/server.json'),
      },
    ],
    true,
  ),
  inOrder(
    [
      { name: 'lint', command: 'npx', args: ['eslint', '.', '--max-warnings', '0'] },
      {
        name: 'layers',
        command: 'npx',
        args: ['depcruise', 'src', '--config', '.dependency-cruiser.js'],
      },
      { name: 'exports', command: 'npx', args: ['knip'] },
      { name: 'format', command: 'npx', args: ['prettier', '--check', '.', '--log-level', 'warn'] },
      { name: 'types', command: 'npm', args: ['run', '--silent', 'check'] },
      { name: 'build', command: 'npx', args: ['vite', 'build', '--logLevel', 'error'] },
    ],
    false,
  ),
]);
await run(
  {
    name: 'browser',
    command: 'npx',
    args: ['playwright', 'test'],
    count: () => playwrightCounts('test-results/browser.json'),
  },
  true,
);

if (said.length > 0) console.log(`\n— not as it should be\n  ${said.join('\n  ')}`);
console.log(`\n${total.passed} passed, ${total.failed} failed, ${total.skipped} skipped`);
process.exitCode = total.failed > 0 ? 1 : 0;
