import { spawn, spawnSync } from 'node:child_process';
import {
  copyFileSync,
  existsSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { compileStack, evaluateStack, restPose } from '@evlay/core';
import { readProject, readReview, readStack, writeProject } from '@evlay/core/format';
import { globalMatrices, rigHeight } from '@evlay/core/rig';
import { unzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { assimpReader, CAPTURE, threeGlbReader, threeReader } from '../../../packages/core/test/capture.js';
import { evaluateReference, worldOf } from '../../../packages/core/test/reference.js';

const COMMAND = join(import.meta.dirname, '../bin/evlay.mjs');
const folder = mkdtempSync(join(tmpdir(), 'evlay-cli-'));
copyFileSync(CAPTURE, join(folder, 'walk.bvh'));
writeFileSync(join(folder, 'broken.glb'), 'no glb');

const evlay = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...args], {
    cwd: folder,
    encoding: 'utf8',
  });
  return { status, stdout, stderr };
};

const STACK = {
  format: 'evlay-stack',
  version: 1,
  fps: 120,
  range: [0, 600],
  layers: [
    { name: 'Base', take: { file: 'walk.bvh' } },
    {
      name: 'Arm',
      weight: {
        keys: [
          [50, 0],
          [120, 1, 'linear'],
          [400, 0.5],
        ],
      },
      mask: { rightArm: 1, rightHand: 0.5 },
      channels: {
        RightArm: {
          rx: { keys: [[0, 40]] },
          rz: {
            keys: [
              [0, 10],
              [300, -60],
            ],
          },
        },
      },
    },
    {
      name: 'Lean',
      mode: 'additive',
      weight: 1.5,
      span: { start: 100, end: 500, fadeIn: 60 },
      channels: { LowerBack: { rx: { keys: [[0, 8]] } }, Hips: { ty: { keys: [[0, -1.5]] } } },
    },
  ],
};
writeFileSync(join(folder, 'stack.json'), JSON.stringify(STACK));

/** Layers of every kind over the capture: takes, loops, axes, placement, curves, masks, spans, solo. */
const EVERYTHING = {
  format: 'evlay-stack',
  version: 1,
  fps: 120,
  range: [0, 2700],
  metresPerUnit: 0.0254,
  parts: { tool: ['RThumb'] },
  limbs: {
    leftLeg: { chain: ['LeftUpLeg', 'LeftLeg', 'LeftFoot'], bend: [0, 0, 1] },
    rightLeg: { chain: ['RightUpLeg', 'RightLeg', 'RightFoot'], bend: [0, 0, 1] },
    rightArm: { chain: ['RightArm', 'RightForeArm', 'RightHand'], bend: [0, 0, -1] },
  },
  layers: [
    { name: 'Base', take: { file: 'walk.bvh' }, time: { offset: 30, speed: 0.9 } },
    {
      name: 'Other way round',
      take: { file: 'walk.bvh' },
      solo: true,
      weight: {
        keys: [
          [0, 0],
          [900, 0.8],
          [1800, 0.2, 'hold'],
          [2400, 0.6],
        ],
      },
      mask: {
        leftLeg: 1,
        leftFoot: {
          keys: [
            [0, 0.2],
            [2000, 1],
          ],
        },
        hips: 0.5,
        torso: 0.4,
        tool: 1,
      },
      time: { offset: -200, speed: -1.25, loop: 'travel', cycle: [100, 1700.5] },
      placement: {
        pivot: [3, 0, -2],
        ry: {
          keys: [
            [0, 0],
            [2700, 130],
          ],
        },
        tx: 4,
        rz: 5,
      },
    },
    {
      name: 'Breath',
      mode: 'additive',
      solo: true,
      take: { file: 'walk.bvh', reference: 700 },
      weight: 0.25,
      joints: { Neck: 0.5 },
      time: { speed: 2, loop: 'repeat' },
    },
    {
      name: 'From rest',
      mode: 'additive',
      solo: true,
      take: { file: 'walk.bvh', reference: 'rest' },
      mask: { rightArm: 0.3 },
      span: { start: 300.5, end: 2000, fadeIn: 200, fadeOut: 90, shape: 'linear' },
    },
    { name: 'Not heard', mode: 'override', channels: { Head: { rx: { keys: [[0, 90]] } } } },
    {
      name: 'Sway in the world',
      mode: 'additive',
      axes: 'world',
      solo: true,
      weight: 1.4,
      time: { loop: 'repeat', cycle: [0, 240] },
      channels: {
        LowerBack: {
          rz: {
            keys: [
              [0, -6],
              [120, 6],
              [240, -6],
            ],
          },
        },
        Head: {
          ry: {
            keys: [
              [30, 0],
              [60, 25, { ease: 'bezier', out: [20, 5] }],
              [100, -10, 'linear'],
              [180, 0],
            ],
          },
        },
      },
    },
    {
      name: 'Ahead of the character',
      mode: 'additive',
      axes: 'character',
      solo: true,
      channels: {
        Hips: {
          tz: {
            keys: [
              [0, 0],
              [2700, 8],
            ],
          },
          ry: {
            keys: [
              [500, 0],
              [1500, 720],
            ],
          },
        },
        Neck: { rx: { keys: [[0, 12]] } },
      },
    },
    {
      name: 'Reaching',
      solo: true,
      weight: {
        keys: [
          [0, 0],
          [400, 1],
          [900, 0.3],
        ],
      },
      targets: [
        {
          joint: 'RightHand',
          space: { joint: 'Head' },
          at: {
            tx: {
              keys: [
                [0, -6],
                [1200, 2],
              ],
            },
            ty: -3,
            tz: 8,
          },
          turn: {
            rx: 10,
            ry: {
              keys: [
                [0, 40],
                [900, -40],
              ],
            },
          },
          toward: { tx: -20, ty: -10, tz: 5 },
        },
      ],
    },
    {
      name: 'Feet',
      solo: true,
      weight: 0.9,
      contacts: {
        fade: 30,
        hips: true,
        limbs: {
          leftLeg: {
            points: [
              { joint: 'LeftFoot', floor: 1.5 },
              { joint: 'LeftToeBase', floor: 0.4 },
            ],
            spans: [
              [300, 500],
              [900.5, 1100],
            ],
          },
          rightLeg: {
            points: [{ joint: 'RightToeBase', floor: 0.4 }],
            spans: [
              [420, 560],
              [1600, 1640],
            ],
          },
        },
      },
    },
    {
      name: 'One angle',
      solo: true,
      weight: 0.7,
      channels: {
        RightForeArm: { rx: { keys: [[0, 5]] } },
        Hips: {
          ty: {
            keys: [
              [0, 18],
              [1000, 17],
            ],
          },
        },
      },
    },
  ],
};

