import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { Failure } from './fail';

const GROUPS = ['lint', 'types', 'core', 'gateway', 'command', 'studio', 'e2e'] as const;
type Group = (typeof GROUPS)[number];

/** Runs the groups, prints one closing line `N passed, N failed`; returns the exit code. */
export async function test(names: readonly string[]): Promise<number> {
  const unknown = names.filter((n) => !GROUPS.includes(n as Group));
  if (unknown.length) throw new Failure(`there is no test group ${unknown.join(', ')}; there are ${GROUPS.join(', ')}`);
  const wanted = GROUPS.filter((g) => !names.length || names.includes(g));
  const root = process.env.HINGE_ROOT!;
  let passed = 0;
  let failed = 0;
  const tool = (name: string, file: string, args: readonly string[]) => async () => {
    const code = await run(root, [join(root, 'node_modules', file), ...args]);
    process.stdout.write(`${name}: ${code === 0 ? 'clean' : 'failed'}\n`);
    if (code === 0) passed++;
    else failed++;
  };
  if (wanted.includes('lint')) {
    await tool('eslint', 'eslint/bin/eslint.js', ['.', '--max-warnings', '0'])();
    await tool('prettier', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.'])();
  }
  if (wanted.includes('types')) {
    await tool('types', 'typescript/bin/tsc', ['--noEmit', '-p', 'tsconfig.json'])();
    await tool('types of the studio', 'typescript/bin/tsc', ['--noEmit', '-p', 'studio/tsconfig.json'])();
  }
  const projects = wanted.filter((g) => g !== 'lint' && g !== 'types');
  // The browser has the machine to itself: its journeys wait for nothing else.
  for (const set of [projects.filter((p) => p !== 'e2e'), projects.filter((p) => p === 'e2e')]) {
    if (!set.length) continue;
    const counts = await jest(root, set);
    passed += counts.passed;
    failed += counts.failed;
    if (set[0] !== 'e2e' || !counts.fallen.length) continue;
    // A browser on a busy machine may miss its moment. A journey that fails runs once more, from nothing, and both runs are told.
    process.stdout.write(`${counts.fallen.length} of the journeys failed; they run once more\n`);
    const again = await jest(
      root,
      set,
      counts.fallen.map((f) => f.file),
    );
    const first = counts.fallen.reduce((sum, f) => sum + f.failed, 0);
    process.stdout.write(
      `the second run: ${again.passed} passed, ${again.failed} failed; the first had ${first} failed\n`,
    );
    failed += again.failed - first;
    passed += again.passed - counts.fallen.reduce((sum, f) => sum + f.passed, 0);
  }
  process.stdout.write(`${passed} passed, ${failed} failed\n`);
  return failed > 0 || passed === 0 ? 1 : 0;
}

function run(root: string, args: readonly string[]): Promise<number> {
  return new Promise((resolve) => {
    spawn(process.execPath, args, { cwd: root, stdio: 'inherit', env: { ...process.env, NODE_OPTIONS: '' } }).once(
      'close',
      (code) => resolve(code ?? 1),
    );
  });
}

interface Counts {
  readonly passed: number;
  readonly failed: number;
  /** Files with a failure. */
  readonly fallen: readonly { readonly file: string; readonly passed: number; readonly failed: number }[];
}

async function jest(root: string, projects: readonly string[], files: readonly string[] = []): Promise<Counts> {
  const out = join(root, 'node_modules', `.hinge-jest-${process.pid}.json`);
  const inBand = projects.includes('e2e') ? ['--runInBand'] : [];
  const code = await run(root, [
    '--experimental-vm-modules',
    '--no-warnings',
    join(root, 'node_modules/jest/bin/jest.js'),
    '--selectProjects',
    ...projects,
    '--json',
    `--outputFile=${out}`,
    '--passWithNoTests',
    ...inBand,
    ...(files.length ? ['--runTestsByPath', ...files] : []),
  ]);
  const { readFile, rm } = await import('node:fs/promises');
  const report = JSON.parse(await readFile(out, 'utf8').catch(() => '{}')) as {
    numPassedTests?: number;
    testResults?: { name: string; status: string; assertionResults: { status: string }[] }[];
  };
  await rm(out, { force: true });
  const fallen = (report.testResults ?? [])
    .filter((r) => r.status === 'failed')
    .map((r) => {
      const count = (status: string) => r.assertionResults.filter((a) => a.status === status).length;
      return { file: r.name, passed: count('passed'), failed: count('failed') || 1 };
    });
  const failed = fallen.reduce((sum, f) => sum + f.failed, 0);
  // A runner that fell over counts as a failure, whatever it wrote.
  return { passed: report.numPassedTests ?? 0, failed: failed || (code === 0 ? 0 : 1), fallen };
}
