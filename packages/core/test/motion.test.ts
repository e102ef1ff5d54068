import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  addFollowLayer,
  evenPace,
  posesBelow,
  putFollow,
  putNoise,
  smoothedPath,
  touchUpPath,
} from '../src/edit/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  layerById,
  NOTHING_KEPT,
  newLayer,
  newTarget,
  type Project,
  type Rig,
  restPose,
  sceneOf,
} from '../src/index.js';
import { noiseSamples, springStep, stepSpring } from '../src/motion/index.js';
import { compileLimb, globalMatrices } from '../src/rig/index.js';
import { curveOf } from './drawn-curve.js';

describe('a spring', () => {
  /** Place at a time after being let go of at 1, at rest: the closed form of a damped oscillator (handbooks of mechanics). */
  function released(frequency: number, damping: number, t: number): number {
    const w = 2 * Math.PI * frequency;
    if (damping < 1) {
      const q = w * Math.sqrt(1 - damping ** 2);
      return Math.exp(-damping * w * t) * (Math.cos(q * t) + ((damping * w) / q) * Math.sin(q * t));
    }
    if (damping === 1) return Math.exp(-w * t) * (1 + w * t);
    const root = Math.sqrt(damping ** 2 - 1);
    const [r1, r2] = [w * (-damping + root), w * (-damping - root)];
    return (r1 * Math.exp(r2 * t) - r2 * Math.exp(r1 * t)) / (r1 - r2);
  }

  it.each([0.2, 0.7, 1, 1.00001, 3])(
    'with damping %f swings as its closed form says, whatever the steps are',
    (damping) => {
      for (const [frequency, seconds] of [
        [2, 1 / 120],
        [0.7, 1 / 24],
        [5, 1 / 30],
      ]) {
        const step = springStep({ frequency, damping }, seconds);
        const state = new Float64Array([1, 0]);
        for (let k = 1; k <= 90; k++) {
          stepSpring(step, state, 0, 0, 0);
          expect(Math.abs(state[0] - released(frequency, damping, k * seconds))).toBeLessThan(1e-3);
        }
      }
    },
  );

  it('is not held back by a goal that moves at an even pace, and rests where the goal rests', () => {
    const step = springStep({ frequency: 2, damping: 0.8 }, 1 / 60);
    const state = new Float64Array([0, 0]);
    for (let k = 0; k < 600; k++) stepSpring(step, state, 0, k / 60, (k + 1) / 60);
    expect(state[0]).toBeCloseTo(10, 9);
    expect(state[1]).toBeCloseTo(1, 9);
    const still = new Float64Array([5, 0]);
    for (let k = 0; k < 100; k++) stepSpring(step, still, 0, 5, 5);
    expect([...still]).toEqual([5, 0]);
  });
});

describe('noise', () => {
  const [count, interval] = [2048, 1 / 32];

  /** How much of a signal's power lies between two frequencies, by its discrete Fourier transform. */
  function powerBetween(samples: Float64Array, low: number, high: number): number {
    let total = 0;
    let between = 0;
    for (let k = 1; k < samples.length / 2; k++) {
      let [re, im] = [0, 0];
      for (let i = 0; i < samples.length; i++) {
        const angle = (2 * Math.PI * k * i) / samples.length;
        re += samples[i] * Math.cos(angle);
        im += samples[i] * Math.sin(angle);
      }
      const power = re * re + im * im;
      const frequency = k / (samples.length * interval);
      total += power;
      if (frequency >= low && frequency <= high) between += power;
    }
    return between / total;
  }

  it('has a mean of 0, its amplitude, and nine tenths of its power from a quarter of its frequency to twice as much', () => {
    for (const seed of [1, 2, 77]) {
      const samples = noiseSamples({ seed, amplitude: 3, frequency: 2 }, count, interval);
      expect(samples.reduce((sum, value) => sum + value, 0) / count).toBeCloseTo(0, 12);
      expect(Math.max(...samples.map(Math.abs))).toBeCloseTo(3, 12);
      expect(powerBetween(samples, 0.5, 4)).toBeGreaterThan(0.9);
      expect(powerBetween(samples, 4, 16)).toBeLessThan(0.05);
      expect(powerBetween(samples, 0, 0.5)).toBeLessThan(0.1);
    }
  });

  it('is the same to the bit for a seed, another for another, and goes round its period', () => {
    fc.assert(
      fc.property(fc.integer(), fc.double({ min: 0.3, max: 6, noNaN: true }), (seed, frequency) => {
        const make = (of: number) => noiseSamples({ seed: of, amplitude: 1, frequency }, 200, 1 / 30);
        expect(make(seed)).toEqual(make(seed));
        expect(make(seed)).not.toEqual(make(seed + 1));
        const round = noiseSamples({ seed, amplitude: 1, frequency, period: 3 }, 181, 1 / 30);
        for (let k = 0; k < 90; k++) expect(round[k + 90]).toBeCloseTo(round[k], 9);
      }),
      { numRuns: 50 },
    );
  });
});

