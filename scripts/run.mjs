import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project's root. */
export const ROOT = join(dirname(fileURLToPath(import.meta.url)), '..');

/** Runs a command in the project, shows what it prints, and returns its exit status. */
export function run(command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { cwd: ROOT, stdio: 'inherit', ...options });
  if (error) console.error(`${command}: ${error.message}`);
  return status ?? 1;
}

/** Runs a command and ends with its status if it fails. */
export function must(command, args, options) {
  const status = run(command, args, options);
  if (status !== 0) process.exit(status);
}

/** Installs the packages of the lock file, unless they are installed already. */
export function installPackages() {
  const lock = join(ROOT, 'package-lock.json');
  const mark = join(ROOT, 'node_modules', '.installed');
  const wanted = `${readFileSync(lock, 'utf8').length} ${statSync(lock).size} ${process.version}`;
  if (
    existsSync(mark) &&
    readFileSync(mark, 'utf8') === wanted &&
    statSync(mark).mtimeMs > statSync(lock).mtimeMs
  )
    return;
  console.error('Installing packages …');
  // What it prints goes to standard error: standard output may be read by a program.
  must('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], { stdio: ['ignore', 2, 2] });
  mkdirSync(dirname(mark), { recursive: true });
  writeFileSync(mark, wanted);
}

/** Installs Debian packages of which a file is missing. */
export function installDebian(needs) {
  const missing = needs.filter(({ file }) => !existsSync(file)).map(({ name }) => name);
  if (missing.length === 0) return;
  const isRoot = process.getuid?.() === 0;
  if (!isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status !== 0) {
    console.error(
      `These Debian packages are missing, and only root can install them: apt-get install ${missing.join(' ')}`,
    );
    process.exit(1);
  }
  console.log(`Installing the Debian packages ${missing.join(', ')} …`);
  const root = isRoot ? [] : ['sudo'];
  const apt = (args) => {
    const [command, ...rest] = [...root, 'apt-get', ...args];
    must(command, rest, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  };
  apt(['update', '-qq']);
  apt(['install', '-y', '-qq', '--no-install-recommends', ...missing]);
}

/** Starts the built application on a port; the promise settles when it answers. */
export async function startServer(port, output = 'ignore') {
  const child = spawn(process.execPath, ['apps/server/dist/main.mjs'], {
    cwd: ROOT,
    stdio: ['ignore', output, 'inherit'],
    env: { ...process.env, PORT: String(port) },
  });
  for (let tries = 0; tries < 100; tries++) {
    if (child.exitCode !== null) throw new Error('The server did not start.');
    const answer = await fetch(`http://127.0.0.1:${port}/`).catch(() => undefined);
    if (answer?.ok) return child;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  child.kill();
  throw new Error('The server does not answer.');
}

/** Bundles TypeScript of the core for Node.js into its folder `dist`, each entry under its name. */
export const bundle = (entries) =>
  must('npx', [
    'esbuild',
    ...Object.entries(entries).map(([name, file]) => `${name}=packages/core/${file}`),
    '--bundle',
    '--platform=node',
    '--format=esm',
    '--target=node20',
    '--main-fields=module,main',
    '--log-level=warning',
    '--outdir=packages/core/dist',
    '--out-extension:.js=.mjs',
  ]);