/** A stack that bends an elbow backwards, with a crate that moves. */
const BROKEN = {
  ...STACK,
  props: [{ name: 'Crate', at: [20, 5, 10], turn: [0, 30, 0] }],
  layers: [
    STACK.layers[0],
    {
      id: 'twist',
      name: 'Twist',
      mode: 'additive',
      channels: {
        Head: {
          ry: {
            keys: [
              [0, 0],
              [300, 100],
              [600, 0],
            ],
          },
        },
      },
    },
    {
      name: 'Pushed',
      channels: {
        Crate: {
          tx: {
            keys: [
              [0, 20, 'linear'],
              [600, 50],
            ],
          },
        },
      },
    },
  ],
};

describe('evlay check', () => {
  const check = (...args: string[]) => evlay('check', 'broken.json', ...args);
  writeFileSync(join(folder, 'broken.json'), JSON.stringify(BROKEN));

  it('lists findings with their causes, and says by its status whether they are grave', () => {
    const { status, stdout, stderr } = check('--json');
    expect({ status, stderr }).toEqual({ status: 3, stderr: '' });
    const { findings } = JSON.parse(stdout);
    const turned = findings.find(
      (one: { joint: string; kind: string }) => one.kind === 'range' && one.joint === 'Head',
    );
    expect(turned).toMatchObject({ unit: 'degrees', grade: 'warn' });
    expect(Math.abs(turned.frame - 300)).toBeLessThan(20);
    expect(turned.from).toBeLessThan(300);
    expect(turned.to).toBeGreaterThan(300);
    expect(turned.causes[0].layer).toBe('twist');
    // What is beyond the range of its takes is what the layer turned it by, but for what the take does itself.
    expect(Math.abs(turned.causes[0].amount - 100)).toBeLessThan(40);
    const sum = turned.causes.reduce((all: number, { amount }: { amount: number }) => all + amount, 0);
    expect(sum).toBeCloseTo(turned.amount, 6);
    // The same as a table.
    expect(check().stdout).toMatch(/warn +range +Head .* degrees at 30\d +Twist/);
  });

  it('takes limits from a file, and the status from the grade that is asked for', () => {
    writeFileSync(
      join(folder, 'wide.json'),
      '{"range": [170, 175, 180], "through": [90, 90, 90], "pop": [1e9, 1e9, 1e9], "slide": [90, 90, 90], "floor": [90, 90, 90]}',
    );
    const wide = check('--limits', 'wide.json');
    expect(wide.stdout).not.toMatch(/range +Head/);
    expect(wide.status).toBe(0);
    expect(check('--limits', 'wide.json', '--grade', 'note').status).toBe(/note/.test(wide.stdout) ? 3 : 0);
    expect(check('--grade', 'warn').status).toBe(3);
    writeFileSync(join(folder, 'wrong.json'), '{"range": [170, 75, 180]}');
    expect(check('--limits', 'wrong.json')).toMatchObject({ status: 1, stdout: '' });
    expect(check('--limits', 'wrong.json').stderr).toMatch(/^evlay: wrong\.json: range: .*ascend\n$/);
    expect(check('--grade', 'awful').status).toBe(2);
    expect(evlay('check', 'none.bvh')).toMatchObject({
      status: 1,
      stderr: 'evlay: none.bvh: no such file\n',
    });
  });

  it('looks at a take alone', () => {
    const { status, stdout } = evlay('check', 'walk.bvh', '--json');
    expect(status).toBe(3);
    const { findings } = JSON.parse(stdout);
    // Its first sample is a pose of its own, as its file shows: all angles are 0. Measured over a thirtieth of a second,
    // four samples, the leap out of it is at sample 4.
    const leaps = findings.filter(
      (one: { kind: string; frame: number }) => one.kind === 'pop' && one.frame === 4,
    );
    expect(leaps.map(({ joint }: { joint: string }) => joint)).toEqual(['Hips']);
    // No joint is beyond what the take itself does.
    expect(
      findings.filter(({ kind, more }: { kind: string; more?: string }) => kind === 'range' && !more),
    ).toEqual([]);
  });
});

describe('evlay bake --props', () => {
  it('writes props as nodes beside the character, and refuses them in BVH', async () => {
    expect(evlay('bake', 'broken.json', '--out', 'props.glb', '--props')).toMatchObject({ status: 0 });
    const read = (await threeGlbReader(readFileSync(join(folder, 'props.glb'))))(2.5);
    expect(read.get('Crate')!.x).toBeCloseTo(35, 3);
    expect(evlay('bake', 'broken.json', '--out', 'plain.glb').status).toBe(0);
    const plain = (await threeGlbReader(readFileSync(join(folder, 'plain.glb'))))(2.5);
    expect(plain.has('Crate')).toBe(false);
    const refused = evlay('bake', 'broken.json', '--out', 'props.bvh', '--props');
    expect(refused).toMatchObject({ status: 1, stdout: '' });
    expect(refused.stderr).toMatch(/^evlay: props\.bvh: .*expected a \.glb/);
  });
});

/** How far the joints of two GLB files are apart, in metres, at some of their times, as three plays them. */
async function glbsApart(a: string, b: string, times: readonly number[]): Promise<number> {
  const [one, other] = await Promise.all(
    [a, b].map((file) => threeGlbReader(readFileSync(join(folder, file)))),
  );
  return Math.max(
    ...times.map((time) => {
      const [p, q] = [one(time), other(time)];
      return Math.max(...[...p].flatMap(([name, at]) => (q.has(name) ? [at.distanceTo(q.get(name)!)] : [])));
    }),
  );
}