/** A pole with a rope of five joints, each a unit long, hanging from its arm. */
const rope: Rig = {
  joints: ['Pole', 'Top', 'Rope1', 'Rope2', 'Rope3', 'Rope4'].map((name, j) => ({
    name,
    parent: j - 1,
    translation: j === 0 ? [0, 0, 0] : j === 1 ? [0, 6, 0] : [0.3, -0.9, 0.1],
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    order: 'XYZ',
    ends: j === 5 ? [[0.3, -0.9, 0.1]] : [],
    channels: [],
  })),
};

const swung = (channels: Parameters<typeof keyed>[0]): Project => ({
  name: 'rope',
  fps: 30,
  range: [0, 120],
  metresPerUnit: 1,
  scene: sceneOf(rope),
  rig: rope,
  parts: rope.joints.map(() => 'other'),
  takes: [],
  mappings: [],
  ...NOTHING_KEPT,
  layers: [newLayer('Base', 'override', { id: 'base', content: keyed(channels) })],
});

function placesAt(project: Project, frame: number): number[][] {
  const pose = restPose(rope);
  evaluateStack(compileStack(project), frame, pose);
  const matrices = globalMatrices(rope, pose, new Float64Array(16 * 6));
  return rope.joints.map((_, j) => [...matrices.subarray(16 * j + 12, 16 * j + 15)]);
}

const CHAIN = [1, 2, 3, 4, 5];
const how = { frequency: 1.2, damping: 0.4, lag: 0, hang: 0, gap: 0 };

function followed(project: Project, more: Partial<typeof how> = {}): Project {
  const { project: added, id } = addFollowLayer(project, [CHAIN]);
  return putFollow(added, id, { ...how, ...more, chains: [CHAIN] });
}

