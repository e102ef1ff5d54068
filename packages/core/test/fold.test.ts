import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Document, WebIO } from '@gltf-transform/core';
import fc from 'fast-check';
import { validateBytes } from 'gltf-validator';
import { Matrix, SVD } from 'ml-matrix';
import simplify from 'simplify-js';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { idle } from '../../demo/src/wick/idle.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { walk } from '../../demo/src/wick/walk.js';
import {
  bake,
  componentsOf,
  framesWithKeys,
  keysOfRun,
  type MergePlan,
  newSamples,
  oldBase,
  planBake,
  planMerge,
  type RunSamples,
  sampleRun,
  takeApart,
  takeOfRun,
  wantedKeys,
} from '../src/bake/index.js';
import { addProp, projectFromTake, putMerged, removeTake, withKeyedBase } from '../src/edit/index.js';
import {
  bvhText,
  csvFormat,
  readGlbKeys,
  readGlbTake,
  readProject,
  readTake,
  writeGlb,
  writeProject,
  writeWhole,
  writtenTake,
} from '../src/format/index.js';
import {
  type Channel,
  type Content,
  type Curve,
  channelsOf,
  contactsOf,
  finished,
  holding,
  type JointChannels,
  keyed,
  type Layer,
  NO_CONTENT,
  newKey,
  newLayer,
  type Project,
  type Prop,
  playing,
  type Rig,
  rigTake,
} from '../src/index.js';
import { Cancelled } from '../src/job/index.js';
import {
  type KeyLimits,
  type KeysBlock,
  keysFromSamples,
  keysOfBlock,
  layerChannels,
  motionError,
  neededTracks,
  placesOf,
  putTrack,
  tracksOf,
  usualLimits,
  worstJoints,
} from '../src/keys/index.js';
import { findContacts } from '../src/make/index.js';
import { compareRigs, findParts, rigHeight } from '../src/rig/index.js';
import { type Samples, trimmed } from '../src/take/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject, between } from './any-stack.js';
import { assimpPlayer, captureBytes, rigOf, threePlayer } from './capture.js';
import { curveOf } from './drawn-curve.js';
import { evaluateReference, scalarAt, worldOf } from './reference.js';

/**
 * How far two projects are apart at a frame, by the plain evaluator: of joints, of how they are turned, in degrees, and of
 * face channels.
 */
function difference(
  a: Project,
  b: Project,
  frame: number,
): { length: number; angle: number; number: number } {
  const [one, other] = [a, b].map((project) => worldOf(project.rig, evaluateReference(project, frame)));
  let [length, angle] = [0, 0];
  for (const [j, p] of one.positions.entries()) {
    length = Math.max(length, Math.hypot(...p.map((v, k) => v - other.positions[j][k])));
    const dot = Math.abs(one.orientations[j].reduce((sum, v, k) => sum + v * other.orientations[j][k], 0));
    angle = Math.max(angle, (2 * Math.acos(Math.min(1, dot)) * 180) / Math.PI);
  }
  const number = Math.max(0, ...one.faces.map((v, f) => Math.abs(v - other.faces[f])));
  return { length, angle, number };
}

async function asKeys(plan: MergePlan, run: RunSamples, length: number, angle: number) {
  const { rig } = plan.project;
  const keys = await keysOfRun(plan, run, { length, angle }, (wanted) =>
    keysFromSamples(rig, run.after, wanted),
  );
  return { keys, content: keyed(layerChannels(rig, keys, run.plan.first, run.plan.step)) };
}

const index = (name: string) => capture.rig.joints.findIndex((joint) => joint.name === name);
const { take: capture } = readTake('01_01.bvh', captureBytes());

/** Global positions and orientations of samples that hold every joint, by three's own matrices. */
function placedByThree(rig: Rig, samples: Samples, s: number): THREE.Object3D[] {
  const objects = rig.joints.map(() => new THREE.Object3D());
  for (const [j, { parent }] of rig.joints.entries()) {
    if (parent >= 0) objects[parent].add(objects[j]);
    const at = s * rig.joints.length + j;
    objects[j].position.fromArray(samples.translations.values, 3 * at);
    objects[j].quaternion.fromArray(samples.rotations.values, 4 * at);
    objects[j].scale.fromArray(samples.scales.values, 3 * at);
  }
  objects[0].updateMatrixWorld(true);
  return objects;
}

const turned = (object: THREE.Object3D) => object.getWorldQuaternion(new THREE.Quaternion());
const placed = (object: THREE.Object3D) => object.getWorldPosition(new THREE.Vector3());

