import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { must, ROOT } from './run.mjs';

/**
 * Builds the demo, the application, the server and the command line, unless nothing has changed since the last
 * build.
 */
export function build() {
  const mark = join(ROOT, '.setup', 'built');
  const wanted = sourceHash();
  const built = [
    'apps/web/dist/index.html',
    'apps/web/dist/review.html',
    'apps/web/dist/demo/lamp-lighting.evlay',
    'apps/server/dist/main.mjs',
    'apps/cli/dist/main.mjs',
  ];
  const complete = built.every((file) => existsSync(join(ROOT, file)));
  if (complete && existsSync(mark) && readFileSync(mark, 'utf8') === wanted) return;
  console.log('Building …');
  for (const part of ['kernel', 'cli', 'demo', 'review', 'web', 'server'])
    must('npm', ['run', '--silent', `build:${part}`]);
  mkdirSync(join(ROOT, '.setup'), { recursive: true });
  writeFileSync(mark, wanted);
}

/** A digest of everything that goes into the build. */
function sourceHash() {
  const list = execFileSync(
    'git',
    ['ls-files', '-co', '--exclude-standard', 'apps', 'packages', 'package-lock.json'],
    { cwd: ROOT, encoding: 'utf8' },
  );
  const hash = createHash('sha256');
  for (const file of list.split('\n').filter(Boolean).sort()) {
    if (/\.test\.ts$|\/test\/|\/bench\//.test(file) || !existsSync(join(ROOT, file))) continue;
    hash.update(file).update(readFileSync(join(ROOT, file)));
  }
  return hash.digest('hex');
}

if (process.argv[1]?.endsWith('build.mjs')) build();
