import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { describe, expect, it } from 'vitest';

/** The house: what each room may import from. Tests may look anywhere. */
const BASE = ['math', 'rig', 'curve', 'take'];
const STACK = [...BASE, 'layer', 'evaluate', 'solve'];
const CORE: Record<string, readonly string[]> = {
  math: [],
  rig: ['math'],
  curve: ['math'],
  take: ['math', 'rig', 'curve'],
  match: ['math', 'rig', 'take'],
  make: ['math', 'rig', 'take', 'match'],
  layer: BASE,
  evaluate: [...BASE, 'layer'],
  solve: [...BASE, 'layer', 'evaluate'],
  check: [...STACK, 'match', 'make'],
  bake: STACK,
  edit: [...STACK, 'match', 'make', 'check', 'bake'],
  format: [...BASE, 'layer', 'match', 'make', 'check'],
};
/** Packages beside the core that each package may use. */
const PACKAGES: Record<string, readonly string[]> = {
  'packages/core': [],
  'packages/demo': ['@evlay/core'],
  'apps/web': ['@evlay/core'],
  'apps/cli': ['@evlay/core'],
  'apps/server': [],
};

const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', 'packages', 'apps'], {
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => /\/src\/.*\.tsx?$/.test(file));

const importsOf = (file: string): string[] =>
  [...readFileSync(file, 'utf8').matchAll(/(?:from|import)\s*\(?\s*'([^']+)'/g)].map((match) => match[1]);

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
    const wrong: string[] = [];
    for (const file of files.filter((name) => name.startsWith(root))) {
      const room = file.slice(root.length).split('/')[0];
      for (const name of importsOf(file)) {
        if (!name.startsWith('.')) {
          if (!['zod', 'fflate', '@gltf-transform/core', 'jsonc-parser'].includes(name))
            wrong.push(`${file} imports ${name}`);
          continue;
        }
        const to = normalize(join(dirname(file), name))
          .slice(root.length)
          .split('/')[0];
        if (!(to in CORE) || to === room || !(room in CORE)) continue;
        if (!CORE[room].includes(to)) wrong.push(`${file} imports ${to}`);
      }
    }
    expect(wrong).toEqual([]);
    for (const room of Object.keys(CORE))
      expect(files.some((file) => file.startsWith(`${root}${room}/`))).toBe(true);
  });
});