/** The JSON of a binary glTF file. */
function glbJson(file: string): { animations: { samplers: { interpolation: string }[] }[] } {
  const bytes = readFileSync(join(folder, file));
  return JSON.parse(bytes.subarray(20, 20 + bytes.readUInt32LE(12)).toString('utf8'));
}

describe('a long bake on the command line', () => {
  it.each(['long.glb', 'long.bvh'])('to %s takes no memory for its length', (out) => {
    const hook = 'data:text/javascript,process.on("exit",()=>console.log(process.resourceUsage().maxRSS))';
    const bake = (range: string) => {
      const { status, stdout } = spawnSync(
        process.execPath,
        ['--import', hook, COMMAND, 'bake', 'stack.json', '--range', range, '--out', out],
        { cwd: folder, encoding: 'utf8' },
      );
      expect(status).toBe(0);
      return Number(stdout) / 1024;
    };
    // In megabytes: all samples at once would be 600 more.
    expect(bake('0:250000')).toBeLessThan(350);
    expect(statSync(join(folder, out)).size / 2 ** 20).toBeGreaterThan(120);
    rmSync(join(folder, out));
  });
});

describe('few keys on the command line', () => {
  const TIMES = [0, 0.7, 1.5, 2.25, 3.1, 4.4, 5];

  it('are baked within what is asked, and counted; a BVH has none', async () => {
    expect(evlay('bake', 'stack.json', '--out', 'all.glb').status).toBe(0);
    const { status, stdout } = evlay(
      'bake',
      'stack.json',
      '--out',
      'few.glb',
      '--tolerance',
      '0.05',
      '--json',
    );
    expect(status).toBe(0);
    const { keys } = JSON.parse(stdout);
    expect(keys.after).toBeLessThan(keys.before / 4);
    expect(keys.error).toMatchObject({ joint: expect.any(String), frame: expect.any(Number) });
    expect(keys.error.length).toBeLessThanOrEqual(0.05);
    expect(await glbsApart('all.glb', 'few.glb', TIMES)).toBeLessThan(0.05);
    const refused = evlay('bake', 'stack.json', '--out', 'few.bvh', '--angle', '1');
    expect([refused.status, refused.stderr]).toEqual([
      1,
      'evlay: few.bvh: BVH holds every frame, expected a .glb for --tolerance, --angle and --straight\n',
    ]);
    expect(evlay('bake', 'stack.json', '--out', 'straight.glb', '--straight').status).toBe(0);
    const { animations } = glbJson('straight.glb');
    expect(animations[0].samplers.every(({ interpolation }) => interpolation === 'LINEAR')).toBe(true);
    // At the times of samples: between these a line is not held to anything.
    const onSamples = [0, 84, 180, 270, 600].map((sample) => sample / 120);
    expect(await glbsApart('all.glb', 'straight.glb', onSamples)).toBeLessThan(0.05);
    expect(evlay('bake', 'stack.json', '--out', 'few.glb', '--tolerance', '0').status).toBe(2);
  });

  it('hold a merged run, in a stack that looks the same wherever it is put; layers are named plainly', async () => {
    mkdirSync(join(folder, 'merged'), { recursive: true });
    const out = 'merged/stack.json';
    const { status, stdout } = evlay(
      'merge',
      'stack.json',
      '--from',
      'Base',
      '--to',
      'Arm',
      '--out',
      out,
      '--json',
    );
    expect(status).toBe(0);
    expect(JSON.parse(stdout)).toMatchObject({
      kind: 'base',
      layer: 'Base',
      merged: ['Base', 'Arm'],
      dropped: [],
    });
    const stack = JSON.parse(readFileSync(join(folder, out), 'utf8'));
    expect(stack.rig).toBe('../walk.bvh');
    expect(stack.layers.map(({ name }: { name: string }) => name)).toEqual(['Base', 'Lean']);
    expect(evlay('bake', out, '--out', 'merged.glb').status).toBe(0);
    expect(await glbsApart('all.glb', 'merged.glb', TIMES)).toBeLessThan(0.05);
    const every = evlay(
      'merge',
      'stack.json',
      '--from',
      'Arm',
      '--to',
      'Lean',
      '--every-frame',
      '--out',
      'every.json',
    );
    expect([every.status, existsSync(join(folder, 'every-merged.glb'))]).toEqual([0, true]);
    expect(evlay('bake', 'every.json', '--out', 'every.glb').status).toBe(0);
    expect(await glbsApart('all.glb', 'every.glb', TIMES)).toBeLessThan(1e-4);
    expect(evlay('merge', 'stack.json', '--from', 'Base', '--to', 'Leg', '--out', out).stderr).toBe(
      'evlay: stack.json: no layer is called "Leg", expected one of "Base", "Arm", "Lean"\n',
    );
    expect(evlay('merge', 'stack.json', '--from', 'Base', '--to', 'Arm', '--out', 'x.glb').status).toBe(2);
  });

  it('hold a take from which a stack is made, and a finished motion as layers over what it began with', async () => {
    const { status, stdout } = evlay(
      'keys',
      'walk.bvh',
      '--out',
      'keys.json',
      '--tolerance',
      '0.05',
      '--json',
    );
    expect(status).toBe(0);
    expect(JSON.parse(stdout).keys.error.length).toBeLessThanOrEqual(0.05);
    evlay('bake', 'keys.json', '--out', 'keys.glb', '--range', '0:600');
    writeFileSync(
      join(folder, 'plain.json'),
      JSON.stringify({ ...STACK, metresPerUnit: 0.056, layers: STACK.layers.slice(0, 1) }),
    );
    evlay('bake', 'plain.json', '--out', 'plain.glb');
    expect(await glbsApart('plain.glb', 'keys.glb', TIMES)).toBeLessThan(0.05 * 0.056 + 2e-4);
    evlay('bake', 'stack.json', '--out', 'done.bvh');
    const apart = evlay('layers', 'walk.bvh', 'done.bvh', '--out', 'apart.json', '--count', '2', '--json');
    expect(apart.status).toBe(0);
    expect(JSON.parse(apart.stdout).layers).toHaveLength(2);
    const stack = JSON.parse(readFileSync(join(folder, 'apart.json'), 'utf8'));
    expect(stack.layers.map(({ name }: { name: string }) => name)).toEqual([
      'Base',
      'Right arm',
      'Right arm 2',
      'What is left',
    ]);
    evlay('bake', 'apart.json', '--out', 'apart.bvh');
    const [a, b] = ['done.bvh', 'apart.bvh'].map((file) =>
      threeReader(readFileSync(join(folder, file), 'utf8')),
    );
    for (const time of TIMES.slice(0, -1))
      for (const [name, at] of a(time)) expect(at.distanceTo(b(time).get(name)!)).toBeLessThan(0.05);
  });
});