/** Keys that Douglas and Peucker's method needs (`simplify-js`, channel by channel) for the whole pose to stay within limits. */
function keysByDouglasPeucker(rig: Rig, samples: Samples, limits: KeyLimits): number {
  const tracks = tracksOf(rig, samples, 'euler', neededTracks(rig, samples));
  const places = placesOf(rig, samples);
  const reduced = (share: number): { keys: number; fits: boolean } => {
    const now = { ...samples };
    for (const kind of ['translations', 'rotations'] as const)
      now[kind] = { ...samples[kind], values: samples[kind].values.slice() };
    let keys = 0;
    for (const track of tracks) {
      const tolerance = share * (track.kind === 'rotations' ? (limits.angle * Math.PI) / 180 : limits.length);
      const fit = track.values.slice();
      let most = 0;
      for (let c = 0; c < 3; c++) {
        const points = Array.from({ length: samples.count }, (_, x) => ({ x, y: track.values[3 * x + c] }));
        const left = simplify(points, tolerance, true);
        most = Math.max(most, left.length);
        for (let k = 0; k + 1 < left.length; k++)
          for (let x = left[k].x; x <= left[k + 1].x; x++)
            fit[3 * x + c] =
              left[k].y + ((left[k + 1].y - left[k].y) * (x - left[k].x)) / (left[k + 1].x - left[k].x);
      }
      // One key holds all three channels: counted in favour of the method, as if theirs stood together.
      keys += most;
      putTrack(rig, track, fit, now);
    }
    const error = motionError(places, now);
    return { keys, fits: error.length <= limits.length && error.angle <= limits.angle };
  };
  let [low, high] = [0, 1];
  let best = Number.POSITIVE_INFINITY;
  for (let step = 0; step < 9; step++) {
    const middle = (low + high) / 2;
    const { keys, fits } = reduced(middle);
    if (fits) [low, best] = [middle, Math.min(best, keys)];
    else high = middle;
  }
  return best;
}

/** How far a file that is played is from samples, at each of them. */
function offInFile(
  rig: Rig,
  samples: Samples,
  metresPerUnit: number,
  play: (seconds: number) => Map<string, THREE.Object3D>,
): { length: number; angle: number } {
  let [length, angle] = [0, 0];
  for (let s = 0; s < samples.count; s++) {
    const nodes = play(s * samples.interval);
    for (const [j, object] of placedByThree(rig, samples, s).entries()) {
      const node = nodes.get(rig.joints[j].name)!;
      length = Math.max(length, placed(node).divideScalar(metresPerUnit).distanceTo(placed(object)));
      angle = Math.max(angle, (turned(node).angleTo(turned(object)) * 180) / Math.PI);
    }
  }
  return { length, angle };
}

