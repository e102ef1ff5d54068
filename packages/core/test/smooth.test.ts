import { quat, vec3 } from 'gl-matrix';
import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { walk } from '../../demo/src/wick/walk.js';
import { random } from '../bench/subject.js';
import { likenessOf, seenOf } from '../src/bake/index.js';
import {
  joinedStretches,
  projectFromTake,
  putSamples,
  setMaking,
  setTime,
  smoothLayer,
  wantedMaking,
} from '../src/edit/index.js';
import { makeSamples, readProject, readTake, writeProject } from '../src/format/index.js';
import { restPose, type Take } from '../src/index.js';
import { makeMotion, smoothStretches } from '../src/make/index.js';
import { globalMatrices, jointIndex } from '../src/rig/index.js';
import { type Motion, readSample, resampled, trimmed } from '../src/take/index.js';
import { captureBytes } from './capture.js';

const { take } = readTake('01_01.bvh', captureBytes());
const METRES = projectFromTake(take).metresPerUnit;

/** A number of a normal distribution, from two even ones (Box and Muller, 1958). */
const normal = (next: () => number): number =>
  Math.sqrt(-2 * Math.log(1 - next())) * Math.cos(2 * Math.PI * next());

/** A motion with every joint turned by noise, in degrees on each axis, and some by leaps of one sample. */
function noisy(
  motion: Motion,
  [from, to]: readonly [number, number],
  degrees: number,
  leaps: number,
): Motion {
  const next = random(7);
  const { joints, values } = motion.rotations;
  const turned = values.slice();
  for (let s = from; s <= to; s++)
    for (let entry = 0; entry < joints.length; entry++) {
      const size = next() < leaps ? 10 : degrees;
      const axis = vec3.fromValues(normal(next), normal(next), normal(next));
      const angle = (vec3.length(axis) * size * Math.PI) / 180;
      const o = 4 * (s * joints.length + entry);
      const q = quat.setAxisAngle(quat.create(), vec3.normalize(axis, axis), angle);
      turned.set(quat.multiply(q, turned.subarray(o, o + 4) as unknown as quat, q), o);
    }
  return { ...motion, rotations: { ...motion.rotations, values: turned } };
}

/** Degrees between the rotations of two motions, root of the mean of the squares over a stretch and all joints. */
function off(a: Motion, b: Motion, [from, to]: readonly [number, number]): number {
  const stride = a.rotations.joints.length;
  let [sum, count] = [0, 0];
  for (let o = 4 * from * stride; o < 4 * (to + 1) * stride; o += 4) {
    const angle = quat.getAngle(
      quat.normalize(quat.create(), a.rotations.values.subarray(o, o + 4) as unknown as quat),
      quat.normalize(quat.create(), b.rotations.values.subarray(o, o + 4) as unknown as quat),
    );
    // The cosine of what is the same may be above 1 by rounding.
    sum += (angle || 0) ** 2;
    count++;
  }
  return (Math.sqrt(sum / count) * 180) / Math.PI;
}

function placesOf(motion: Motion, joint: string): Float64Array[] {
  const pose = restPose(motion.rig);
  const matrices = new Float64Array(16 * motion.rig.joints.length);
  const o = 16 * jointIndex(motion.rig, joint) + 12;
  return Array.from({ length: motion.count }, (_, s) => {
    readSample(motion, s, pose);
    globalMatrices(motion.rig, pose, matrices);
    return matrices.slice(o, o + 3);
  });
}

const wearer = { rig: take.rig, metresPerUnit: METRES };

describe('a stretch of a capture that is smoothed', () => {
  // Seconds of the stretch: stances of both feet lie in it.
  const SECONDS = [8.6, 11] as const;

  it.each([
    [30, 0.75],
    [60, 0.65],
    [120, 0.5],
  ])(
    'at %i a second loses noise and leaps, keeps its peaks and its feet, and is left alone beside it',
    (rate, left) => {
      const clean: Motion = rate === 120 ? take : resampled(take, rate);
      const stretch = SECONDS.map((seconds) => Math.round(seconds * rate)) as [number, number];
      const { contacts } = makeMotion(clean, { from: '' }, wearer);
      const shaken = noisy(clean, stretch, 1.5, 0.01);
      const smooth = smoothStretches(shaken, [stretch], contacts.spans);
      expect(off(clean, smooth, stretch)).toBeLessThan(left * off(clean, shaken, stretch));
      // What was clean is changed by little: hands reach as far, and as high.
      const kept = smoothStretches(clean, [stretch], contacts.spans);
      for (const joint of ['RightHand', 'LeftHand', 'Head']) {
        const [hips, before, after] = [
          placesOf(clean, 'Hips'),
          placesOf(clean, joint),
          placesOf(kept, joint),
        ];
        for (let s = stretch[0]; s <= stretch[1]; s++) {
          const reach = (place: Float64Array) =>
            vec3.distance(place as unknown as vec3, hips[s] as unknown as vec3);
          expect(Math.abs(reach(after[s]) - reach(before[s])) * METRES).toBeLessThan(0.02);
        }
      }
      // A foot slides no further over a stance than it did.
      for (const { joint, from, to } of contacts.spans.filter(
        (span) => span.from > stretch[0] && span.to < stretch[1],
      )) {
        const slide = (motion: Motion) => {
          const places = placesOf(motion, joint).slice(from, to + 1);
          return Math.max(...places.map(([x, , z]) => Math.hypot(x - places[0][0], z - places[0][2])));
        };
        expect(slide(smooth)).toBeLessThan(slide(shaken) + 1e-6);
        expect(slide(kept) * METRES).toBeLessThan(slide(clean) * METRES + 0.002);
      }
      const stride = 4 * smooth.rotations.joints.length;
      const beside = Math.ceil(0.16 * rate);
      for (const [a, b] of [
        [0, (stretch[0] - beside) * stride],
        [(stretch[1] + 1 + beside) * stride, clean.count * stride],
      ])
        expect(smooth.rotations.values.subarray(a, b)).toEqual(shaken.rotations.values.subarray(a, b));
    },
  );
});

