import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { CHROMIUM_PACKAGE } from './chromium.mjs';
import { installDebian, installPackages, must, ROOT, run } from './run.mjs';

/**
 * Everything that has to hold: format and lint, types, unit tests, the build, browser tests.
 * Ends with one line that counts what passed and what failed.
 */
const SETUP = join(ROOT, '.setup');

installDebian([
  CHROMIUM_PACKAGE,
  { name: 'redis-server', file: '/usr/bin/redis-server' },
  { name: 'ffmpeg', file: '/usr/bin/ffmpeg' },
  { name: 'assimp-utils', file: '/usr/bin/assimp' },
  { name: 'assimp-testmodels', file: '/usr/share/assimp/models/BVH/01_01.bvh' },
]);
installPackages();
mkdirSync(SETUP, { recursive: true });

let passed = 0;
let failed = 0;
const count = (good, bad) => {
  passed += good;
  failed += bad;
};
const check = (name, command, args) => {
  console.log(`\n${name}`);
  const good = run(command, args) === 0;
  count(good ? 1 : 0, good ? 0 : 1);
};
const report = (name) => JSON.parse(readFileSync(join(SETUP, name), 'utf8'));
for (const name of ['unit.json', 'browser.json']) rmSync(join(SETUP, name), { force: true });

check('Format and lint', 'npx', ['biome', 'check', '.']);
check('Types', 'npx', ['tsc', '--noEmit', '-p', 'tsconfig.json']);

// The command line is tested as it is built, and the browser tests run against the build.
must('node', ['scripts/build.mjs']);

console.log('\nUnit tests');
run('npx', [
  'vitest',
  'run',
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=${join(SETUP, 'unit.json')}`,
]);
try {
  const { numPassedTests, numFailedTests, numFailedTestSuites, success } = report('unit.json');
  count(
    numPassedTests,
    Math.max(numFailedTests, success ? 0 : 1, numFailedTests === 0 ? numFailedTestSuites : 0),
  );
} catch {
  count(0, 1);
}

console.log('\nBrowser tests');
run('npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts']);
try {
  const { expected, unexpected, flaky } = report('browser.json').stats;
  count(expected, unexpected + flaky);
  if (expected === 0) count(0, 1);
} catch {
  count(0, 1);
}

console.log(`\n${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