describe('keys from samples', () => {
  it.each([
    [
      'the capture',
      async () => ({
        rig: capture.rig,
        samples: await bake(projectFromTake(capture)),
        metresPerUnit: 0.06,
        part: 0.25,
      }),
    ],
    ['Wick’s walk', async () => ({ rig: WICK, samples: walk(), metresPerUnit: 1, part: 0.5 })],
    ['Wick who waits', async () => ({ rig: WICK, samples: idle(), metresPerUnit: 1, part: 0.5 })],
  ])(
    'of %s keep what they promise as three plays the file, with fewer keys than Douglas and Peucker need',
    async (_, open) => {
      const { rig, samples, metresPerUnit, part } = await open();
      const limits = usualLimits(rig);
      const keys = await keysFromSamples(rig, samples, { ...limits, space: 'quaternion' });
      const glb = writeGlb(rig, keys, { name: 'few', metresPerUnit });
      const report = await validateBytes(glb);
      expect(report.issues.numErrors).toBe(0);
      const { length, angle } = offInFile(rig, samples, metresPerUnit, await threePlayer(glb));
      expect(length).toBeLessThanOrEqual(limits.length);
      expect(angle).toBeLessThanOrEqual(limits.angle);
      // What is stated is what was found, but for end sites, which are no nodes.
      expect(length).toBeLessThan(1.001 * keys.error.length + 1e-4 * limits.length);
      expect(angle).toBeCloseTo(keys.error.angle, 2);
      expect(keys.after).toBeLessThan(part * keys.before);
      expect(keys.after).toBeLessThan(keysByDouglasPeucker(rig, samples, limits));
    },
  );

  it('that are joined straight keep it too, as three and as assimp read the file', async () => {
    const { rig } = capture;
    const samples = trimmed({ ...(await bake(projectFromTake(capture))), rig }, [200, 1000]);
    const limits = usualLimits(rig);
    const keys = await keysFromSamples(rig, samples, { ...limits, space: 'quaternion', straight: true });
    const glb = writeGlb(rig, keys, { name: 'straight', metresPerUnit: 0.06 });
    expect((await validateBytes(glb)).issues.numErrors).toBe(0);
    const file = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'straight.glb');
    writeFileSync(file, glb);
    for (const play of [await threePlayer(glb), assimpPlayer(file)]) {
      const { length, angle } = offInFile(rig, samples, 0.06, play);
      expect(length).toBeLessThanOrEqual(limits.length);
      expect(angle).toBeLessThanOrEqual(limits.angle);
      expect(length).toBeLessThan(1.001 * keys.error.length + 1e-4 * limits.length);
    }
    expect(keys.after).toBeLessThan(0.6 * keys.before);
    expect(keys.after).toBeLessThan(keysByDouglasPeucker(rig, samples, limits));
  });

  it('are off over time as they are said to be, at their worst', async () => {
    const { rig } = capture;
    const samples = trimmed({ ...(await bake(projectFromTake(capture))), rig }, [100, 500]);
    const wanted = { ...usualLimits(rig), space: 'euler' as const, stretches: 100 };
    const keys = await keysFromSamples(rig, samples, wanted);
    const { stretch } = keys.over!;
    const joints = worstJoints(keys.over!, findParts(rig), 3);
    expect(joints).toHaveLength(3);
    expect(stretch).toBe(5);
    expect(joints[0].joint).toBe(keys.error.moved);
    expect(Math.max(...joints[0].lengths)).toBeCloseTo(keys.error.length, 5);
    expect(joints[0].lengths[Math.floor(keys.error.movedAt / stretch)]).toBe(Math.max(...joints[0].lengths));
  });

  it('are kept where a layer had them, and wanted sharp at the ends of contacts, for the limb that stands', async () => {
    const arm = newLayer('arm', 'additive', {
      content: keyed({ RightArm: { rx: curveOf([0, 0], [13, 31], [26, -12], [60, 4]) } }),
    });
    const open = projectFromTake({ ...capture, contacts: findContacts(capture, 0.06) });
    const project: Project = { ...open, range: [0, 60], layers: [...open.layers, arm] };
    const plan = planMerge(project, 1, 1) as MergePlan;
    const { content } = await asKeys(plan, finished(sampleRun(plan)), 0.02, 0.5);
    const { keys } = (content as Extract<Content, { kind: 'curves' }>).channels.RightArm.rx!;
    for (const [frame, value] of [
      [0, 0],
      [13, 31],
      [26, -12],
      [60, 4],
    ])
      expect(keys.find((key) => key.frame === frame)?.value).toBeCloseTo(value, 6);

    const { spans } = project.takes[0].contacts!;
    const standing = spans.find(({ joint, to }) => joint === 'LeftFoot' && to > 100)!;
    const whole = planBake(open, {});
    const wanted = wantedKeys(open, whole).filter(({ joints }) => joints?.has(index('LeftFoot')));
    for (const sample of [standing.from, standing.to])
      expect(wanted.find((key) => key.sample === sample)).toMatchObject({ sharp: true });
    expect(wanted[0].joints).toEqual(new Set(['LeftUpLeg', 'LeftLeg', 'LeftFoot'].map(index)));
  });

  it('are the same however the work is shared out, and can be given up', async () => {
    const project = projectFromTake(capture);
    const samples = trimmed({ ...(await bake(project)), rig: project.rig }, [0, 900]);
    const wanted = { ...usualLimits(project.rig), space: 'euler' as const };
    const alone = await keysFromSamples(project.rig, samples, wanted);
    const maker = async (block: KeysBlock) => keysOfBlock(structuredClone(block));
    const shared = await keysFromSamples(project.rig, samples, wanted, { makers: [maker, maker, maker] });
    expect(shared).toEqual(alone);
    const signal = { aborted: false };
    const stopped = keysFromSamples(project.rig, samples, wanted, {
      signal,
      onProgress: (done) => {
        signal.aborted = done > 0.3;
      },
    });
    await expect(stopped).rejects.toThrow(Cancelled);
  });

  it('on a parabola are its two ends; a corner that is wanted stays sharp', async () => {
    const rig = rigOf([['ball', -1, [0, 0, 0]]]);
    const samples = newSamples(rig, 41, 30);
    // Common practice: what falls is a parabola, which a cubic holds exactly; two of them meet at the floor.
    for (let s = 0; s <= 40; s++) {
      const t = s < 20 ? s : 40 - s;
      samples.translations.values.set([0, 4 - 0.01 * t * t, 0], 3 * s);
      samples.rotations.values.set([0, 0, 0, 1], 4 * s);
      samples.scales.values.set([1, 1, 1], 3 * s);
    }
    const wanted = [{ sample: 20, sharp: true }];
    const keys = await keysFromSamples(rig, samples, { length: 1e-3, angle: 0.1, space: 'euler', wanted });
    const { knots } = keys.tracks.find(({ kind }) => kind === 'translations')!.spline;
    expect([...knots]).toEqual([0, 20, 40]);
    expect(keys.error.length).toBeLessThan(1e-4);
    const channels = layerChannels(rig, keys, 0, 1);
    expect(channels.ball.ty!.keys.map(({ frame, value }) => [frame, value])).toEqual([
      [0, 4],
      [20, 0],
      [40, 4],
    ]);
    expect(channels.ball.tx!.keys).toHaveLength(1);
  });
});

