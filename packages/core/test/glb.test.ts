import { Document, WebIO } from '@gltf-transform/core';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bake } from '../src/bake/index.js';
import { addProp, projectFromTake } from '../src/edit/index.js';
import { readGlbKeys } from '../src/format/gltf/keyed.js';
import { readAnyTake, readStack, readTake, writeGlb } from '../src/format/index.js';
import { compileStack, evaluateStack, keyed, newKey, newLayer, type Prop, restPose } from '../src/index.js';
import { angleBetween, DEGREES } from '../src/math/index.js';
import { emptyTrack } from '../src/take/index.js';
import { captureBytes, threeGlbReader, threePlayer } from './capture.js';

const capture = projectFromTake(readTake('01_01.bvh', captureBytes()).take);

describe('a take from GLB', () => {
  it('is what was baked, sample by sample', async () => {
    const samples = await bake(capture, { range: [0, 400] });
    const bytes = await writeGlb(capture.rig, samples, { name: 'walk', metresPerUnit: 0.0254 });
    const { take, warnings } = await readAnyTake('takes/walk.glb', bytes);
    expect(warnings).toEqual([]);
    expect(take).toMatchObject({ name: 'walk', count: 401 });
    expect(take.rig.joints.map(({ name, parent }) => [name, parent])).toEqual(
      capture.rig.joints.map(({ name, parent }) => [name, parent]),
    );
    for (const [i, value] of take.rotations.values.entries())
      expect(Math.abs(Math.abs(value) - Math.abs(samples.rotations.values[i]))).toBeLessThan(1e-6);
    const hips = take.translations.joints.indexOf(0);
    expect(hips).toBe(0);
    for (let s = 0; s < 401; s += 40)
      for (let axis = 0; axis < 3; axis++) {
        const row = s * take.translations.joints.length;
        expect(take.translations.values[3 * row + axis]).toBeCloseTo(
          0.0254 * samples.translations.values[3 * s * capture.rig.joints.length + axis],
          5,
        );
      }
  });

  it('has props as nodes beside the character on wish, as three and the validator read it', async () => {
    const crate: Prop = {
      name: 'Crate',
      shape: 'box',
      size: [10, 10, 10],
      at: [20, 5, 30],
      turn: [0, 90, 0],
    };
    const rolls = newLayer('Rolls', 'override', {
      content: keyed({ Crate: { tx: { keys: [newKey(0, 20, 'linear'), newKey(120, 50, 'linear')] } } }),
    });
    const withCrate = addProp(capture, crate);
    const project = { ...withCrate, layers: [...withCrate.layers, rolls] };
    const samples = await bake(project, { range: [0, 120] });
    const write = (props: boolean) =>
      writeGlb(project.rig, samples, { name: 'walk', metresPerUnit: 0.0254, props });
    const bytes = write(true);
    expect((await validateBytes(bytes)).issues.numErrors).toBe(0);
    const read = await threeGlbReader(bytes);
    for (const [second, x] of [
      [0, 20],
      [0.5, 35],
    ])
      for (const [axis, value] of [x, 5, 30].entries())
        expect(read(second).get('Crate')!.getComponent(axis)).toBeCloseTo(0.0254 * value, 4);
    const { take } = await readAnyTake('walk.glb', write(false));
    expect(take.rig.joints).toHaveLength(capture.rig.joints.length);
  });

  /** The capture's frame time is .0083333, which is 120.00048 a second. */
  it.each([
    ['120.00048 a second', 0.0083333, 20_000],
    ['30.0003 a second', 1 / 30.0003, 4000],
    ['29.97 a second', 1001 / 30_000, 20_000],
    ['60 a second', 1 / 60, 30_000],
    ['1200 a second', 1 / 1200, 5000],
    ['4800 a second', 1 / 4800, 60_000],
    ['100,000 a second', 1e-5, 20_000],
    ['23.976 a second, one frame', 1001 / 24_000, 1],
  ])('comes back from a long bake at %s with every sample', async (_, interval, count) => {
    const rig = { joints: [{ ...capture.rig.joints[0], ends: [] }] };
    const next = random(count);
    const track = (size: 3 | 4) => ({
      joints: Int32Array.of(0),
      size,
      values: Float64Array.from({ length: size * count }, () => Math.fround(next() - 0.5)),
    });
    const samples = {
      count,
      interval,
      translations: track(3),
      rotations: track(4),
      scales: emptyTrack(3),
      faces: emptyTrack(1),
    };
    const bytes = writeGlb(rig, samples, { name: 'x', metresPerUnit: 1 });
    const { take, warnings } = await readAnyTake('x.glb', bytes);
    expect(warnings).toEqual([]);
    expect(take.count).toBe(count);
    if (count > 1) expect(take.interval / interval).toBeCloseTo(1, 6);
    expect(take.translations.values).toEqual(samples.translations.values);
  });

  it('is a recording where another program wrote more samples than a call takes arguments', async () => {
    const document = new Document();
    const buffer = document.createBuffer();
    const count = 200_000;
    const node = document.createNode('root').setMesh(document.createMesh());
    document.createScene().addChild(node);
    node.setSkin(document.createSkin().addJoint(node));
    const times = Float32Array.from({ length: count }, (_, k) => k / 120);
    const turns = new Float32Array(4 * count);
    for (let k = 0; k < count; k++)
      turns.set([0, Math.sin(k / 2000), 0, Math.cos(k / 2000)].map(Math.fround), 4 * k);
    const accessor = (type: 'SCALAR' | 'VEC4', values: Float32Array<ArrayBuffer>) =>
      document.createAccessor().setType(type).setArray(values).setBuffer(buffer);
    const sampler = document
      .createAnimationSampler()
      .setInput(accessor('SCALAR', times))
      .setOutput(accessor('VEC4', turns));
    const channel = document.createAnimationChannel().setTargetNode(node).setTargetPath('rotation');
    document.createAnimation('turns').addSampler(sampler).addChannel(channel.setSampler(sampler));
    const bytes = await new WebIO().writeBinary(document);
    expect(readGlbKeys(bytes, undefined)).toBeUndefined();
    expect((await readAnyTake('turns.glb', bytes)).take.count).toBeGreaterThan(count - 2);
  });

  /** Two joints with a clip of every interpolation, the keys at uneven times, beside another clip. */
  async function twoClips(): Promise<Uint8Array> {
    const document = new Document();
    const buffer = document.createBuffer();
    const tip = document.createNode('tip').setTranslation([0, 1, 0]);
    const root = document.createNode('root').addChild(tip);
    document.createScene().addChild(root);
    const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: number[]) =>
      document.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
    const unit = (x: number, y: number) => [x, y, 0, Math.sqrt(1 - x * x - y * y)];
    const add = (
      clip: string,
      node: typeof root,
      path: 'translation' | 'rotation' | 'scale',
      interpolation: 'LINEAR' | 'STEP' | 'CUBICSPLINE',
      times: number[],
      values: number[],
    ) => {
      const animation =
        document
          .getRoot()
          .listAnimations()
          .find((one) => one.getName() === clip) ?? document.createAnimation(clip);
      const sampler = document
        .createAnimationSampler()
        .setInput(accessor('SCALAR', times))
        .setOutput(accessor(path === 'rotation' ? 'VEC4' : 'VEC3', values))
        .setInterpolation(interpolation);
      const channel = document.createAnimationChannel().setTargetNode(node).setTargetPath(path);
      animation.addSampler(sampler).addChannel(channel.setSampler(sampler));
    };
    const times = [0.1, 0.37, 1, 1.45];
    add(
      'all',
      root,
      'rotation',
      'LINEAR',
      times,
      [unit(0, 0), unit(0.5, 0), unit(0.1, -0.6), unit(0, 0.2)].flat(),
    );
    add(
      'all',
      root,
      'translation',
      'CUBICSPLINE',
      [0, 0.8, 1.5],
      [...[0, 0, 0, 0, 1, 0, 2, 0, 0], ...[1, 0, 0, 3, 1, -1, 0, 5, 0], ...[0, 0, 2, 1, 1, 1, 0, 0, 0]],
    );
    add('all', tip, 'scale', 'STEP', [0, 0.5], [1, 1, 1, 1, 2, 1]);
    add('even', tip, 'rotation', 'LINEAR', [0, 0.04, 0.08], [unit(0, 0), unit(0.2, 0), unit(0.4, 0)].flat());
    return new WebIO().writeBinary(document);
  }

  /** Keys of one joint's rotation and translation, drawn: `uneven` says where they stand. */
  function swing(interpolation: 'LINEAR' | 'STEP' | 'CUBICSPLINE', uneven: boolean, seed: number) {
    const next = random(seed);
    const document = new Document();
    const buffer = document.createBuffer();
    const node = document.createNode('root');
    document.createScene().addChild(node);
    const animation = document.createAnimation('swing');
    const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: number[]) =>
      document.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
    let time = 0;
    const times = Array.from({ length: 7 }, (_, k) => {
      if (k > 0) time += uneven ? 0.2 + next() : 0.25;
      return time;
    });
    for (const [path, size] of [
      ['rotation', 4],
      ['translation', 3],
    ] as const) {
      const values = times.flatMap(() => {
        const value = Array.from({ length: size }, (_, c) => (c === 3 ? 0.7 : next() - 0.5));
        // Every other quaternion has its other sign, which is the same rotation, and on a spline another motion.
        const flipped = interpolation !== 'CUBICSPLINE' && next() < 0.5;
        const length = size === 4 ? Math.hypot(...value) * (flipped ? -1 : 1) : 1;
        const tangent = () => Array.from({ length: size }, () => 2 * next() - 1);
        const key = value.map((v) => v / length);
        return interpolation === 'CUBICSPLINE' ? [...tangent(), ...key, ...tangent()] : key;
      });
      const sampler = document
        .createAnimationSampler()
        .setInput(accessor('SCALAR', times))
        .setOutput(accessor(size === 4 ? 'VEC4' : 'VEC3', values))
        .setInterpolation(interpolation);
      const channel = document.createAnimationChannel().setTargetNode(node).setTargetPath(path);
      animation.addSampler(sampler).addChannel(channel.setSampler(sampler));
    }
    return { document, times: times.map(Math.fround) };
  }

  // The last number is what is allowed in degrees: of turns of some 100 degrees between keys, sampled 480 times a
  // second at most, a corner is cut where its key is no sample.
  it.each([
    ['LINEAR', false, 1e-3],
    ['LINEAR', true, 0.5],
    ['STEP', false, 1e-3],
    ['STEP', true, 1e-3],
    ['CUBICSPLINE', false, 0.1],
    ['CUBICSPLINE', true, 0.2],
  ] as const)(
    '%s, uneven %s, runs as three plays it, also between the samples',
    async (interpolation, uneven, allowed) => {
      for (let seed = 1; seed <= 4; seed++) {
        const { document, times } = swing(interpolation, uneven, seed);
        const bytes = await new WebIO().writeBinary(document);
        const { take, warnings } = await readAnyTake('swing.glb', bytes);
        expect(warnings.length).toBe(uneven ? 1 : 0);
        const project = { ...projectFromTake(take), fps: 1 / take.interval };
        const stack = compileStack(project);
        const pose = restPose(project.rig);
        const three = await threePlayer(bytes);
        let worst = { turned: 0, moved: 0, time: 0 };
        for (let k = 0; k <= 10 * (take.count - 1); k++) {
          const time = (k / 10) * take.interval;
          // A step is a straight line between the two samples beside it.
          const [from, to] = [Math.floor(k / 10 - 1e-6), Math.ceil(k / 10 + 1e-6)];
          const steps = (one: number) => one > from * take.interval && one <= to * take.interval + 1e-6;
          if (interpolation === 'STEP' && times.slice(1).some(steps)) continue;
          evaluateStack(stack, k / 10, pose);
          const { quaternion, position } = three(time).get('root')!;
          const turned = angleBetween(pose.rotations, 0, quaternion.toArray(), 0) * DEGREES;
          const moved = Math.max(
            ...position.toArray().map((v, axis) => Math.abs(pose.translations[axis] - v)),
          );
          if (turned > worst.turned) worst = { ...worst, turned, time };
          worst.moved = Math.max(worst.moved, moved);
        }
        expect(worst.turned, `${interpolation} ${seed} at ${worst.time}`).toBeLessThan(allowed);
        expect(worst.moved).toBeLessThan(3e-3);
      }
    },
  );
  it('is one of several animations by its clip, in one stack', async () => {
    const bytes = await twoClips();
    const stack = (base: object, more: object = {}) =>
      readStack(
        new TextEncoder().encode(
          JSON.stringify({
            format: 'evlay-stack',
            version: 1,
            fps: 25,
            range: [0, 2],
            layers: [
              { name: 'Base', take: { file: 'two.glb', ...base } },
              { name: 'Tip', take: { file: 'two.glb', ...more } },
            ],
          }),
        ),
        'x',
        () => ({ bytes }),
      );
    const { project } = await stack({ clip: 'all' }, { clip: 'even' });
    expect(project.takes.map((take) => [take.name, take.count, take.interval])).toEqual([
      ['all', 151, 1 / 100],
      ['even', 3, 1 / 25],
    ]);
    const pose = restPose(project.rig);
    evaluateStack(compileStack(project), 2, pose);
    expect(pose.rotations[4]).toBeCloseTo(0.4, 6);
    await expect(stack({ clip: 'all' })).rejects.toThrow(/expected "clip" to name one of "all", "even"/);
    await expect(stack({ clip: 'all' }, { clip: 'odd' })).rejects.toThrow(/no "odd"/);
  });
});