describe('a chain that follows its top', () => {
  it('is at rest where its top is still', () => {
    const still = swung({});
    const after = followed(still);
    for (const frame of [0, 13, 120])
      for (const [j, place] of placesAt(after, frame).entries())
        for (const [axis, value] of place.entries())
          expect(value).toBeCloseTo(placesAt(still, frame)[j][axis], 6);
  });

  it('goes along as it is with a top that goes on at an even pace', () => {
    const project = swung({ Pole: { tz: curveOf([0, 0, 'linear'], [120, 40]) } });
    const after = followed(project);
    for (const frame of [3, 40, 110])
      for (const [j, place] of placesAt(after, frame).entries())
        for (const [axis, value] of place.entries())
          expect(value).toBeCloseTo(placesAt(project, frame)[j][axis], 4);
  });

  it('comes later than its top, keeps the lengths of its bones, swings past, and comes to rest', () => {
    const project = swung({ Top: { rz: curveOf([10, 0], [20, 60]) } });
    const after = followed(project);
    const tip = (of: Project, frame: number) => placesAt(of, frame)[5];
    const lead = (frame: number) =>
      Math.hypot(...tip(project, frame).map((value, axis) => value - tip(after, frame)[axis]));
    expect(lead(8)).toBeLessThan(1e-6);
    expect(lead(18)).toBeGreaterThan(0.5);
    expect(lead(120)).toBeLessThan(0.02);
    // Less damped it swings for longer.
    const away = (damping: number) => {
      const of = followed(project, { damping });
      return Math.max(
        ...Array.from({ length: 30 }, (_, k) =>
          Math.hypot(...tip(of, 50 + k).map((value, axis) => value - tip(project, 50 + k)[axis])),
        ),
      );
    };
    expect(away(0.1)).toBeGreaterThan(3 * away(0.9));
    for (let frame = 0; frame <= 120; frame += 5) {
      const now = placesAt(after, frame);
      for (let j = 2; j < 6; j++)
        expect(Math.hypot(...now[j].map((value, axis) => value - now[j - 1][axis]))).toBeCloseTo(
          Math.hypot(0.3, 0.9, 0.1),
          6,
        );
    }
  });

  it('hangs down where it is to hang, and lags joint by joint', () => {
    const bent = swung({ Top: { rz: curveOf([0, 70]) } });
    const hung = placesAt(followed(bent, { hang: 1 }), 60);
    for (let j = 3; j < 6; j++) {
      const way = hung[j].map((value, axis) => value - hung[j - 1][axis]);
      expect(way[1] / Math.hypot(...way)).toBeCloseTo(-1, 6);
    }
    const wave = swung({
      Rope1: { rz: curveOf([10, 0], [14, 40]) },
      Rope3: { rz: curveOf([10, 0], [14, 40]) },
    });
    const angle = (project: Project, joint: string, frame: number) => {
      const pose = restPose(rope);
      evaluateStack(compileStack(project), frame, pose);
      const j = rope.joints.findIndex(({ name }) => name === joint);
      return 2 * Math.acos(Math.min(1, Math.abs(pose.rotations[4 * j + 3])));
    };
    const stiff = followed(wave, { frequency: 20, damping: 1, lag: 4 / 30 });
    // Half of the way is seen at 12; the first joint of the rope is 4 frames late, the third one 12.
    expect(angle(stiff, 'Rope1', 16)).toBeCloseTo((20 * Math.PI) / 180, 1);
    expect(angle(stiff, 'Rope3', 24)).toBeCloseTo((20 * Math.PI) / 180, 1);
    expect(angle(stiff, 'Rope3', 16)).toBeLessThan(0.1);
    expect(angle(stiff, 'Rope3', 40)).toBeCloseTo((40 * Math.PI) / 180, 2);
  });

  it('with fewer keys is nearly the same', () => {
    const project = swung({ Top: { rz: curveOf([10, 0], [20, 60], [60, -20]) } });
    const [all, few] = [followed(project), followed(project, { gap: 3 })];
    for (let frame = 0; frame <= 120; frame++)
      for (const [j, place] of placesAt(few, frame).entries())
        expect(Math.hypot(...place.map((value, axis) => value - placesAt(all, frame)[j][axis]))).toBeLessThan(
          0.2,
        );
  });
});

it('noise on a layer stays within its amplitudes, is keyed where it turns or everywhere, and closes in a loop', () => {
  const base = swung({});
  const project: Project = {
    ...base,
    layers: [...base.layers, newLayer('Noise', 'additive', { id: 'noise' })],
  };
  const on = {
    joints: ['Top', 'Rope1'],
    channels: ['rx', 'ty', 'sy'] as const,
    angle: 5,
    length: 0.2,
    scale: 0.1,
    frequency: 2,
    seed: 9,
    everyFrame: false,
  };
  const noisy = layerById(putNoise(project, 'noise', on), 'noise')!;
  const every = layerById(putNoise(project, 'noise', { ...on, everyFrame: true }), 'noise')!;
  if (noisy.content.kind !== 'curves' || every.content.kind !== 'curves') throw new Error('no curves');
  const values = (channel: 'rx' | 'ty' | 'sy') =>
    noisy.content.kind === 'curves'
      ? noisy.content.channels.Top[channel]!.keys.map(({ value }) => value)
      : [];
  expect(Math.max(...values('rx').map(Math.abs))).toBeCloseTo(5, 9);
  expect(Math.max(...values('ty').map(Math.abs))).toBeCloseTo(0.2, 9);
  expect(Math.max(...values('sy').map((value) => Math.abs(value - 1)))).toBeCloseTo(0.1, 9);
  expect(every.content.channels.Top.rx!.keys).toHaveLength(121);
  expect(noisy.content.channels.Top.rx!.keys.length).toBeLessThan(60);
  expect(noisy.content.channels.Top.rx!.keys.map(({ value }) => value)).not.toEqual(
    noisy.content.channels.Rope1.rx!.keys.map(({ value }) => value),
  );
  const looped: Project = {
    ...project,
    layers: [
      project.layers[0],
      newLayer('Noise', 'additive', {
        id: 'noise',
        time: { offset: 0, speed: 1, loop: 'repeat', cycle: [0, 45] },
      }),
    ],
  };
  const round = layerById(putNoise(looped, 'noise', on), 'noise')!;
  if (round.content.kind !== 'curves') throw new Error('no curves');
  const keys = round.content.channels.Top.rx!.keys;
  expect([keys[0].frame, keys.at(-1)!.frame, keys.at(-1)!.value]).toEqual([0, 45, keys[0].value]);
  expect(posesBelow(project, 0).count).toBe(121);
});