describe('joints compared with those that came in', () => {
  it('are the same, or named where they are another way, gone or new', () => {
    const rig = rigOf([
      ['hips', -1, [0, 1, 0]],
      ['leg', 0, [0, -0.5, 0]],
      ['foot', 1, [0, -0.5, 0]],
      ['arm', 0, [0.3, 0.4, 0]],
    ]).joints;
    expect(compareRigs(rig, rig)).toEqual({ came: 4, same: 4, changed: [], added: [] });
    const [hips, leg, foot, arm] = rig;
    const renamed = compareRigs(rig, [hips, { ...leg, name: 'shin' }, foot, arm]);
    expect(renamed).toEqual({ came: 4, same: 2, changed: ['leg', 'foot'], added: ['shin'] });
    expect(compareRigs(rig, [hips, leg, { ...foot, parent: 0 }]).changed).toEqual(['foot', 'arm']);
  });
});

describe('curves as CSV', () => {
  it('hold what a BVH of the same motion holds, by the name of the channel', async () => {
    const project: Project = { ...projectFromTake(capture), range: [10, 14] };
    const samples = await bake(project);
    const [head, ...rows] = new TextDecoder()
      .decode(writeWhole(csvFormat(project.rig, { first: 10, step: 1 }, samples.interval), samples).bytes)
      .trimEnd()
      .split('\r\n');
    const names = head.split(',');
    const bvh = bvhText(project.rig, samples).split('MOTION')[1].split('\n').slice(3);
    expect(rows).toHaveLength(5);
    for (const [k, row] of rows.entries()) {
      const values = row.split(',').map(Number);
      expect(values[0]).toBe(10 + k);
      expect(values[1]).toBeCloseTo(k * samples.interval, 6);
      const written = bvh[k].trim().split(/\s+/).map(Number);
      let at = 0;
      for (const { name, channels } of project.rig.joints)
        for (const channel of channels) {
          const column = names.indexOf(
            `${name}.${channel.endsWith('position') ? 't' : 'r'}${channel[0].toLowerCase()}`,
          );
          if (column >= 0) expect(values[column]).toBeCloseTo(written[at], 5);
          at++;
        }
    }
  });
});

