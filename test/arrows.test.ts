import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { describe, expect, it } from 'vitest';

/** The house: what each room may import from, in the core and in the web application. Tests may look anywhere. */
/** `job` says what long work is, to all that takes long. */
const BASE = ['job', 'math', 'rig', 'curve', 'take'];
const STACK = [...BASE, 'layer', 'evaluate', 'solve'];
const CORE: Record<string, readonly string[]> = {
  job: [],
  kernel: [],
  math: [],
  rig: ['math'],
  curve: ['math'],
  take: ['math', 'rig', 'curve'],
  match: ['math', 'rig', 'take'],
  make: ['math', 'rig', 'take', 'match'],
  layer: [...BASE, 'motion'],
  evaluate: [...BASE, 'kernel', 'layer'],
  solve: [...BASE, 'layer', 'evaluate'],
  motion: [...BASE],
  check: [...STACK, 'motion', 'match', 'make'],
  keys: [...BASE, 'layer'],
  bake: [...STACK, 'keys', 'format'],
  cross: [...STACK, 'match', 'make', 'check'],
  kit: [...STACK, 'make', 'check'],
  edit: [...STACK, 'motion', 'cross', 'match', 'make', 'check', 'kit', 'keys', 'bake', 'format'],
  format: [...BASE, 'kernel', 'layer', 'match', 'make', 'check', 'keys', 'kit'],
  apply: [...STACK, 'check', 'kit', 'keys', 'bake', 'edit', 'format'],
};
const SHARED = ['ui', 'theme', 'storage', 'editor'];
const WORK = [...SHARED, 'workers', 'jobs', 'commands', 'gestures', 'controls', 'timeline'];
const WEB: Record<string, readonly string[]> = {
  ui: [],
  theme: [],
  storage: [],
  workers: ['ui', 'storage'],
  editor: ['ui'],
  jobs: ['ui', 'storage', 'editor', 'workers'],
  commands: ['ui', 'theme', 'storage', 'editor', 'workers', 'jobs'],
  gestures: [...SHARED, 'commands'],
  controls: [...SHARED, 'workers', 'jobs', 'commands', 'gestures'],
  timeline: [...SHARED, 'commands', 'gestures', 'controls'],
  view: WORK,
  lanes: WORK,
  curves: WORK,
  'body-map': WORK,
  poses: WORK,
  panel: WORK,
  takes: WORK,
  bake: WORK,
  locker: [...WORK, 'poses'],
  sheet: WORK,
  film: [...WORK, 'view'],
  routes: [
    ...WORK,
    'view',
    'lanes',
    'curves',
    'body-map',
    'panel',
    'poses',
    'takes',
    'bake',
    'locker',
    'sheet',
    'film',
  ],
};
/** Packages beside the core that each package may use. */
const PACKAGES: Record<string, readonly string[]> = {
  'packages/core': [],
  'packages/demo': ['@evlay/core'],
  'packages/batch': ['@evlay/core'],
  'packages/player': ['@evlay/core'],
  'apps/web': ['@evlay/core', '@evlay/player'],
  'apps/review': ['@evlay/core', '@evlay/player'],
  'apps/cli': ['@evlay/core', '@evlay/batch'],
  'apps/server': [],
};

const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', 'packages', 'apps'], {
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => /\/src\/.*\.tsx?$/.test(file));

const importsOf = (file: string): string[] =>
  [...readFileSync(file, 'utf8').matchAll(/(?:from\s|import\s|import\()\s*'([^']+)'/g)].map(
    (match) => match[1],
  );

/** Imports below a root that go from a room to one that it may not use. Every room has to be named. */
function wrongIn(root: string, rooms: Record<string, readonly string[]>): string[] {
  const wrong = Object.keys(rooms).filter(
    (room) => !files.some((file) => file.startsWith(`${root}${room}/`)),
  );
  for (const file of files.filter((name) => name.startsWith(root))) {
    const [room, inside] = file.slice(root.length).split('/');
    if (inside === undefined) continue;
    if (!(room in rooms)) wrong.push(`${file} is in a room that is not named`);
    for (const name of importsOf(file).filter((one) => one.startsWith('.'))) {
      const path = normalize(join(dirname(file), name)).slice(root.length);
      const to = path.includes('/') ? path.split('/')[0] : room;
      if (to !== room && !rooms[room]?.includes(to)) wrong.push(`${file} imports ${to}`);
    }
  }
  return wrong;
}

describe('imports point one way', () => {
  it('between packages', () => {
    const wrong: string[] = [];
    for (const file of files) {
      const home = Object.keys(PACKAGES).find((folder) => file.startsWith(`${folder}/`))!;
      for (const name of importsOf(file)) {
        const own =
          name.startsWith('@evlay/') && !PACKAGES[home].includes(name.split('/').slice(0, 2).join('/'));
        const leaves = name.startsWith('.') && !normalize(join(dirname(file), name)).startsWith(home);
        if (own || leaves) wrong.push(`${file} imports ${name}`);
      }
    }
    expect(wrong).toEqual([]);
    expect(files.length).toBeGreaterThan(60);
  });

  it('inside the core, and out of it to nothing but plain libraries', () => {
    const root = 'packages/core/src/';
    expect(wrongIn(root, CORE)).toEqual([]);
    const libraries = ['zod', 'fflate', 'meshoptimizer/decoder'];
    const strange = files
      .filter((file) => file.startsWith(root))
      .flatMap((file) => importsOf(file))
      .filter((name) => !name.startsWith('.') && !libraries.includes(name));
    expect(strange).toEqual([]);
  });

  it('inside the web application', () => {
    expect(wrongIn('apps/web/src/', WEB)).toEqual([]);
  });

  it('and no folder has more files than one takes in at a look', () => {
    const counts = new Map<string, number>();
    for (const file of files) counts.set(dirname(file), (counts.get(dirname(file)) ?? 0) + 1);
    expect([...counts].filter(([, count]) => count > 25)).toEqual([]);
  });

  it('and documents name files that are there', () => {
    const all = execFileSync('git', ['ls-files', '-co', '--exclude-standard'], { encoding: 'utf8' }).split(
      '\n',
    );
    const documents = all.filter(
      (file) => /^(docs\/.*|CONTRIBUTING|README)\.md$/.test(file) || /^[A-Z]+\.md$/.test(file),
    );
    const strange = documents.flatMap((document) =>
      [...readFileSync(document, 'utf8').matchAll(/`([\w.-]+(?:\/[\w.-]+)+\.(?:tsx?|mjs))`/g)]
        .map((match) => match[1])
        .filter((name) => !all.some((file) => file === name || file.endsWith(`/${name}`)))
        .map((name) => `${document}: ${name}`),
    );
    expect(strange).toEqual([]);
  });
});
