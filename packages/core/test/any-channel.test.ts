import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { takeOfSize } from '../bench/subject.js';
import { lostInBake } from '../src/bake/index.js';
import {
  addLayer,
  allowAll,
  allowChannels,
  brokenLimbs,
  followKeys,
  holdFace,
  holdFaceRefusal,
  keyPose,
  limitToJoints,
  projectFromTake,
  setSpan,
} from '../src/edit/index.js';
import { spanFactor } from '../src/evaluate/gate.js';
import { writtenKind } from '../src/format/index.js';
import {
  type Curve,
  compileStack,
  evaluateStack,
  keyed,
  type Layer,
  layerById,
  newKey,
  newLayer,
  type Project,
  type Rig,
  restPose,
  type Take,
} from '../src/index.js';
import { scaledBy } from '../src/solve/index.js';

const take: Take = { ...takeOfSize(WICK, 200, 3), name: 'walk' };
const project: Project = { ...projectFromTake(take), fps: 30, range: [0, 199] };
const jointOf = (name: string) => WICK.joints.findIndex((joint) => joint.name === name);

describe('squash and stretch', () => {
  const factor = fc.double({ min: 0.2, max: 4, noNaN: true });

  it('keeps the volume whichever axes are pulled, and without that choice pulls these alone', () => {
    fc.assert(
      fc.property(
        fc.tuple(factor, factor, factor),
        fc.tuple(factor, factor, factor),
        fc.subarray([0, 1, 2], { minLength: 1 }),
        (own, pulled, axes) => {
          const pose = restPose(WICK);
          const j = jointOf('Head');
          pose.scales.set(own, 3 * j);
          const factors = [0, 1, 2].map((axis) => (axes.includes(axis) ? pulled[axis] : 1));
          const plain = scaledBy(pose, j, factors);
          expect(plain).toEqual(own.map((value, axis) => value * factors[axis]));
          const kept = scaledBy(pose, j, factors, true);
          const volume = (scale: readonly number[]) => scale[0] * scale[1] * scale[2];
          expect(volume(kept) / volume(own)).toBeCloseTo(1, 9);
          // What was pulled is as it was asked for, unless all three were.
          if (axes.length < 3) for (const axis of axes) expect(kept[axis]).toBeCloseTo(plain[axis], 12);
        },
      ),
    );
  });
});

describe('a span that follows its keys', () => {
  const id = 'arm';
  const start = (): Project => {
    const { project: added, id: made } = addLayer(project, {
      mode: 'override',
      above: project.layers[0].id,
      joints: [jointOf('Head')],
      frame: 100,
    });
    return { ...added, layers: added.layers.map((one) => (one.id === made ? { ...one, id } : one)) };
  };
  const edit = (p: Project, change: (q: Project) => Project): Project => followKeys(change(p), p);
  const own = (p: Project): Layer => layerById(p, id)!;
  const counts = (p: Project, ...frames: number[]) => frames.map((frame) => spanFactor(own(p).span, frame));

  it('is full from the first key to the last, fades beside them for as many seconds at any rate, and shrinks again', () => {
    const one = start();
    expect(counts(one, 88, 100, 112)).toEqual([0, 1, 0]);
    const two = edit(one, (p) => keyPose(p, id, 150, { Head: { rx: 10, ry: 0, rz: 0 } }));
    expect(counts(two, 88, 100, 125, 150, 162)).toEqual([0, 1, 1, 1, 0]);
    expect(counts(two, 94, 156)).toEqual([0.5, 0.5]);
    const back = edit(two, () => ({ ...two, layers: one.layers }));
    expect(counts(back, 125)).toEqual([0]);
    // At 60 a second the same fades are twice as many frames.
    const fast = { ...start(), fps: 60 };
    const fresh = edit({ ...fast, layers: fast.layers.map((one) => ({ ...one, span: undefined })) }, (p) =>
      keyPose(p, id, 150, { Head: { rx: 10, ry: 0, rz: 0 } }),
    );
    expect(own(fresh).span).toMatchObject({ start: 76, fadeIn: 24, end: 174, fadeOut: 24 });
  });

  it('follows no more once it is set by hand', () => {
    const held = edit(start(), (p) => setSpan(p, id, { start: 90, end: 110 }));
    const keyedOutside = edit(held, (p) => keyPose(p, id, 150, { Head: { rx: 10, ry: 0, rz: 0 } }));
    expect(own(keyedOutside).span).toEqual({ start: 90, end: 110 });
  });
});