describe('a performance that came with few keys', () => {
  const q = (x: number, y: number, z: number) =>
    new THREE.Quaternion().setFromEuler(new THREE.Euler(x, y, z)).toArray();
  const TIMES = [0, 0.5, 1.2, 2];

  /** A GLB of three joints whose properties are keyed by steps, lines and cubic splines, at times of their own. */
  async function keyedGlb(): Promise<Uint8Array> {
    const document = new Document();
    const buffer = document.createBuffer();
    const animation = document.createAnimation('keyed');
    const nodes = ['Root', 'Arm', 'Hand'].map((name, k) =>
      document.createNode(name).setTranslation(k === 0 ? [0, 1, 0] : [0.4, 0, 0]),
    );
    nodes[0].addChild(nodes[1]);
    nodes[1].addChild(nodes[2]);
    document.createScene().addChild(nodes[0]);
    const array = (values: number[], type: 'SCALAR' | 'VEC3' | 'VEC4') =>
      document.createAccessor().setBuffer(buffer).setType(type).setArray(Float32Array.from(values));
    const channel = (
      node: number,
      path: 'translation' | 'rotation',
      interpolation: 'STEP' | 'LINEAR' | 'CUBICSPLINE',
      values: number[][],
    ) => {
      const sampler = document
        .createAnimationSampler()
        .setInterpolation(interpolation)
        .setInput(array(TIMES, 'SCALAR'))
        .setOutput(array(values.flat(), path === 'rotation' ? 'VEC4' : 'VEC3'));
      animation
        .addSampler(sampler)
        .addChannel(
          document
            .createAnimationChannel()
            .setTargetNode(nodes[node])
            .setTargetPath(path)
            .setSampler(sampler),
        );
    };
    channel(
      0,
      'translation',
      'CUBICSPLINE',
      TIMES.flatMap((t) => [
        [0.3, 0.1 * t, 0],
        [t, 1 + 0.2 * t * t, -0.5 * t],
        [0.8, -0.4, 0.2],
      ]),
    );
    channel(0, 'rotation', 'STEP', [q(0, 0.2, 0), q(0.3, 0.9, 0), q(0, -1, 0.4), q(0, 0, 0)]);
    channel(1, 'rotation', 'LINEAR', [q(0, 0, 0), q(0, 0, 1.1), q(0, 0, -0.4), q(0, 0, 0.2)]);
    channel(
      2,
      'rotation',
      'CUBICSPLINE',
      TIMES.flatMap((t) => [[0.05, 0, 0, 0], q(0.3 * t, 0.1, 0.2 * t), [0.1, 0, 0.1, 0]]),
    );
    channel(2, 'translation', 'LINEAR', [
      [0.4, 0, 0],
      [0.5, 0.1, 0],
      [0.4, 0, 0.1],
      [0.4, 0, 0],
    ]);
    return new WebIO().writeBinary(document);
  }

  it('has as many of them, and between them the motion that three plays', async () => {
    const glb = await keyedGlb();
    const keys = readGlbKeys(glb, undefined)!;
    for (const own of Object.values(keys.channels))
      for (const curve of Object.values(own)) expect(curve!.keys).toHaveLength(TIMES.length);
    expect(keys.channels.Root.ry!.keys.map(({ ease }) => ease)).toContain('hold');
    const { take } = readGlbTake('keyed.glb', glb, undefined);
    const project = withKeyedBase(projectFromTake(take), keys);
    expect(project.takes).toEqual([take]);
    const play = await threePlayer(glb);
    for (let k = 0; k <= 200; k++) {
      const time = k / 100;
      // On a step three may be a moment before or after it.
      if (TIMES.some((at) => Math.abs(at - time) < 0.006)) continue;
      const seen = worldOf(project.rig, evaluateReference(project, time * keys.fps));
      const nodes = play(time);
      for (const [j, { name }] of project.rig.joints.entries()) {
        const node = nodes.get(name)!;
        expect(placed(node).distanceTo(new THREE.Vector3().fromArray(seen.positions[j]))).toBeLessThan(2e-3);
        expect(
          (turned(node).angleTo(new THREE.Quaternion().fromArray(seen.orientations[j])) * 180) / Math.PI,
        ).toBeLessThan(0.1);
      }
    }
  });

  it('is none where it is a recording', () => {
    expect(
      readGlbKeys(writeGlb(WICK, walk(), { name: 'walk', metresPerUnit: 1 }), undefined),
    ).toBeUndefined();
  });
});