describe('a clean walk', () => {
  const WALK: Take = { ...take, ...walk(), rig: WICK };

  it.each([30, 60, 120])(
    'at %i a second keeps its quickest moments when noise is taken out of it',
    (rate) => {
      const clean = resampled(WALK, rate);
      const stretch = [Math.round(0.3 * clean.count), Math.round(0.7 * clean.count)] as const;
      const speed = (motion: Motion, joint: string) => {
        const places = placesOf(motion, joint).slice(stretch[0], stretch[1]);
        return Math.max(
          ...places
            .slice(1)
            .map((place, s) => vec3.distance(place as unknown as vec3, places[s] as unknown as vec3)),
        );
      };
      const kept = smoothStretches(clean, [stretch], []);
      expect(off(clean, kept, stretch)).toBeLessThan(0.25);
      for (const joint of ['LeftHand', 'RightFoot', 'Head'])
        expect(Math.abs(speed(kept, joint) / speed(clean, joint) - 1)).toBeLessThan(0.02);
      const shaken = noisy(clean, stretch, 1, 0.01);
      expect(off(clean, smoothStretches(shaken, [stretch], []), stretch)).toBeLessThan(
        0.75 * off(clean, shaken, stretch),
      );
    },
  );
});

describe('how alike two motions are', () => {
  it('tells a version of a performance, noisy, bent or a little late, from another piece of it', () => {
    const of = (motion: Motion) => {
      const base = projectFromTake({ ...take, ...motion });
      return seenOf({ ...base, fps: 30 });
    };
    const piece = (from: number) => trimmed(take, [from, from + 800]);
    const own = of(piece(300));
    expect(likenessOf(own, own)).toBe(1);
    expect(likenessOf(own, of(noisy(piece(300), [0, 800], 2, 0)))).toBeGreaterThan(0.5);
    expect(likenessOf(own, of(piece(304)))).toBeGreaterThan(0.5);
    for (const other of [900, 1500, 1900]) expect(likenessOf(own, of(piece(other)))).toBeLessThan(0.3);
  });
});

describe('the step', () => {
  it('is of the moments of its source, whatever is trimmed and at whatever rate', () => {
    const smooth = [[700, 900]] as const;
    const whole = makeMotion(take, { from: '', smooth }, wearer).motion;
    const cut = makeMotion(take, { from: '', trim: [400, 1200], smooth }, wearer).motion;
    const width = 4 * take.rotations.joints.length;
    const at = (motion: Motion, s: number) => motion.rotations.values.subarray(s * width, (s + 1) * width);
    for (const s of [690, 780, 880]) {
      expect(at(cut, s - 400)).toEqual(at(whole, s));
      expect(at(whole, s)).not.toEqual(at(take, s));
    }
    expect(at(whole, 1000)).toEqual(at(take, 1000));
  });

  it('is put where a layer plays it, joins what meets, goes through a file and comes off again', async () => {
    const based = projectFromTake(take);
    const project = setTime(based, based.layers[0].id, { offset: 30, speed: 2, loop: 'none' });
    const frame = (sample: number) => 30 + (sample * take.interval * project.fps) / 2;
    const once = smoothLayer(project, project.layers[0].id, [frame(700), frame(800)], 'smooth');
    const twice = smoothLayer(once, once.layers[0].id, [frame(790), frame(900)]);
    const made = twice.takes.find(({ id }) => id === 'smooth')!;
    expect(twice.takes).toHaveLength(2);
    const [[from, to]] = made.made!.smooth!;
    expect([Math.abs(from - 700) <= 1, Math.abs(to - 900) <= 1]).toEqual([true, true]);
    expect(made.name).toBe(`${take.name}, smoothed`);
    expect(wantedMaking(twice, made)).toBeDefined();
    expect(
      smoothLayer(
        { ...project, layers: [{ ...project.layers[0], content: { kind: 'nothing' } }] },
        project.layers[0].id,
        [0, 1],
      ),
    ).toHaveProperty('takes.length', 1);
    const steps = setMaking(twice, 'smooth', { travels: 'hips' });
    const asked = steps.takes.find(({ id }) => id === 'smooth')!;
    const samples = await makeSamples(asked, steps.takes[0], wearer);
    const kept = {
      ...putSamples(steps, 'smooth', wantedMaking(steps, asked)!, samples),
      place: 'harbour' as const,
    };
    const { project: again, warnings } = await readProject(writeProject(kept), 'walk.evlay');
    expect(warnings).toEqual([]);
    expect(again.place).toBe('harbour');
    const back = again.takes.find((one) => one.made)!;
    // Its samples are those of its steps: they are not made again.
    expect(wantedMaking(again, back)).toBeUndefined();
    const read = back.made!;
    expect([read.smooth, read.travels]).toEqual([made.made!.smooth, 'hips']);
    expect(setMaking(twice, 'smooth', { smooth: undefined }).takes[1].made).toEqual({ from: take.id });
    expect(
      joinedStretches([
        [9, 12],
        [0, 3],
        [4, 6],
        [11, 11],
      ]),
    ).toEqual([
      [0, 6],
      [9, 12],
    ]);
  });
});