describe('evlay join', () => {
  it('writes takes one after the other as a motion, or as layers that bake to the same; a short or strange one is refused', () => {
    const once = JSON.parse(evlay('info', 'walk.bvh', '--json').stdout).frames;
    const { status, stdout, stderr } = evlay('join', 'walk.bvh', 'walk.bvh', '--out', 'on.bvh', '--json');
    expect({ status, stderr }).toEqual({ status: 0, stderr: '' });
    const { frames, seams } = JSON.parse(stdout);
    expect(seams.length).toBe(1);
    expect([seams[0].from, seams[0].to]).toEqual(['walk', 'walk 2']);
    // Nothing but what lies beyond the crossing is missing.
    expect(frames).toBe(once + Math.round(seams[0].frame - seams[0].other));
    expect(frames).toBeGreaterThan(2 * once - 4 * 120);
    expect(evlay('join', 'walk.bvh', 'walk.bvh', '--out', 'on.evlay').status).toBe(0);
    expect(evlay('bake', 'on.evlay', '--out', 'again.bvh').status).toBe(0);
    expect(readFileSync(join(folder, 'again.bvh')).equals(readFileSync(join(folder, 'on.bvh')))).toBe(true);
    const strange = readFileSync(join(folder, 'walk.bvh'), 'utf8').replace(/(ROOT|JOINT) /g, '$1 x_');
    writeFileSync(join(folder, 'strange.bvh'), strange);
    for (const [takes, said] of [
      [['walk.bvh'], /^evlay: walk\.bvh: is one take, expected two or more/],
      [['walk.bvh', 'strange.bvh'], /^evlay: strange\.bvh: none of its joints is called as one of walk\.bvh/],
      [
        ['walk.bvh', 'walk.bvh', '--within', '0.2'],
        /^evlay: walk 2 cannot take over from walk within the last 0\.2 s/,
      ],
    ] as const) {
      const refused = evlay('join', ...takes, '--out', 'none.bvh');
      expect(refused.status).toBe(1);
      expect(refused.stderr).toMatch(said);
      expect(existsSync(join(folder, 'none.bvh'))).toBe(false);
    }
  });
});

