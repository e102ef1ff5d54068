import { validateBytes } from 'gltf-validator';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { newSamples } from '../src/bake/index.js';
import { glbKeysFile, joinRanges } from '../src/format/index.js';
import { findKeys, type KeysBlock, keysFromSamples, keysOfBlock } from '../src/keys/index.js';
import type { Samples } from '../src/take/index.js';
import { rigOf, threePlayer } from './capture.js';

const rig = rigOf([
  ['hips', -1, [0, 1, 0]],
  ['spine', 0, [0, 0.3, 0]],
  ['head', 1, [0, 0.4, 0]],
  ['arm', 1, [0.2, 0.3, 0]],
  ['hand', 3, [0.3, 0, 0]],
]);
const HAND = 4;
const COUNT = 20_001;
/** In these samples alone the hand leaves its place, and the head its size. */
const MOVES = [9_000, 11_500] as const;
const GROWS = 17_000;

const noise = (s: number, k: number) => {
  const x = Math.sin(s * 12.9898 + k * 78.233) * 43758.5453;
  return x - Math.floor(x) - 0.5;
};

/** A drawn motion, which turns over and over and is nowhere in memory as a whole. */
function part(from: number, to: number): Samples {
  const samples = newSamples(rig, to - from, 120);
  const turn = new THREE.Quaternion();
  for (let s = from; s < to; s++)
    for (const [j, joint] of rig.joints.entries()) {
      const row = (s - from) * rig.joints.length + j;
      const around = j === 0 ? s / 90 : 0.6 * Math.sin(s / (40 + 9 * j));
      turn.setFromEuler(
        new THREE.Euler(0.3 * Math.sin(s / 55), around + 0.002 * noise(s, j), 0.2 * j, 'YXZ'),
      );
      // Both signs mean the same.
      const sign = noise(s, j + 20) < 0 ? -1 : 1;
      samples.rotations.values.set(
        turn.toArray().map((value) => sign * value),
        4 * row,
      );
      const [x, y, z] = joint.translation;
      const out = j === HAND && s >= MOVES[0] && s < MOVES[1] ? 0.1 * Math.sin((s - MOVES[0]) / 80) : 0;
      samples.translations.values.set([x + out, y, z], 3 * row);
      const size = j === 2 && s >= GROWS ? 1 + (s - GROWS) / 4000 : 1;
      samples.scales.values.set([size, size, size], 3 * row);
    }
  return samples;
}

const limits = { length: 0.001, angle: 0.2 };
const wanted = { ...limits, space: 'quaternion' as const, stretches: 50 };
const maker = async (block: KeysBlock) => keysOfBlock(structuredClone(block));

describe('keys of a motion that comes part after part', () => {
  it('keep their limits as three plays them, as far off over time as they say, and no more of it is held than blocks under way', async () => {
    let held = 0;
    let most = 0;
    const bring = async (from: number, to: number) => {
      held += to - from;
      most = Math.max(most, held);
      return part(from, to);
    };
    const make = async (block: KeysBlock) => {
      const found = await maker(block);
      held -= block.samples.count - 1;
      return found;
    };
    const source = { count: COUNT, interval: 1 / 120, bring: [bring, bring] };
    const keys = await findKeys(rig, source, wanted, { makers: [make, make] });
    // Two blocks for each of two makers, each of 2,500 samples at most.
    expect(most).toBeLessThanOrEqual(4 * 2501);
    expect(keys.tracks.map(({ member, kind }) => `${rig.joints[member].name} ${kind}`).sort()).toEqual(
      [...rig.joints.map(({ name }) => `${name} rotations`), 'hand translations', 'head scales'].sort(),
    );
    expect(keys.before).toBe(7 * COUNT);
    expect(keys.after).toBeLessThan(0.15 * keys.before);
    const glb = joinRanges([...glbKeysFile(rig, keys, { name: 'parts', metresPerUnit: 1 }).ranges()]);
    expect((await validateBytes(glb)).issues.numErrors).toBe(0);
    const play = await threePlayer(glb);
    const { stretch, lengths } = keys.over!;
    const seen = lengths.map((own) => new Float32Array(own.length));
    let turned = 0;
    for (let s = 0; s < COUNT; s++) {
      const nodes = play(s / 120);
      const now = part(s, s + 1);
      const objects = rig.joints.map(() => new THREE.Object3D());
      for (const [j, { parent, name }] of rig.joints.entries()) {
        const object = objects[j];
        if (parent >= 0) objects[parent].add(object);
        object.position.fromArray(now.translations.values, 3 * j);
        object.quaternion.fromArray(now.rotations.values, 4 * j);
        object.scale.fromArray(now.scales.values, 3 * j);
        object.updateWorldMatrix(true, false);
        const node = nodes.get(name)!;
        const off = node.getWorldPosition(new THREE.Vector3());
        const length = off.distanceTo(object.getWorldPosition(new THREE.Vector3()));
        const at = Math.floor(s / stretch);
        seen[j][at] = Math.max(seen[j][at], length);
        const angle = node
          .getWorldQuaternion(new THREE.Quaternion())
          .angleTo(object.getWorldQuaternion(new THREE.Quaternion()));
        turned = Math.max(turned, (angle * 180) / Math.PI);
      }
    }
    expect(turned).toBeLessThanOrEqual(limits.angle);
    expect(turned).toBeCloseTo(keys.error.angle, 2);
    // The head grows, so that what surrounds it is looked at too; of all others the joint itself is what is off the most.
    for (const j of [0, 1, 3, HAND])
      for (const [k, length] of seen[j].entries()) {
        expect(length).toBeLessThanOrEqual(limits.length);
        // Times in the file have 32 bits: three is up to 15 microseconds early or late.
        expect(Math.abs(length - lengths[j][k])).toBeLessThan(2e-5);
      }
  }, 60_000);

  it('are those of the same motion in memory, with what changes it on its way, and stop where there are too many', async () => {
    const lifted = (own: Samples): Samples => ({
      ...own,
      translations: { ...own.translations, values: own.translations.values.map((value) => value + 0.5) },
    });
    // It is shaped part after part: the first sample of all is what the others are moved by.
    const shaping = () => {
      let first: number | undefined;
      return (own: Samples): Samples => {
        const moved = lifted(own);
        first ??= own.rotations.values[1];
        return {
          ...moved,
          scales: { ...own.scales, values: own.scales.values.map((value) => value + first!) },
        };
      };
    };
    const count = 6001;
    const whole = shaping()(part(0, count));
    for (const space of ['quaternion', 'euler'] as const) {
      const alone = await keysFromSamples(rig, whole, { ...limits, space });
      const slow = async (from: number, to: number) => {
        await new Promise((resolve) => setTimeout(resolve, 20 * Math.abs(noise(from, 3))));
        return part(from, to);
      };
      const source = { count, interval: 1 / 120, bring: [slow], shape: shaping() };
      const makers = [maker, maker, maker];
      expect(await findKeys(rig, source, { ...limits, space }, { makers })).toEqual(alone);
    }
    const few = findKeys(
      rig,
      { count, interval: 1 / 120, bring: [async (from, to) => part(from, to)] },
      { ...limits, space: 'euler', most: 1000 },
    );
    await expect(few).rejects.toThrow(
      /more than 1,000 keys in [\d,]+ of 6,001 samples.*expected wider limits/,
    );
  }, 60_000);
});
