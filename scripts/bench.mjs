import { installPackages, must, run } from './run.mjs';

/** Measures how fast the core is: a table, or JSON with `npm run bench -- --json`. */
installPackages();
const folder = 'packages/core/dist';
must('npx', [
  'esbuild',
  'bench=packages/core/bench/main.ts',
  'part=packages/core/bench/part.ts',
  '--bundle',
  '--platform=node',
  '--format=esm',
  '--target=node20',
  '--main-fields=module,main',
  '--log-level=warning',
  `--outdir=${folder}`,
  '--out-extension:.js=.mjs',
]);
process.exit(run('node', [`${folder}/bench.mjs`, ...process.argv.slice(2)]));