describe('a finished motion taken apart', () => {
  const base = projectFromTake(capture);
  const open: Project = { ...base, range: [0, 700] };
  const change = (name: string, joint: string, channels: JointChannels, weight: Curve) =>
    newLayer(name, 'additive', { content: keyed({ [joint]: channels }), weight });
  const known = [
    change(
      'arm',
      'RightArm',
      { rx: curveOf([0, 24]), rz: curveOf([0, -15]) },
      curveOf([0, 0], [200, 1], [500, 0.3], [700, 0.9]),
    ),
    change('head', 'Head', { ry: curveOf([0, 30]) }, curveOf([300, 0], [400, 1], [520, 0])),
    change('lean', 'LowerBack', { rx: curveOf([0, 12]) }, curveOf([0, 0.2], [350, 1], [700, 0])),
  ];

  it('of three known layers of different parts is these three, with their poses and weights', async () => {
    const done: Project = { ...open, layers: [...open.layers, ...known] };
    const finished = await bake(done);
    const limits = usualLimits(open.rig);
    const { project, count, components, rest, left } = await takeApart(open, finished, limits);
    expect(count).toBe(3);
    expect(components.slice(0, 3).reduce((sum, { share }) => sum + share, 0)).toBeGreaterThan(0.999);
    for (const layer of known) {
      const [[joint, channels]] = Object.entries(channelsOf(layer));
      const found = project.layers.find(
        (one) => one.id !== layer.id && channelsOf(one)[joint] && one.name !== 'What is left',
      )!;
      const peak = Math.max(...[...Array(701).keys()].map((frame) => scalarAt(layer.weight, frame)));
      for (const [channel, curve] of Object.entries(channels))
        expect(channelsOf(found)[joint][channel as Channel]!.keys[0].value).toBeCloseTo(
          curve.keys[0].value * peak,
          0,
        );
      for (const frame of [0, 111, 222, 350, 444, 600, 700])
        expect(scalarAt(found.weight, frame)).toBeCloseTo(scalarAt(layer.weight, frame) / peak, 1);
    }
    expect(left.angle).toBeLessThan(0.5);
    // The sum is the finished motion, by the plain evaluator.
    for (const frame of [0, 99, 250, 410, 700]) {
      const { length, angle } = difference(done, project, frame);
      expect(length).toBeLessThan(rest.error.length + 1e-4);
      expect(angle).toBeLessThan(rest.error.angle + 1e-2);
    }
    // Turned down, the arm alone gives way.
    const calm = {
      ...project,
      layers: project.layers.map((layer) =>
        channelsOf(layer).RightArm && layer.name !== 'What is left' ? { ...layer, muted: true } : layer,
      ),
    };
    const arm = { ...done, layers: done.layers.filter(({ name }) => name !== 'arm') };
    expect(difference(calm, arm, 200).angle).toBeLessThan(1);
  });

  it('tells two layers apart that overlap in one part, and keeps one that moves both arms as one', async () => {
    const arm = (name: string, turns: Record<string, JointChannels>, weight: Curve) =>
      newLayer(name, 'additive', { content: keyed(turns), weight });
    const both = [
      arm(
        'reach',
        { RightArm: { rx: curveOf([0, 24]), rz: curveOf([0, -15]) }, RightForeArm: { rx: curveOf([0, 18]) } },
        curveOf([0, 0], [60, 0], [240, 1], [420, 0.6], [560, 0], [700, 0]),
      ),
      arm(
        'twist',
        { RightArm: { ry: curveOf([0, 20]), rz: curveOf([0, 10]) }, RightForeArm: { rz: curveOf([0, -14]) } },
        curveOf([0, 0], [200, 0], [400, 1], [700, 0.5]),
      ),
      arm(
        'shrug',
        {
          LeftShoulder: { rz: curveOf([0, 14]) },
          Neck: { rx: curveOf([0, 9]) },
          LowerBack: { rx: curveOf([0, 6]) },
        },
        curveOf([0, 0.3], [350, 1], [700, 0]),
      ),
    ];
    const done: Project = { ...open, layers: [...open.layers, ...both] };
    const finished = await bake(done);
    const { project, left, count } = await takeApart(open, finished, usualLimits(open.rig));
    expect(count).toBe(3);
    const cosine = (a: readonly number[], b: readonly number[]) =>
      a.reduce((sum, value, k) => sum + value * b[k], 0) / (Math.hypot(...a) * Math.hypot(...b) || 1);
    const frames = [...Array(701).keys()];
    const found = project.layers.slice(1, 4);
    for (const layer of both) {
      const weights = frames.map((frame) => scalarAt(layer.weight, frame));
      const numbers = Object.entries(channelsOf(layer)).flatMap(([joint, channels]) =>
        (['rx', 'ry', 'rz'] as const).map((channel) => ({
          joint,
          channel,
          value: channels[channel]?.keys[0].value ?? 0,
        })),
      );
      const best = Math.max(
        ...found.map((one) =>
          Math.min(
            cosine(
              weights,
              frames.map((frame) => scalarAt(one.weight, frame)),
            ),
            cosine(
              numbers.map(({ value }) => value),
              numbers.map(({ joint, channel }) => channelsOf(one)[joint]?.[channel]?.keys[0].value ?? 0),
            ),
          ),
        ),
      );
      expect(best, layer.name).toBeGreaterThan(0.98);
    }
    // Turns that are put on turns differ from their sum by that much where both are at their height.
    expect(left.angle).toBeLessThan(5);
  });

  it('has the singular values of its differences (ml-matrix), and all components explain all', async () => {
    const finished = await bake({ ...open, range: [0, 60], layers: [...open.layers, ...known] });
    const short: Project = { ...open, range: [0, 60] };
    const original = await bake(short);
    const components = componentsOf(open.rig, open.parts, original, finished);
    expect(components.reduce((sum, { share }) => sum + share, 0)).toBeCloseTo(1, 9);
    for (const part of ['rightArm', 'torso']) {
      const names = open.rig.joints.flatMap((_, member) =>
        open.parts[member] === part ? [{ member, kind: 'rotations' as const }] : [],
      );
      const tracks = tracksOf(open.rig, finished, 'euler', names, original);
      const rows = Array.from({ length: 61 }, (_, s) =>
        tracks.flatMap(({ values }) => [...values.subarray(3 * s, 3 * s + 3)]),
      );
      const wanted = new SVD(new Matrix(rows)).diagonal;
      const found = components.filter((one) => one.parts.includes(part)).map(({ singular }) => singular);
      expect(found[0]).toBeCloseTo(wanted[0], 9);
      expect(found.length).toBeGreaterThan(0);
    }
  });
});