describe('evlay bake', () => {
  it('writes what the core evaluates, as three and assimp read it', async () => {
    const done = evlay(
      'bake',
      'stack.json',
      '--out',
      'out.bvh',
      '--range',
      '40:560',
      '--fps',
      '60',
      '--json',
    );
    expect(done).toMatchObject({ status: 0, stderr: '' });
    expect(JSON.parse(done.stdout)).toMatchObject({ joints: 31, frames: 261, fps: 60, warnings: [] });
    const { project } = await readStack(readFileSync(join(folder, 'stack.json')), 'x', (name) => ({
      bytes: readFileSync(join(folder, name)),
    }));
    const stack = compileStack(project);
    const pose = restPose(project.rig);
    const matrices = new Float64Array(16 * 31);
    const file = join(folder, 'out.bvh');
    const three = threeReader(readFileSync(file, 'utf8'));
    const assimp = assimpReader(file);
    for (const k of [0, 40, 111, 260]) {
      evaluateStack(stack, 40 + 2 * k, pose);
      globalMatrices(project.rig, pose, matrices);
      for (const positions of [three(k / 60), assimp(k)]) {
        for (const [j, joint] of project.rig.joints.entries()) {
          const at = positions.get(joint.name)!;
          const off = Math.hypot(
            at.x - matrices[16 * j + 12],
            at.y - matrices[16 * j + 13],
            at.z - matrices[16 * j + 14],
          );
          expect(off).toBeLessThan(1e-4 * rigHeight(project.rig));
        }
      }
    }
  });

  /** The stack with every feature, and where its joints are by the plain evaluator, worked out once a frame. */
  const openEverything = async () => {
    const { project } = await readStack(readFileSync(join(folder, 'all.json')), 'x', (name) => ({
      bytes: readFileSync(join(folder, name)),
    }));
    const known = new Map<number, number[][]>();
    const positionsAt = (frame: number) => {
      if (!known.has(frame))
        known.set(frame, worldOf(project.rig, evaluateReference(project, frame)).positions);
      return known.get(frame)!;
    };
    return { project, positionsAt };
  };
  let opened: ReturnType<typeof openEverything> | undefined;
  const everything = () => (opened ??= openEverything());

  it.each(['bvh', 'glb'])(
    'bakes a stack with every feature to %s, on every core, as three and assimp read it',
    async (format) => {
      writeFileSync(join(folder, 'all.json'), JSON.stringify(EVERYTHING));
      const out = `all.${format}`;
      const done = evlay('bake', 'all.json', '--out', out, '--fps', '240', '--json');
      expect(done).toMatchObject({ status: 0, stderr: '' });
      expect(JSON.parse(done.stdout)).toMatchObject({ joints: 31, frames: 5401, fps: 240 });
      const { project, positionsAt } = await everything();
      const bytes = readFileSync(join(folder, out));
      const three = format === 'bvh' ? threeReader(bytes.toString()) : await threeGlbReader(bytes);
      const assimp = assimpReader(join(folder, out));
      const unit = format === 'bvh' ? 1 : EVERYTHING.metresPerUnit;
      for (const k of [0, 61, 1001, 2222, 3503, 5400]) {
        const positions = positionsAt(k / 2);
        for (const read of [three(k / 240), assimp(k)]) {
          for (const [j, joint] of project.rig.joints.entries()) {
            const at = read.get(joint.name)!.toArray();
            const off = Math.hypot(...at.map((value, axis) => value - unit * positions[j][axis]));
            expect(off).toBeLessThan(1e-4 * unit * rigHeight(project.rig));
          }
        }
      }
    },
  );

  it('bakes CSV whose columns are the channels of the BVH, frame by frame', () => {
    for (const format of ['bvh', 'csv'])
      expect(evlay('bake', 'stack.json', '--out', `curves.${format}`, '--range', '40:140').status).toBe(0);
    const [head, ...rows] = readFileSync(join(folder, 'curves.csv'), 'utf8')
      .trim()
      .split('\r\n')
      .map((line) => line.split(','));
    const text = readFileSync(join(folder, 'curves.bvh'), 'utf8');
    // The channels of the BVH as its text names them, joint by joint.
    const channels: string[] = [];
    let joint = '';
    for (const line of text.slice(0, text.indexOf('MOTION')).split('\n')) {
      const [word, name, ...more] = line.trim().split(/\s+/);
      if (word === 'ROOT' || word === 'JOINT') joint = name;
      if (word === 'CHANNELS')
        channels.push(...more.map((one) => `${joint}.${one[1] === 'p' ? 't' : 'r'}${one[0].toLowerCase()}`));
    }
    const motion = text.slice(text.indexOf('Frame Time')).trim().split('\n').slice(1);
    expect([rows.length, motion.length]).toEqual([101, 101]);
    const turns = channels.filter((name) => /\.r/.test(name) && head.includes(name));
    expect(turns.length).toBeGreaterThan(80);
    for (const k of [0, 37, 100]) {
      expect(Number(rows[k][0])).toBe(40 + k);
      const numbers = motion[k].trim().split(/\s+/).map(Number);
      for (const name of turns)
        expect(Number(rows[k][head.indexOf(name)]), `${name} ${k}`).toBeCloseTo(
          numbers[channels.indexOf(name)],
          3,
        );
    }
    const refused = evlay('bake', 'stack.json', '--out', 'few.csv', '--angle', '1');
    expect(refused.stderr).toContain('CSV holds every frame, expected a .glb');
  });

  it('reads standard input and writes standard output where a file is called -', () => {
    expect(evlay('bake', 'stack.json', '--out', 'plain.bvh').status).toBe(0);
    const plain = readFileSync(join(folder, 'plain.bvh'));
    const stack = readFileSync(join(folder, 'stack.json'));
    const piped = (input: Uint8Array, ...args: string[]) =>
      spawnSync(process.execPath, [COMMAND, ...args], { cwd: folder, input, maxBuffer: 1 << 28 });
    const text = piped(stack, 'bake', '-', '--out', '-');
    expect([text.status, text.stderr.toString()]).toEqual([0, '']);
    expect(text.stdout.equals(plain)).toBe(true);
    // One command after the other, as in a pipe of a shell; binary too.
    const facts = JSON.parse(piped(text.stdout, 'info', '--json', '-').stdout.toString());
    expect(facts).toMatchObject(JSON.parse(evlay('info', 'plain.bvh', '--json').stdout));
    const glb = piped(stack, 'bake', '-', '--out', '-.glb');
    expect(glb.stdout.subarray(0, 4).toString()).toBe('glTF');
    expect(piped(glb.stdout, 'info', '-').status).toBe(0);
    expect(piped(stack, 'bake', '-', '--out', '-', '--json').stderr.toString()).toMatch(
      /standard output: takes one file.*expected no --json/,
    );
    // A stack would name a file that is not there any more.
    expect(piped(glb.stdout, 'keys', '-', '--out', 'named.json').stderr.toString()).toMatch(
      /expected one that ends in \.evlay/,
    );
    expect(piped(glb.stdout, 'keys', '-', '--out', 'keyed.evlay').status).toBe(0);
    expect(evlay('info', 'keyed.evlay').status).toBe(0);
    expect(piped(Buffer.from('none'), 'info', '-').stderr.toString()).toMatch(
      /^evlay: standard input: .*expected/,
    );
    writeFileSync(join(folder, 'scene.fbx'), 'Kaydara');
    expect(evlay('info', 'scene.fbx').stderr).toMatch(
      /^evlay: scene\.fbx: \.fbx files are not read, expected a motion/,
    );
  });

  it('bakes a project and its unzipped folder to the same bytes', () => {
    const demo = join(import.meta.dirname, '../../web/public/demo/lamp-lighting.evlay');
    const unzipped = mkdtempSync(join(tmpdir(), 'evlay-unzipped-'));
    for (const [name, bytes] of Object.entries(unzipSync(readFileSync(demo)))) {
      spawnSync('mkdir', ['-p', join(unzipped, name, '..')]);
      writeFileSync(join(unzipped, name), bytes);
    }
    expect(evlay('bake', demo, '--out', 'a.bvh').status).toBe(0);
    expect(evlay('bake', unzipped, '--out', 'b.bvh').status).toBe(0);
    expect(readFileSync(join(folder, 'a.bvh'))).toEqual(readFileSync(join(folder, 'b.bvh')));
  });

  it.each([
    [
      'a file that is missing',
      ['bake', 'none.json', '--out', 'x.bvh'],
      1,
      /^evlay: none\.json: no such file\n$/,
    ],
    [
      'a stack that is wrong',
      ['bake', 'walk.bvh', '--out', 'x.bvh'],
      1,
      /^evlay: walk\.bvh: line 1: .*expected/,
    ],
    ['a folder that is not there', ['bake', 'stack.json', '--out', 'no/x.bvh'], 1, /cannot be written/],
    ['no output', ['bake', 'stack.json'], 2, /--out/],
    ['an unknown ending', ['bake', 'stack.json', '--out', 'x.txt'], 2, /\.bvh/],
    [
      'a range the wrong way round',
      ['bake', 'stack.json', '--out', 'x.bvh', '--range', '9:3'],
      2,
      /two frames/,
    ],
    ['an unknown command', ['frobnicate'], 2, /unknown command/],
    [
      'a range that no disk holds',
      ['bake', 'stack.json', '--out', 'x.bvh', '--range', '0:1000000000'],
      1,
      /stack\.json: 1,000,000,001 samples of 31 joints take some 1,0.* MB; there is room for [\d,]+ MB/,
    ],
    [
      'a rate that no file holds',
      ['bake', 'stack.json', '--out', 'x.glb', '--range', '0:40000000', '--fps', '100000'],
      1,
      /take some .* MB; (a GLB holds at most 4,294|there is room for)/,
    ],
    [
      'the take that is read as output',
      ['bake', 'stack.json', '--out', 'walk.bvh'],
      1,
      /walk\.bvh: it is one of the files that are read/,
    ],
    ['a .glb that is none', ['info', 'broken.glb'], 1, /^evlay: broken\.glb: /],
  ])('%s: one line, the right status, and nothing is written', (_, args, status, message) => {
    const result = evlay(...args);
    expect(result.status).toBe(status);
    expect(result.stderr).toMatch(message);
    expect(result.stderr.trim().split('\n')).toHaveLength(1);
    expect(result.stdout).toBe('');
    expect(readdirSync(folder).filter((name) => name.startsWith('x.'))).toEqual([]);
  });

  it('bakes a variant as the stack with its values written out, and each of all to a file of its own', () => {
    const layers = STACK.layers.map((layer, k) => ({ ...layer, id: `layer ${k}` }));
    const variants = [
      { name: 'calm', layers: { 'layer 2': { weight: 0.2 } }, range: [100, 160] },
      { name: 'no lean / at all', layers: { 'layer 2': { muted: true } } },
    ];
    writeFileSync(join(folder, 'varied.json'), JSON.stringify({ ...STACK, layers, variants }));
    const written = layers.map((layer, k) => (k === 2 ? { ...layer, weight: 0.2 } : layer));
    writeFileSync(
      join(folder, 'written.json'),
      JSON.stringify({ ...STACK, range: [100, 160], layers: written }),
    );
    const bytes = (name: string) => readFileSync(join(folder, name));
    expect(evlay('bake', 'varied.json', '--out', 'one.bvh', '--variant', 'calm').status).toBe(0);
    expect(evlay('bake', 'written.json', '--out', 'other.bvh').status).toBe(0);
    expect(bytes('one.bvh')).toEqual(bytes('other.bvh'));
    const all = evlay(
      'bake',
      'varied.json',
      '--out',
      'each.bvh',
      '--variant',
      'all',
      '--range',
      '100:130',
      '--json',
    );
    expect(all).toMatchObject({ status: 0, stderr: '' });
    expect(JSON.parse(all.stdout)).toMatchObject([
      { out: 'each-calm.bvh', variant: 'calm', frames: 31 },
      { out: 'each-no lean _ at all.bvh', variant: 'no lean / at all', frames: 31 },
    ]);
    expect(bytes('each-calm.bvh')).not.toEqual(bytes('each-no lean _ at all.bvh'));
    for (const [variant, said] of [
      ['loud', /no variant is called "loud", expected one of "calm", "no lean \/ at all" or all/],
      ['all', /the stack has no variants/],
    ] as const) {
      const stack = variant === 'all' ? 'stack.json' : 'varied.json';
      const failed = evlay('bake', stack, '--out', 'x.bvh', '--variant', variant);
      expect([failed.status, failed.stderr]).toEqual([1, expect.stringMatching(said)]);
    }
  });

  it('leaves an older output as it was when it fails', () => {
    writeFileSync(join(folder, 'old.bvh'), 'old');
    writeFileSync(join(folder, 'broken.json'), JSON.stringify({ ...STACK, fps: 'x' }));
    expect(evlay('bake', 'broken.json', '--out', 'old.bvh').status).toBe(1);
    expect(readFileSync(join(folder, 'old.bvh'), 'utf8')).toBe('old');
    expect(existsSync(join(folder, 'out.bvh'))).toBe(true);
  });
});

