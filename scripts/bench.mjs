import { bundle, installPackages, run } from './run.mjs';

/** Measures how fast the core is: a table, or JSON with `npm run bench -- --json`. */
installPackages();
bundle({ bench: 'bench/main.ts', block: 'bench/block.ts', 'keys-block': 'bench/keys-block.ts' });
process.exit(run('node', ['packages/core/dist/bench.mjs', ...process.argv.slice(2)]));
