import fc from 'fast-check';
import { random } from '../bench/subject.js';
import { EASES } from '../src/curve/index.js';
import { stackText } from '../src/format/index.js';
import {
  type Channels,
  type Curve,
  JOINT_CHANNELS,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newKey,
  newLayer,
  type Placement,
  type Project,
  playing,
  type Rig,
  type Scalar,
  sceneOf,
  type Take,
} from '../src/index.js';
import { EULER_ORDERS } from '../src/math/index.js';
import { facesOf, memberNames } from '../src/rig/index.js';
import { emptyTrack, type FaceCurve, type Track } from '../src/take/index.js';

/** Stacks with every feature, drawn for property tests. */

/** A number anywhere in a range: the doubles of the library are mostly next to nothing. */
export const between = (min: number, max: number): fc.Arbitrary<number> =>
  fc.integer({ min: 0, max: 1_000_000 }).map((k) => min + ((max - min) * k) / 1_000_000);

const unit = (next: () => number): number[] => {
  const q = Array.from({ length: 4 }, () => 2 * next() - 1);
  const length = Math.hypot(...q);
  return q.map((value) => value / length);
};

/** Nine joints in two chains, with every Euler order, turned and scaled at rest, and four face channels. */
export function anyRig(seed: number): Rig {
  const next = random(seed);
  const small = () => [next(), next(), next()].map((value) => value - 0.5) as [number, number, number];
  const joints = ['Hips', 'Spine', 'Chest', 'Neck', 'Head', 'LeftArm', 'LeftHand', 'RightArm', 'RightHand'];
  const parents = [-1, 0, 1, 2, 3, 2, 5, 2, 7];
  return {
    joints: joints.map((name, j) => ({
      name,
      parent: parents[j],
      translation: j === 0 ? [0, 1, 0] : small(),
      rotation: unit(next) as [number, number, number, number],
      scale: [1 + 0.2 * next(), 1, 1 - 0.2 * next()],
      order: EULER_ORDERS[j % 6],
      ends: [],
      channels: [],
    })),
    faces: ['smile', 'browLeft', 'browRight', 'jaw'].map((name, f) => ({
      name,
      rest: f % 2 === 0 ? 0 : 0.25,
    })),
  };
}

/** What a take records of two face channels: keys at uneven times, joined in each way that files know. */
function anyFaceCurves(seed: number, seconds: number): FaceCurve[] {
  const next = random(seed + 77);
  return ['smile', 'jaw', 'tongue'].map((channel, k): FaceCurve => {
    const interpolation = (['LINEAR', 'STEP', 'CUBICSPLINE'] as const)[(seed + k) % 3];
    const times = Float64Array.from({ length: 6 }, () => next() * seconds).sort();
    const size = interpolation === 'CUBICSPLINE' ? 3 : 1;
    const values = Float64Array.from({ length: 6 * size }, () => 2 * next() - 0.5);
    return { channel, interpolation, times, values };
  });
}

/** A take that records all rotations but one, some translations and, with `scaled`, some scales. */
export function anyTake(id: string, rig: Rig, seed: number, count: number, rate: number): Take {
  const next = random(seed);
  const rotated = rig.joints.map((_, j) => j).filter((j) => j !== seed % 9 || j === 0);
  const track = (joints: number[], size: 3 | 4, value: () => number[]): Track => ({
    joints: Int32Array.from(joints),
    size,
    values: Float64Array.from(Array.from({ length: count * joints.length }, value).flat()),
  });
  return {
    id,
    name: id,
    rig,
    source: { id, file: `${id}.bvh`, bytes: new Uint8Array() },
    count,
    interval: 1 / rate,
    rotations: track(rotated, 4, () => unit(next)),
    translations: track([0, 4], 3, () => [next(), next(), next()]),
    scales: track(seed % 2 === 0 ? [1, 3] : [], 3, () => [0.5 + next(), 1, 0.3 + next()]),
    faces: emptyTrack(1),
    faceCurves: anyFaceCurves(seed, count / rate),
  };
}