describe('files of the system', () => {
  it('follows links, keeps modes, and takes pipes for input', () => {
    mkdirSync(join(folder, 'linked'));
    writeFileSync(join(folder, 'linked/real.bvh'), 'old', { mode: 0o640 });
    symlinkSync('linked/real.bvh', join(folder, 'link.bvh'));
    expect(evlay('bake', 'stack.json', '--out', 'link.bvh', '--range', '0:3').status).toBe(0);
    expect(lstatSync(join(folder, 'link.bvh')).isSymbolicLink()).toBe(true);
    expect(readFileSync(join(folder, 'linked/real.bvh'), 'utf8')).toMatch(/^HIERARCHY/);
    expect(statSync(join(folder, 'linked/real.bvh')).mode & 0o777).toBe(0o640);
    expect(readdirSync(join(folder, 'linked'))).toEqual(['real.bvh']);
    const piped = spawnSync(
      'sh',
      [
        '-c',
        `mkfifo pipe.bvh; cat walk.bvh > pipe.bvh & "${process.execPath}" "${COMMAND}" info pipe.bvh; wait`,
      ],
      {
        cwd: folder,
        encoding: 'utf8',
      },
    );
    expect(piped.stdout).toMatch(/frames +2752/);
  });

  it('ends without a trace where standard output is closed or full, and leaves nothing when it is interrupted', async () => {
    const shell = (line: string) => spawnSync('bash', ['-c', line], { cwd: folder, encoding: 'utf8' });
    const info = `"${process.execPath}" "${COMMAND}" info walk.bvh`;
    expect(shell(`${info} | true; exit \${PIPESTATUS[0]}`)).toMatchObject({ status: 0, stderr: '' });
    const full = shell(`${info} > /dev/full`);
    expect([full.status, full.stderr]).toEqual([
      1,
      expect.stringMatching(/^evlay: standard output cannot be written \(ENOSPC\)\n$/),
    ]);
    // As soon as it writes.
    const child = spawn(
      process.execPath,
      [COMMAND, 'bake', 'stack.json', '--out', 'stopped.bvh', '--fps', '2000'],
      { cwd: folder },
    );
    const ended = new Promise<number | null>((resolve) => child.on('exit', (code) => resolve(code)));
    while (!readdirSync(folder).some((name) => /stopped\.bvh.*part$/.test(name)) && child.exitCode === null)
      await new Promise((resolve) => setTimeout(resolve, 2));
    child.kill('SIGINT');
    expect([0, 130]).toContain(await ended);
    expect(readdirSync(folder).filter((name) => /part$/.test(name))).toEqual([]);
  });
});