/** A layer whose contacts end with a range. */
function standingWithin(layer: Layer, [first, last]: readonly [number, number]): Layer {
  const held = contactsOf(layer);
  if (!held) return layer;
  const limbs = Object.entries(held.limbs).map(([name, { points, spans }]) => {
    const within = spans.filter(([from]) => from >= first && from < last);
    return [
      name,
      { points, spans: within.map(([from, to]) => [from, Math.min(to, last)] as const) },
    ] as const;
  });
  return { ...layer, content: holding({ ...held, limbs: Object.fromEntries(limbs) }) };
}

describe('a merge', () => {
  const open: Project = { ...projectFromTake(capture), range: [0, 40] };
  const runs = fc.tuple(between(0, 0.999), between(0, 0.999));
  it.each([
    ['of layers of every kind', anyProject, 60],
    ['of targets, contacts and changes', anyGroundedProject, 15],
  ] as const)(
    '%s looks the same at every frame, to the error that it states',
    async (_, projects, numRuns) => {
      let kinds = '';
      await fc.assert(
        fc.asyncProperty(projects as fc.Arbitrary<Project>, runs, async (drawn, [low, part]) => {
          const range = [drawn.range[0], Math.min(drawn.range[1], 12)] as const;
          // What lies beyond the range is not kept, so contacts that stand there as well would be others.
          const layers = drawn.layers.map((layer) => standingWithin(layer, range));
          const project = { ...drawn, range, layers };
          const from = Math.floor(low * project.layers.length);
          const to = from + Math.floor(part * (project.layers.length - from));
          const plan = planMerge(project, from, to);
          if (typeof plan === 'string') return;
          kinds += plan.kind;
          const run = finished(sampleRun(plan));
          const height = rigHeight(project.rig);
          const { keys, content } = await asKeys(plan, run, height / 500, 0.3);
          expect(keys.error.length).toBeLessThanOrEqual(height / 500);
          expect(keys.error.angle).toBeLessThanOrEqual(0.3);
          const merged = putMerged(project, plan, { content });
          expect(merged.layers).toHaveLength(project.layers.length - (to - from));
          const [top, result] = [project.layers[to], merged.layers[from]];
          // A new base is called as the base was, any other layer as the topmost of the run.
          const called = plan.kind === 'base' ? project.layers[plan.from] : top;
          expect([result.name, result.id]).toEqual([called.name, top.id]);
          const adds = plan.merged.every((layer) => layer.mode === 'additive' && layer.axes === 'joint');
          if (
            adds &&
            from > 0 &&
            plan.merged.every(({ content: c }) => c.kind !== 'curves' || c.targets.length === 0)
          )
            expect(result.mode).toBe('additive');
          const soloed =
            project.layers.some(({ solo }, k) => solo && k > to) || project.groups.some(({ solo }) => solo);
          for (let frame = project.range[0]; frame <= project.range[1]; frame++) {
            // In the whole stack: what lies above makes the error larger or hides it.
            const { length, angle, number } = difference(project, merged, frame);
            if (!soloed) {
              expect(number).toBeLessThanOrEqual(0.005);
              expect(length).toBeLessThan(height / 500 + 2e-5 * Math.max(1, height));
              expect(angle).toBeLessThan(0.3 + 5e-3);
            } else expect(length).toBeLessThan(height / 20);
          }
        }),
        { numRuns, seed: 7 },
      );
      for (const kind of ['base', 'override', ...(numRuns > 20 ? ['additive'] : [])])
        expect(kinds).toContain(kind);
    },
  );

  it('ends, however short a cycle and however large numbers are', async () => {
    for (const cycle of [
      [0, 1e-300],
      [0, 1e-7],
      [0, 1e-6],
      [0, 0.01],
    ] as const) {
      const odd = newLayer('odd', 'additive', {
        time: { offset: 0, speed: 1, loop: 'repeat', cycle },
        content: keyed({ Head: { rx: { keys: [newKey(0, 1e15), newKey(5e-7, -1e15), newKey(0.005, 3)] } } }),
      });
      const project: Project = { ...open, range: [0, 20], layers: [...open.layers, odd] };
      const plan = planMerge(project, 1, 1) as MergePlan;
      const { keys } = await asKeys(plan, finished(sampleRun(plan)), 0.1, 1);
      expect(keys.after).toBeGreaterThan(0);
      expect(framesWithKeys(project, project.range).length).toBeGreaterThan(0);
    }
  });

  it('to every frame is refused where a prop stands elsewhere than it was put, which no take holds', () => {
    const crate: Prop = { name: 'Crate', shape: 'box', size: [1, 1, 1], at: [0, 0, 0], turn: [0, 0, 0] };
    const there = addProp(open, crate);
    const moved = newLayer('moved', 'override', {
      content: keyed({ Crate: { tx: { keys: [newKey(0, 5)] } } }),
    });
    const project: Project = { ...there, range: [0, 5], layers: [...there.layers, moved] };
    const plan = planMerge(project, 0, 1) as MergePlan;
    expect(() => takeOfRun(plan, finished(sampleRun(plan)))).toThrow(/Crate does not stay where it was put/);
    const bare = planMerge({ ...there, range: [0, 5] }, 0, 0) as MergePlan;
    expect(takeOfRun(bare, finished(sampleRun(bare)))?.count).toBe(6);
  });

  it('into a keyed base is read back from a file with the skeleton of the take that stays', async () => {
    const plan = planMerge(open, 0, 0) as MergePlan;
    const { content } = await asKeys(plan, finished(sampleRun(plan)), 0.02, 0.3);
    const merged = putMerged(open, plan, { content });
    const { project } = await readProject(writeProject(merged), 'merged.evlay');
    expect(project.rig).toEqual(open.rig);
    expect(project.takes.map(({ name }) => name)).toEqual([capture.name]);
    expect(difference(project, merged, 33).length).toBe(0);
    expect(rigTake(project)?.id).toBe(project.takes[0].id);
    // Merged on, the keyed base stays too, as a take of what it was.
    const lean = newLayer('Lean', 'additive', { content: keyed({ Spine: { rx: curveOf([0, 9]) } }) });
    const on = planMerge({ ...merged, layers: [...merged.layers, lean] }, 0, 1) as MergePlan;
    const kept = oldBase(on, planBake(merged, {}))!;
    expect(motionError(placesOf(open.rig, await bake(merged)), kept)).toMatchObject({ length: 0, angle: 0 });
    // Also where it was muted to play another layer alone.
    const muted = { ...merged, layers: merged.layers.map((layer) => ({ ...layer, muted: true })) };
    expect(oldBase({ project: muted, from: 0 }, planBake(merged, {}))).toEqual(kept);
    expect(oldBase(plan, planBake(open, {}))).toBeUndefined();
    // Without it there would be no skeleton: it stays, whatever is done.
    expect(removeTake(project, project.takes[0].id)).toBe(project);
  });

  it('to every frame is the same to rounding, also after it is put away and read again', async () => {
    await fc.assert(
      fc.asyncProperty(anyProject, runs, async (drawn, [low, part]) => {
        const project = { ...drawn, range: [2, 9] as const };
        const from = Math.floor(low * project.layers.length);
        const to = from + Math.floor(part * (project.layers.length - from));
        const plan = planMerge(project, from, to);
        if (typeof plan === 'string') return;
        const run = finished(sampleRun(plan));
        const motion = takeOfRun(plan, run);
        const take = motion && writtenTake(motion, { name: 'merged', file: 'merged.glb', metresPerUnit: 1 });
        const content = take ? playing(take.id, 'rest') : NO_CONTENT;
        const merged = putMerged(project, plan, { content, take });
        for (const frame of [2, 5, 9]) {
          const { length, angle, number } = difference(project, merged, frame);
          expect(number).toBeLessThan(1e-5);
          // Within what every path may differ by (`docs/evaluation.md`), for what is seen before and after.
          expect(length).toBeLessThan(5e-5 * Math.max(1, rigHeight(project.rig)));
          expect(angle).toBeLessThan(1e-2);
        }
      }),
      { numRuns: 30, seed: 3 },
    );
  });
});
