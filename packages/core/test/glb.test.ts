import { Document, WebIO } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { bake } from '../src/bake/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { readAnyTake, readStack, readTake, writeGlb } from '../src/format/index.js';
import { compileStack, evaluateStack, restPose, type Take } from '../src/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { captureBytes, threeGlbReader } from './capture.js';

const capture = projectFromTake(readTake('01_01.bvh', captureBytes()).take);

describe('a take from GLB', () => {
  it('is what was baked, sample by sample', async () => {
    const samples = await bake(capture, { range: [0, 400] });
    const bytes = await writeGlb(capture.rig, samples, { name: 'walk', metresPerUnit: 0.0254 });
    const { take, warnings } = await readAnyTake('takes/walk.glb', bytes);
    expect(warnings).toEqual([]);
    expect(take).toMatchObject({ name: 'walk', count: 401, interval: 1 / 120 });
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

  it('has the interpolations of glTF 2.0, as three plays them, also where keys are uneven', async () => {
    const bytes = await twoClips();
    const { take, warnings } = await readAnyTake('two.glb', bytes, 'all');
    expect(warnings).toEqual([expect.stringMatching(/uneven times; they are read 60 times a second/)]);
    expect([take.count, take.interval]).toEqual([91, 1 / 60]);
    const three = await threeGlbReader(bytes);
    const project = projectFromTake(take as Take);
    const stack = compileStack(project);
    const pose = restPose(project.rig);
    const matrices = new Float64Array(32);
    for (const k of [0, 7, 22, 23, 30, 31, 47, 60, 61, 80, 88, 90]) {
      evaluateStack(stack, k, pose);
      globalMatrices(project.rig, pose, matrices);
      const shown = three(k / 60);
      for (const [j, name] of ['root', 'tip'].entries())
        for (const [axis, value] of shown.get(name)!.toArray().entries())
          expect(matrices[16 * j + 12 + axis]).toBeCloseTo(value, 4);
    }
  });

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
      ['all', 91, 1 / 60],
      ['even', 3, 1 / 25],
    ]);
    const pose = restPose(project.rig);
    evaluateStack(compileStack(project), 2, pose);
    expect(pose.rotations[4]).toBeCloseTo(0.4, 6);
    await expect(stack({ clip: 'all' })).rejects.toThrow(/expected "clip" to name one of "all", "even"/);
    await expect(stack({ clip: 'all' }, { clip: 'odd' })).rejects.toThrow(/no "odd"/);
  });
});