describe('what a file names', () => {
  const inside = join(folder, 'inside');
  mkdirSync(inside);
  writeFileSync(join(folder, 'secret.png'), 'a secret of this machine');
  symlinkSync(join(folder, 'secret.png'), join(inside, 'link.png'));
  const character = (uri: string) => ({
    asset: { version: '2.0' },
    nodes: [{ name: 'lamp' }],
    skins: [{ joints: [0] }],
    images: [{ uri }],
  });

  it.each(['../secret.png', '%2e%2e%2fsecret.png', join(folder, 'secret.png'), 'link.png', '../nothing.png'])(
    'beside a .gltf lies in its folder: %s does not',
    (uri) => {
      writeFileSync(join(inside, 'lamp.gltf'), JSON.stringify(character(uri)));
      for (const args of [
        ['info', 'inside/lamp.gltf'],
        ['fit', 'walk.bvh', '--rig', 'inside/lamp.gltf', '--out', 'fitted.glb'],
      ]) {
        const { status, stdout, stderr } = evlay(...args);
        expect([status, stderr]).toEqual([1, expect.stringMatching(/^evlay: .*lies outside of .*\n$/)]);
        expect(stdout + stderr).not.toContain('a secret');
      }
      expect(existsSync(join(folder, 'fitted.glb'))).toBe(false);
    },
  );

  it('in a stack may lie elsewhere, unless a root is said; no more of it is repeated than how it begins', () => {
    writeFileSync(join(folder, 'passwords.bvh'), 'root:a-long-password-that-nobody-is-told:0:0\n');
    const stack = (file: string) => ({ ...STACK, layers: [{ name: 'Base', take: { file } }] });
    writeFileSync(join(inside, 'out.json'), JSON.stringify(stack('../walk.bvh')));
    writeFileSync(join(inside, 'steal.json'), JSON.stringify(stack('../passwords.bvh')));
    expect(evlay('info', 'inside/out.json').status).toBe(0);
    expect(evlay('bake', 'inside/out.json', '--root', '.', '--range', '0:2', '--out', 'ok.bvh').status).toBe(
      0,
    );
    for (const command of ['info', 'check'])
      expect(evlay(command, 'inside/out.json', '--root', 'inside').stderr).toMatch(
        /lies outside of "inside"/,
      );
    expect(evlay('info', 'inside/steal.json').stderr).not.toContain('nobody-is-told');
  });
});

describe('odd calls', () => {
  it.each([
    ['in the middle of computing', ['check', 'walk.bvh']],
    ['while it writes', ['bake', 'stack.json', '--fps', '20000', '--out', 'stopped.glb']],
  ])('are heard when they are interrupted %s, within half a second', async (_, args) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) {
      const child = spawn(process.execPath, [COMMAND, ...args], { cwd: folder });
      const ended = new Promise<number>((resolve) => child.on('exit', () => resolve(performance.now())));
      const begun = performance.now();
      // Past reading: into what takes longest.
      const running =
        args[0] === 'bake'
          ? () => readdirSync(folder).some((one) => /stopped.*part$/.test(one))
          : () => performance.now() - begun > 900;
      while (!running() && child.exitCode === null) await new Promise((resolve) => setTimeout(resolve, 5));
      const said = performance.now();
      child.kill(signal);
      expect((await ended) - said).toBeLessThan(2000);
      expect(readdirSync(folder).filter((one) => /part$|^stopped/.test(one))).toEqual([]);
    }
  });

  it('are refused with a line, or take what a file system takes', () => {
    for (const fps of ['1e300', '0', '-5', '1e-30'])
      expect(evlay('bake', 'stack.json', '--fps', fps, '--out', 'x.bvh')).toMatchObject({
        status: 2,
        stderr: expect.stringMatching(/Expected samples a second/),
      });
    const name = 'ä'.repeat(300);
    const variants = [{ name, layers: {} }];
    writeFileSync(join(folder, 'long-name.json'), JSON.stringify({ ...STACK, variants }));
    const long = evlay(
      'bake',
      'long-name.json',
      '--variant',
      'all',
      '--range',
      '0:1',
      '--out',
      'v.bvh',
      '--json',
    );
    expect(long.status).toBe(0);
    expect(existsSync(join(folder, JSON.parse(long.stdout)[0].out))).toBe(true);
  });

  it('overwrite no file that they were not asked to write', () => {
    writeFileSync(join(folder, 'kept-merged.glb'), 'mine');
    const { status } = evlay(
      'merge',
      'stack.json',
      '--from',
      'Arm',
      '--to',
      'Lean',
      '--every-frame',
      '--out',
      'kept.json',
    );
    expect(status).toBe(0);
    expect(readFileSync(join(folder, 'kept-merged.glb'), 'utf8')).toBe('mine');
    expect(readFileSync(join(folder, 'kept.json'), 'utf8')).toContain('kept-merged-2.glb');
  });
});

