import { installPackages, must, run } from './run.mjs';

/** Measures how fast the core is: a table, or JSON with `npm run bench -- --json`. */
installPackages();
const bundle = 'packages/core/dist/bench.mjs';
must('npx', [
  'esbuild',
  'packages/core/bench/main.ts',
  '--bundle',
  '--platform=node',
  '--format=esm',
  '--target=node20',
  '--main-fields=module,main',
  '--log-level=warning',
  `--outfile=${bundle}`,
]);
process.exit(run('node', [bundle, ...process.argv.slice(2)]));