/** A curve through one to five keys in the first thirty frames, often on whole frames and on the ends of cycles. */
export const anyCurve = (low: number, high: number): fc.Arbitrary<Curve> =>
  fc
    .array(
      fc.record({
        frame: fc.oneof(fc.integer({ min: 0, max: 30 }), fc.constantFrom(0, 4, 20), between(0, 30)),
        value: between(low, high),
        ease: fc.constantFrom(...EASES),
        in: fc.option(fc.tuple(between(-8, 2), between(low / 4, high / 4)), { nil: undefined }),
        out: fc.option(fc.tuple(between(-2, 8), between(low / 4, high / 4)), { nil: undefined }),
      }),
      { minLength: 1, maxLength: 5 },
    )
    .map((keys) => {
      const sorted = [...keys].sort((a, b) => a.frame - b.frame);
      const apart = sorted.filter((key, i) => i === 0 || key.frame - sorted[i - 1].frame > 0.01);
      return {
        keys: apart.map((key) => ({ ...newKey(key.frame, key.value, key.ease), in: key.in, out: key.out })),
      };
    });

const anyScalar = (low: number, high: number): fc.Arbitrary<Scalar> =>
  fc.oneof(fc.constantFrom(0, 1), between(low, high), anyCurve(low, high));

const maybe = <T>(arbitrary: fc.Arbitrary<T>) => fc.option(arbitrary, { nil: undefined });

const anyTime = fc.record({
  offset: fc.constantFrom(0, 0, 3, -2.5),
  speed: fc.constantFrom(1, 1, 0.5, -1, 2.5),
  loop: fc.constantFrom('none' as const, 'repeat' as const, 'travel' as const),
  cycle: maybe(fc.constantFrom<readonly [number, number]>([4, 20], [0, 12.5], [-6, 9], [5, 5])),
});

const anySpan = fc
  .record({
    start: maybe(between(-5, 15)),
    length: maybe(between(0, 30)),
    fadeIn: maybe(between(0, 12)),
    fadeOut: maybe(between(0, 12)),
    shape: maybe(fc.constantFrom('smooth' as const, 'linear' as const)),
  })
  .map(({ start, length, ...span }) => ({
    ...span,
    start,
    end: length === undefined ? undefined : (start ?? 0) + length,
  }));

const anyPlacement: fc.Arbitrary<Placement> = fc.record({
  pivot: fc.tuple(between(-1, 1), between(-1, 1), between(-1, 1)),
  tx: anyScalar(-2, 2),
  ty: anyScalar(-2, 2),
  tz: anyScalar(-2, 2),
  rx: anyScalar(-90, 90),
  ry: anyScalar(-200, 200),
  rz: anyScalar(-90, 90),
});

function anyChannels(rig: Rig): fc.Arbitrary<Channels> {
  const ranges = JOINT_CHANNELS.map((channel) =>
    channel.startsWith('r')
      ? ([-500, 500] as const)
      : channel.startsWith('s')
        ? ([-0.5, 3] as const)
        : ([-2, 2] as const),
  );
  const joint = fc.record(
    Object.fromEntries(JOINT_CHANNELS.map((channel, k) => [channel, anyCurve(ranges[k][0], ranges[k][1])])),
    { requiredKeys: [] },
  );
  const face = fc.record({ m: anyCurve(-0.5, 1.5) });
  const faces = facesOf(rig).map(({ name }) => name);
  return fc
    .tuple(
      fc.array(fc.tuple(fc.constantFrom(...rig.joints.map(({ name }) => name)), joint), { maxLength: 5 }),
      faces.length === 0
        ? fc.constant([])
        : fc.array(fc.tuple(fc.constantFrom(...faces), face), { maxLength: 3 }),
    )
    .map(([joints, faces]): Channels => Object.fromEntries([...joints, ...faces]));
}