describe('a path', () => {
  const limbOf = () =>
    compileLimb(rope, { name: 'rope', chain: ['Top', 'Rope1', 'Rope2', 'Rope3'], bend: [0, 0, 1] });

  it('that is brushed comes nearer to a smooth one, and stays where it was not brushed', () => {
    const jerks = curveOf([0, 0], [20, 10], [23, 26], [26, 8], [60, 0]);
    const base = swung({ Top: { rz: jerks } });
    const project: Project = {
      ...base,
      layers: [...base.layers, newLayer('Arc', 'additive', { id: 'arc' })],
    };
    const joint = 5 - 1;
    const path = Array.from({ length: 61 }, (_, frame) => placesAt(project, frame)[joint]);
    const strengths = path.map((_, frame) => (frame >= 18 && frame <= 28 ? 1 : 0));
    const smooth = smoothedPath(path.flat(), strengths);
    const bend = (points: readonly (readonly number[])[]) =>
      points
        .slice(1, -1)
        .reduce(
          (sum, p, k) =>
            sum + Math.hypot(...p.map((v, axis) => points[k][axis] - 2 * v + points[k + 2][axis])),
          0,
        );
    const goals = new Map(
      strengths.flatMap((strength, frame) =>
        strength > 0 ? [[frame, [...smooth.subarray(3 * frame, 3 * frame + 3)]] as const] : [],
      ),
    );
    const after = touchUpPath(project, 'arc', { joint, limb: limbOf() }, goals);
    const now = path.map((_, frame) => placesAt(after, frame)[joint]);
    for (const [frame, goal] of goals)
      expect(Math.hypot(...goal.map((value, axis) => value - now[frame][axis]))).toBeLessThan(1e-4);
    for (const frame of [0, 10, 17, 29, 40, 60])
      expect(Math.hypot(...now[frame].map((value, axis) => value - path[frame][axis]))).toBeLessThan(1e-9);
    expect(bend(now.slice(17, 30))).toBeLessThan(0.5 * bend(path.slice(17, 30)));
  });

  const uneven = {
    tx: curveOf([0, 0, 'linear'], [10, 1, 'linear'], [50, 3, 'linear'], [60, 9]),
    tz: curveOf([0, 0, 'linear'], [60, 0.5]),
  };
  const rooted = swung({ Pole: uneven });
  const aimed = {
    ...rooted,
    layers: [
      newLayer('Base', 'override', {
        id: 'base',
        content: keyed({}, [newTarget('Pole', { at: { ...uneven, ty: 0 } })]),
      }),
    ],
  };

  it.each([
    ['the root', rooted],
    ['a target', aimed],
  ])('of %s run at an even pace has steps of nearly one length, through the same places', (_, project) => {
    const even = evenPace(project, 'base', 'Pole');
    const steps = (of: Project) =>
      Array.from({ length: 50 }, (_, k) =>
        Math.hypot(...placesAt(of, k + 6)[0].map((v, axis) => v - placesAt(of, k + 5)[0][axis])),
      );
    const spread = (list: number[]) => Math.max(...list) / Math.min(...list);
    expect(spread(steps(project))).toBeGreaterThan(8);
    expect(spread(steps(even))).toBeLessThan(2);
    expect(placesAt(even, 60)[0]).toEqual(placesAt(project, 60)[0]);
    expect(evenPace(even, 'base', 'Top')).toBe(even);
  });
});
