import { Document, type Node as GltfNode, WebIO } from '@gltf-transform/core';
import { validateBytes } from 'gltf-validator';
import { Matrix4 } from 'three';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bake } from '../src/bake/index.js';
import { projectFromCharacter } from '../src/edit/index.js';
import { readCharacter, readSkeleton, writeOnCharacter } from '../src/format/index.js';
import { compileStack, evaluateStack, type Project, restPose } from '../src/index.js';
import { keysFromSamples, usualLimits } from '../src/keys/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { threePlayer } from './capture.js';

/** Scales of the nodes of a tree, by name: mirrored once, in two directions, in three, and back below a mirrored one. */
const SCALES: Readonly<Record<string, readonly number[]>> = {
  Root: [1, 1, 1],
  ArmL: [1.1, 1, 1],
  HandL: [1, 1, 1],
  ArmR: [-1.1, 1, 1],
  HandR: [1, 1.2, 1],
  BackR: [1, -1, 0.8],
  Turned: [-1, -0.9, 1],
  Tip: [-1, -1, -1],
  End: [1, 1, 1],
};
const PARENTS: Readonly<Record<string, string>> = {
  ArmL: 'Root',
  HandL: 'ArmL',
  ArmR: 'Root',
  HandR: 'ArmR',
  BackR: 'HandR',
  Turned: 'Root',
  Tip: 'Turned',
  End: 'Tip',
};

/** A skeleton of which some joints mirror, animated in every property by each interpolation; `root` scales the topmost. */
async function mirroring(root = SCALES.Root): Promise<Uint8Array> {
  const made = new Document();
  const buffer = made.createBuffer();
  const next = random(11);
  const drawn = (count: number) => Array.from({ length: count }, () => next() - 0.5);
  const unit = () => {
    const q = drawn(4);
    return q.map((value) => value / Math.hypot(...q));
  };
  const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: readonly number[]) =>
    made.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
  const clip = made.createAnimation('move');
  const nodes = new Map<string, GltfNode>();
  const scene = made.createScene();
  for (const [name, own] of Object.entries(SCALES)) {
    const scale = (name === 'Root' ? root : own) as [number, number, number];
    const node = made
      .createNode(name)
      .setTranslation(drawn(3) as [number, number, number])
      .setRotation(unit() as [number, number, number, number]);
    node.setScale(scale);
    nodes.set(name, node);
    const above = nodes.get(PARENTS[name]);
    if (above) above.addChild(node);
    else scene.addChild(node);
    for (const [path, k] of [
      ['translation', 0],
      ['rotation', 1],
      ['scale', 2],
    ] as const) {
      const how = (['LINEAR', 'CUBICSPLINE', 'STEP'] as const)[(nodes.size + k) % 3];
      const times = [0, 0.4, 0.9, 1.5];
      const start = unit();
      const value = (t: number) => {
        if (path === 'translation') return drawn(3);
        if (path === 'scale') return scale.map((one) => one * (1 + 0.3 * next()));
        const q = start.map((one, c) => one + 0.2 * t * (c - 1));
        return q.map((one) => one / Math.hypot(...q));
      };
      const slope = () =>
        how === 'CUBICSPLINE' ? drawn(path === 'rotation' ? 4 : 3).map((one) => one * 0.2) : [];
      const values = times.flatMap((_, t) => [...slope(), ...value(t), ...slope()]);
      const sampler = made
        .createAnimationSampler()
        .setInterpolation(how)
        .setInput(accessor('SCALAR', times))
        .setOutput(accessor(path === 'rotation' ? 'VEC4' : 'VEC3', values));
      clip
        .addSampler(sampler)
        .addChannel(
          made.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler),
        );
    }
  }
  return new WebIO().writeBinary(made);
}

/**
 * How far the nodes of a file, as three plays them, are from the joints of a project, times the signs of their axes, in
 * each number of their matrices.
 */
async function farFromThree(project: Project, bytes: Uint8Array, clip: number, frames: readonly number[]) {
  const { mirrored } = readSkeleton(bytes);
  const play = await threePlayer(bytes, clip);
  const pose = restPose(project.rig);
  const stack = compileStack(project);
  let worst = 0;
  for (const frame of frames) {
    evaluateStack(stack, frame, pose);
    const own = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
    const theirs = play(frame / project.fps);
    for (const [j, { name }] of project.rig.joints.entries()) {
      const [x, y, z] = mirrored[j]?.axes ?? [1, 1, 1];
      const seen = new Matrix4().fromArray(own, 16 * j).scale({ x, y, z } as never);
      const { elements } = theirs.get(name)!.matrixWorld;
      worst = Math.max(worst, ...elements.map((value, k) => Math.abs(value - seen.elements[k])));
    }
  }
  return worst;
}

describe.each([
  ['joints that mirror', SCALES.Root],
  ['a root that mirrors', [-1, 1, 1]],
  ['a root that mirrors in three directions', [-2, -2, -2]],
])('%s', (_, root) => {
  it('play as three plays them, and are baked back onto the file as the nodes have them', async () => {
    const bytes = await mirroring(root);
    const read = await readCharacter('mirrored.glb', bytes);
    const project: Project = { ...projectFromCharacter(read), fps: 60, range: [0, 90] };
    for (const joint of project.rig.joints) expect(Math.min(...joint.scale)).toBeGreaterThan(0);
    // On the samples of the take, which are as dense as it takes to follow the curves.
    const frames = Array.from({ length: 31 }, (_, k) => 3 * k);
    expect(await farFromThree(project, bytes, 0, frames)).toBeLessThan(2e-3);
    const samples = await bake(project, {});
    const limits = { ...usualLimits(project.rig), space: 'quaternion' as const };
    const keys = await keysFromSamples(project.rig, samples, limits);
    for (const [motion, limit] of [
      [samples, 1e-5],
      [keys, 2e-2],
    ] as const) {
      const baked = writeOnCharacter(bytes, project.rig, motion, 'baked');
      const { issues } = await validateBytes(baked);
      expect(issues.messages.filter((one) => one.severity === 0)).toEqual([]);
      expect(await farFromThree(project, baked, 1, frames)).toBeLessThan(limit);
    }
  });
});