describe('what a layer may key, down to single axes', () => {
  it('says which limbs it breaks, and says nothing of whole ones and of none', () => {
    const { project: added, id } = addLayer(project, {
      mode: 'additive',
      above: project.layers[0].id,
      joints: [],
      frame: 0,
    });
    const broken = (p: Project) =>
      brokenLimbs(p, layerById(p, id)!).map(({ name, lacking }) => [name, lacking]);
    expect(broken(added)).toEqual([]);
    const arm = limitToJoints(added, id, ['LeftHand']);
    expect(broken(arm)).toEqual([]);
    expect(broken(allowChannels(arm, id, ['LeftForearm'], ['ry']))).toEqual([['leftArm', ['LeftForearm']]]);
    expect(broken(allowAll(arm, id))).toEqual([]);
  });
});

describe('what a bake will not have', () => {
  it('is said of faces, of scale and of props, by what the kind of file holds', async () => {
    const layer = newLayer('Face', 'additive', {
      content: keyed({
        smileLeft: { m: { keys: [newKey(0, 0), newKey(10, 1)] } },
        Head: { sx: { keys: [newKey(0, 1.2)] } },
      }),
    });
    const stack = { ...project, layers: [...project.layers, layer] };
    const lost = (id: string, p: Project = stack) => lostInBake(p, writtenKind(id)).join('; ');
    expect(lost('bvh')).toMatch(/no face channels: smileLeft.*no scale: Head/);
    expect(lost('glb')).toBe('');
    expect(lost('csv')).toBe('A CSV holds no scale: Head');
    // Of what does not play nothing can be lost.
    expect(lost('bvh', { ...stack, layers: [...project.layers, { ...layer, muted: true }] })).toBe('');
  });
});

describe('a face channel held within 0 and 1', () => {
  const rig: Rig = {
    ...WICK,
    faces: [
      { name: 'smile', rest: 0 },
      { name: 'frown', rest: 0 },
    ],
  };
  const curve = fc
    .array(fc.tuple(fc.integer({ min: 1, max: 30 }), fc.double({ min: -1.5, max: 2.5, noNaN: true })), {
      minLength: 2,
      maxLength: 5,
    })
    .map((steps) => {
      let frame = 0;
      return {
        keys: steps.map(([step, value]) => {
          frame += step;
          return newKey(frame, value);
        }),
      };
    });
  const seen = (project: Project, frame: number): Float64Array => {
    const pose = restPose(project.rig);
    evaluateStack(compileStack(project), frame, pose);
    return pose.faces.slice();
  };

  it('is nowhere seen beyond, stays where it was not, and is found anew after something below has changed', () => {
    fc.assert(
      fc.property(curve, curve, curve, fc.boolean(), (below, above, other, loops) => {
        const layer = (name: string, mode: 'override' | 'additive', m: Curve) =>
          newLayer(name, mode, {
            content: keyed({ smile: { m } }),
            ...(loops && mode === 'additive' && { time: { offset: 3, speed: 1.5, loop: 'repeat' as const } }),
          });
        const plain: Project = {
          ...projectFromTake(take),
          rig,
          fps: 30,
          range: [0, 90],
          layers: [
            newLayer('Base', 'override'),
            layer('low', 'override', below),
            layer('high', 'additive', above),
          ],
        };
        let held = holdFace(plain, ['smile', 'frown']);
        const check = (from: Project) => {
          for (let frame = 0; frame <= 90; frame++) {
            const [was, is] = [seen(from, frame)[0], seen(held, frame)[0]];
            expect(is).toBeGreaterThan(-0.003);
            expect(is).toBeLessThan(1.003);
            if (was >= 0 && was <= 1) expect(Math.abs(is - was)).toBeLessThan(0.003);
            else expect(Math.min(Math.abs(is), Math.abs(is - 1))).toBeLessThan(0.003);
            expect(seen(held, frame)[1]).toBe(0);
          }
        };
        check(plain);
        const changed = {
          ...plain,
          layers: plain.layers.with(1, { ...plain.layers[1], content: keyed({ smile: { m: other } }) }),
        };
        held = holdFace({ ...held, layers: held.layers.with(1, changed.layers[1]) }, ['smile']);
        check(changed);
        expect(held.layers.length).toBeLessThanOrEqual(4);
      }),
      { numRuns: 12 },
    );
  });

  it('is refused while a layer plays alone, and leaves what is within as it is', () => {
    const within: Project = {
      ...projectFromTake(take),
      rig,
      layers: [
        newLayer('Base', 'override'),
        newLayer('smile', 'override', { content: keyed({ smile: { m: { keys: [newKey(0, 0.4)] } } }) }),
      ],
    };
    expect(holdFace(within, ['smile'])).toBe(within);
    expect(
      holdFaceRefusal({ ...within, layers: within.layers.map((one) => ({ ...one, solo: true })) }),
    ).toMatch(/solo/);
  });
});