describe('evlay review and film', () => {
  it('make a page that has the project in it, and say what they cannot make', async () => {
    const made = evlay(
      'review',
      'stack.json',
      '--out',
      'review.html',
      '--turn',
      'Arm',
      '--range',
      '10:60',
      '--json',
    );
    expect(made.status, made.stderr).toBe(0);
    const html = readFileSync(join(folder, 'review.html'), 'utf8');
    expect(JSON.parse(made.stdout)).toMatchObject({ bytes: html.length, range: [10, 60], variants: [] });
    const [, json] = /<script id="evlay-review" type="application\/json">(.*?)<\/script>/s.exec(html)!;
    const review = readReview(json);
    const { project } = await readProject(review.project, 'review.evlay');
    expect(project.layers.map(({ name }) => name)).toEqual(['Base', 'Arm', 'Lean']);
    expect(project.layers.find(({ id }) => id === review.layers[0])?.name).toBe('Arm');
    expect(project.range).toEqual([10, 60]);
    // The page asks nothing of a network.
    expect(html).toContain("default-src 'none'");
    expect(html).not.toMatch(/(src|href)="(https?:)?\/\//);
    for (const [call, reason] of [
      [['review', 'stack.json', '--out', 'x.txt'], /expected a name that ends in \.html/],
      [
        ['review', 'stack.json', '--out', 'x.html', '--variant', 'no'],
        /no variant is called "no", expected none: the stack has no variants/,
      ],
      [['review', 'stack.json', '--out', 'x.html', '--turn', 'no'], /no/],
      [['film', 'stack.json', '--out', 'x.avi'], /\.mp4, \.webm/],
      [['film', 'stack.json', '--out', 'x.mp4', '--camera', 'no'], /no camera is called "no"/],
    ] as const) {
      const { status, stderr } = evlay(...call);
      expect([status, stderr.split('\n').length]).toEqual([1, 2]);
      expect(stderr).toMatch(reason);
    }
    expect(evlay('film', 'stack.json', '--out', 'x.mp4', '--size', 'large').status).toBe(2);
    expect(readdirSync(folder).filter((name) => name.startsWith('x.'))).toEqual([]);
  });

  it('leave references in a project that they write again', async () => {
    const bytes = Uint8Array.of(7, 8, 9);
    const look = { name: 'set.png', kind: 'picture', place: 'plate', opacity: 1 } as const;
    const reference = { ...look, type: 'image/png', offset: 0, from: 0, speed: 1, bytes };
    const { project } = await readStack(readFileSync(join(folder, 'stack.json')), 'stack', (name) => ({
      bytes: new Uint8Array(readFileSync(join(folder, name))),
    }));
    writeFileSync(join(folder, 'with.evlay'), writeProject(project, [reference]));
    const run = evlay('merge', 'with.evlay', '--from', 'Arm', '--to', 'Lean', '--out', 'merged.evlay');
    expect(run.status, run.stderr).toBe(0);
    const merged = await readProject(
      new Uint8Array(readFileSync(join(folder, 'merged.evlay'))),
      'merged.evlay',
    );
    expect(merged.project.layers).toHaveLength(2);
    expect(merged.references).toEqual([reference]);
  });

  it('deliver in one zip what they make one by one', async () => {
    const range = ['--range', '10:20'];
    expect(evlay('bake', 'stack.json', '--out', 'one.bvh', ...range).status).toBe(0);
    const flags = ['--format', 'bvh', '--film', 'gif', '--size', '64x36', '--pattern', '{what}', '--json'];
    const made = evlay('deliver', 'stack.json', '--out', 'all.zip', ...range, ...flags);
    expect(made.status, made.stderr).toBe(0);
    const { unzipSync } = await import('fflate');
    const entries = unzipSync(readFileSync(join(folder, 'all.zip')));
    expect(Object.keys(entries).sort()).toEqual(['bake.bvh', 'film.gif', 'findings.json', 'manifest.json']);
    expect(Buffer.from(entries['bake.bvh']).equals(readFileSync(join(folder, 'one.bvh')))).toBe(true);
    // Of a GIF (89a) its first letters and its size.
    expect([...entries['film.gif'].subarray(0, 10)]).toEqual([71, 73, 70, 56, 57, 97, 64, 0, 36, 0]);
    const { findings } = JSON.parse(new TextDecoder().decode(entries['findings.json']));
    const checked = JSON.parse(evlay('check', 'stack.json', '--json').stdout).findings;
    expect(findings.map(({ kind, amount }: { kind: string; amount: number }) => [kind, amount])).toEqual(
      checked.map(({ kind, amount }: { kind: string; amount: number }) => [kind, amount]),
    );
    const wrong = evlay('deliver', 'stack.json', '--out', 'all.tar');
    expect(wrong.stderr).toMatch(/a delivery is a zip, expected a name that ends in \.zip/);
  });
});

describe('evlay info', () => {
  it('tells of a .gltf with the files beside it', () => {
    writeFileSync(
      join(folder, 'lamp.gltf'),
      JSON.stringify({
        asset: { version: '2.0' },
        nodes: [{ name: 'lamp' }],
        animations: [
          {
            name: 'swing',
            channels: [{ sampler: 0, target: { node: 0, path: 'translation' } }],
            samplers: [{ input: 0, output: 1 }],
          },
        ],
        accessors: [
          { bufferView: 0, componentType: 5126, count: 2, type: 'SCALAR' },
          { bufferView: 1, componentType: 5126, count: 2, type: 'VEC3' },
        ],
        bufferViews: [
          { buffer: 0, byteLength: 8 },
          { buffer: 0, byteOffset: 8, byteLength: 24 },
        ],
        buffers: [{ uri: 'lamp.bin', byteLength: 32 }],
      }),
    );
    writeFileSync(join(folder, 'lamp.bin'), new Uint8Array(Float32Array.of(0, 0.5, 0, 0, 0, 1, 0, 0).buffer));
    expect(JSON.parse(evlay('info', 'lamp.gltf', '--json').stdout)).toMatchObject({
      joints: 1,
      frames: 2,
      fps: 2,
    });
  });

  it('tells of a motion, a character and a stack', () => {
    expect(JSON.parse(evlay('info', 'walk.bvh', '--json').stdout)).toMatchObject({
      joints: 31,
      frames: 2752,
    });
    const { layers } = JSON.parse(evlay('info', 'stack.json', '--json').stdout);
    expect(layers.map((layer: { name: string }) => layer.name)).toEqual(['Base', 'Arm', 'Lean']);
    expect(evlay('info', 'walk.bvh').stdout).toMatch(/frames +2752/);
  });

  it('has help and a version', () => {
    expect(evlay('--version').stdout).toMatch(/^\d+\.\d+\.\d+\n$/);
    for (const args of [['--help'], ['bake', '--help'], ['info', '--help']]) {
      expect(evlay(...args)).toMatchObject({ status: 0, stderr: '' });
    }
  });
});
