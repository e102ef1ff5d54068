import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readSkeleton, splitGlb } from '@evlay/core/format';
import { validateBytes } from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import { CAPTURE, threeGlbReader, threeReader } from '../../../packages/core/test/capture.js';
import { figureGlb } from '../../../packages/demo/src/glb.js';
import { PLACES, WICK } from '../../../packages/demo/src/wick/skeleton.js';

const COMMAND = join(import.meta.dirname, '../bin/evlay.mjs');
const folder = mkdtempSync(join(tmpdir(), 'evlay-fit-'));
const file = (name: string) => join(folder, name);

const evlay = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...args], {
    cwd: folder,
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
};

/** Wick's skeleton with one plain piece of skin, so that it is made in no time. */
const wick = () =>
  figureGlb(
    'Wick',
    WICK,
    PLACES.map(({ at }) => at),
    [
      {
        name: 'coat',
        color: '#8F7A5C',
        shape: ([x, y, z]) => Math.hypot(x, y - 1.2, z) - 0.1,
        low: [-0.2, 1, -0.2],
        high: [0.2, 1.4, 0.2],
        cell: 0.05,
        bones: ['Chest', 'Spine'],
      },
    ],
  );

describe('evlay fit', () => {
  beforeAll(async () => {
    copyFileSync(CAPTURE, file('jumps.bvh'));
    writeFileSync(file('wick.glb'), await wick());
  });

  it('puts a capture on a character, as three reads both', async () => {
    // Hands that keep their distances move arms; here every bone points as the capture's does.
    const fit = ['fit', 'jumps.bvh', '--rig', 'wick.glb', '--json', '--out'];
    const near = JSON.parse(evlay(...fit, 'near.glb').stdout);
    expect(near.handsMoved.some(({ joint }: { joint: string }) => joint === 'RightHand')).toBe(true);
    const run = evlay(...fit, 'fitted.glb', '--no-hands');
    expect(run.status).toBe(0);
    expect(JSON.parse(run.stdout).handsMoved).toEqual([]);
    expect(run.stderr).toMatch(/warning: 29 of 53 joints are matched to none and rest: .*Lantern/);
    const summary = JSON.parse(run.stdout);
    expect(summary).toMatchObject({
      joints: 53,
      matched: 24,
      frames: 2752,
      mapping: { LeftForearm: 'LeftForeArm' },
    });
    const bytes = readFileSync(file('fitted.glb'));
    expect((await validateBytes(bytes)).issues.numErrors).toBe(0);
    const [old, now] = ['wick.glb', 'fitted.glb'].map((name) =>
      JSON.parse(splitGlb(readFileSync(file(name))).json),
    );
    for (const field of ['meshes', 'materials', 'skins', 'nodes', 'scenes'])
      expect(now[field]).toEqual(old[field]);
    const fitted = await threeGlbReader(bytes);
    const capture = threeReader(readFileSync(CAPTURE, 'utf8'));
    for (const s of [0, 300, 1200, 2700]) {
      const [own, theirs] = [fitted(s / 120), capture(s * 0.0083333)];
      // Legs lean a little, so that feet stay where they stand.
      for (const [a, b, c, d, degrees] of [
        ['LeftUpperLeg', 'LeftLowerLeg', 'LeftUpLeg', 'LeftLeg', 6],
        ['RightForearm', 'RightHand', 'RightForeArm', 'RightHand', 0.1],
      ] as const) {
        const [u, v] = [own.get(b)!.sub(own.get(a)!), theirs.get(d)!.sub(theirs.get(c)!)];
        expect((u.angleTo(v) * 180) / Math.PI).toBeLessThan(degrees);
      }
    }
  });

  it('takes a mapping, and writes BVH too; a stack whose rig is that file bakes onto it', () => {
    writeFileSync(
      file('map.json'),
      JSON.stringify({ format: 'evlay-mapping', version: 1, joints: { Hips: 'Hips', Head: 'Head' } }),
    );
    const run = evlay(
      'fit',
      'jumps.bvh',
      '--rig',
      'wick.glb',
      '--mapping',
      'map.json',
      '--out',
      'two.bvh',
      '--json',
    );
    expect(JSON.parse(run.stdout)).toMatchObject({ matched: 2, mapping: { Hips: 'Hips', Head: 'Head' } });
    const stack = {
      format: 'evlay-stack',
      version: 1,
      fps: 120,
      range: [0, 60],
      rig: 'wick.glb',
      layers: [
        { name: 'Base', take: { file: 'two.bvh' } },
        { name: 'Nod', mode: 'additive', channels: { Neck: { rx: { keys: [[0, 10]] } } } },
      ],
    };
    writeFileSync(file('stack.json'), JSON.stringify(stack));
    expect(evlay('bake', 'stack.json', '--out', 'baked.glb').status).toBe(0);
    const baked = readSkeleton(readFileSync(file('baked.glb')));
    expect(baked.gltf.skins).toHaveLength(1);
    expect(baked.gltf.animations).toHaveLength(1);
  });

  it.each([
    ['no rig', ['fit', 'jumps.bvh', '--out', 'x.glb'], 2, /--rig/],
    [
      'a rig that is missing',
      ['fit', 'jumps.bvh', '--rig', 'no.glb', '--out', 'x.glb'],
      1,
      /no\.glb: no such file/,
    ],
    [
      'a rig that is none',
      ['fit', 'jumps.bvh', '--rig', 'jumps.bvh', '--out', 'x.glb'],
      1,
      /jumps\.bvh: .*expected a/,
    ],
    [
      'a mapping with an unknown joint',
      ['fit', 'jumps.bvh', '--rig', 'wick.glb', '--mapping', 'odd.json', '--out', 'x.glb'],
      1,
      /odd\.json: joints\["Hips"\]: unknown joint "Fin", expected a joint of the take/,
    ],
    [
      'a mapping that is none',
      ['fit', 'jumps.bvh', '--rig', 'wick.glb', '--mapping', 'jumps.bvh', '--out', 'x.glb'],
      1,
      /jumps\.bvh: .*not JSON, expected a mapping/,
    ],
  ])('%s: one line, the right status, and nothing is written', (_, args, status, message) => {
    writeFileSync(
      file('odd.json'),
      JSON.stringify({ format: 'evlay-mapping', version: 1, joints: { Hips: 'Fin' } }),
    );
    const run = evlay(...args);
    expect(run.status).toBe(status);
    expect(run.stderr).toMatch(message);
    expect(run.stderr.trim().split('\n')).toHaveLength(1);
    expect(readdirSync(folder).filter((name) => name.startsWith('x.'))).toEqual([]);
  });

  it('has the events of a capture listed by info, at its own rate and at another', () => {
    const events = (...more: string[]): [string, number][] =>
      JSON.parse(evlay('info', 'jumps.bvh', '--events', '--json', ...more).stdout).events;
    const own = events();
    expect(own[0]).toEqual(['start', 0]);
    expect(own.at(-1)).toEqual(['end', 2751]);
    for (const name of ['leftLeg down', 'rightLeg up', 'apex'])
      expect(own.some(([event]) => event === name)).toBe(true);
    expect(own.map(([, frame]) => frame)).toEqual(own.map(([, frame]) => frame).toSorted((a, b) => a - b));
    const slow = events('--fps', '30');
    const apex = (list: [string, number][]) =>
      list.filter(([event]) => event === 'apex').map(([, frame]) => frame);
    expect(apex(slow)).toHaveLength(apex(own).length);
    for (const [k, frame] of apex(slow).entries()) expect(Math.abs(4 * frame - apex(own)[k])).toBeLessThan(4);
    const none = evlay('info', 'wick.glb', '--events');
    expect([none.status, none.stderr]).toEqual([1, expect.stringMatching(/no motion in it/)]);
  });
});