/** A layer of a project whose takes are there already. */
export function anyLayer(rig: Rig, parts: readonly string[], takes: readonly Take[]): fc.Arbitrary<Layer> {
  const take = fc.record({
    id: fc.constantFrom(...takes.map(({ id }) => id)),
    reference: fc.constantFrom<'first' | 'rest' | number>('first', 'rest', 2),
  });
  return fc
    .record({
      mode: fc.constantFrom('additive' as const, 'override' as const),
      axes: fc.constantFrom('joint' as const, 'world' as const, 'character' as const),
      muted: fc.constantFrom(false, false, false, true),
      solo: fc.constantFrom(false, false, false, false, false, true),
      weight: anyScalar(-0.2, 2.2),
      mask: maybe(fc.dictionary(fc.constantFrom(...new Set(parts)), anyScalar(-0.2, 1.2))),
      joints: maybe(fc.dictionary(fc.constantFrom(...memberNames(rig)), anyScalar(-0.2, 1.2))),
      span: maybe(anySpan),
      time: maybe(anyTime),
      placement: maybe(anyPlacement),
      take: maybe(take),
      channels: anyChannels(rig),
    })
    .map(({ mode, take: played, channels, ...layer }) =>
      newLayer('any', mode, {
        ...layer,
        axes: played ? 'joint' : layer.axes,
        content: played ? playing(played.id, played.reference) : keyed(channels),
      }),
    );
}

/** A project of a base and up to six layers. */
export const anyProject: fc.Arbitrary<Project> = fc.integer({ min: 1, max: 40 }).chain((seed) => {
  const rig = anyRig(seed);
  const body = ['hips', 'torso', 'torso', 'neck', 'head', 'leftArm', 'leftHand', 'rightArm', 'rightHand'];
  const parts = [...body, 'face', 'face', 'face', 'head'];
  const takes = [
    anyTake('base', rig, seed, 20, 24),
    anyTake('other', rig, seed + 1, 9, 30),
    anyTake('third', rig, seed + 2, 14, 12.5),
  ];
  const groups = fc.array(
    fc.record({
      id: fc.constantFrom('one', 'two'),
      name: fc.constant('any'),
      muted: fc.constantFrom(false, false, false, true),
      solo: fc.constantFrom(false, false, false, true),
      weight: anyScalar(-0.2, 1.2),
    }),
    { minLength: 2, maxLength: 2 },
  );
  const stack = fc.tuple(fc.array(anyLayer(rig, parts, takes), { maxLength: 6 }), groups);
  return stack.map(
    ([layers, [lower, upper]]): Project => ({
      name: 'any',
      fps: 24,
      range: [0, 30],
      metresPerUnit: 1,
      scene: sceneOf(rig),
      rig,
      parts,
      takes,
      mappings: [],
      ...NOTHING_KEPT,
      groups: [
        { ...lower, id: 'one' },
        { ...upper, id: 'two' },
      ],
      variants: layers.slice(0, 1).map(({ id, weight }) => ({
        name: 'calm',
        layers: { [id]: { muted: !layers[0].muted, weight } },
        range: [2, 12] as const,
      })),
      // Of six layers the second and third are in a group, and the fifth.
      layers: [
        newLayer('Base', 'override', { content: playing('base') }),
        ...layers.map((layer, k) => ({
          ...layer,
          ...(k > 0 && k < 5 && k !== 3 && { group: k < 3 ? 'one' : 'two' }),
        })),
      ],
    }),
  );
});

/** The text of a stack with many features on a project's rig, whose take is named `takes/walk.bvh`. */
export function anyStackText(project: Project): string {
  const [layers] = fc.sample(
    fc.array(anyLayer(project.rig, project.parts, project.takes), { minLength: 6, maxLength: 6 }),
    { numRuns: 1, seed: 3 },
  );
  return stackText({ ...project, layers: [...project.layers, ...layers] }, () => 'takes/walk.bvh');
}
