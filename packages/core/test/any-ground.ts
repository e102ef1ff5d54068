import fc from 'fast-check';
import { random } from '../bench/subject.js';
import {
  type Channels,
  contactsOf,
  holding,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Prop,
  playing,
  type Rig,
  rigOfScene,
  type Scalar,
  sceneOf,
  type Take,
} from '../src/index.js';
import { EULER_ORDERS } from '../src/math/index.js';
import { findParts } from '../src/rig/index.js';
import { emptyTrack } from '../src/take/index.js';
import { anyCurve, between } from './any-stack.js';

/** Stacks with targets, contacts and props on a body with legs and arms, drawn for property tests. */

const JOINTS: readonly [name: string, parent: number, at: [number, number, number]][] = [
  ['Hips', -1, [0, 0.95, 0]],
  ['Spine', 0, [0, 0.25, 0]],
  ['LeftUpperArm', 1, [0.2, 0.2, 0]],
  ['LeftForearm', 2, [0.28, 0, -0.02]],
  ['LeftHand', 3, [0.25, 0, 0.03]],
  ['LeftThigh', 0, [0.1, -0.05, 0]],
  ['LeftTwist', 5, [0, -0.2, 0.02]],
  ['LeftShin', 6, [0, -0.2, 0.02]],
  ['LeftFoot', 7, [0, -0.42, -0.05]],
  ['LeftToes', 8, [0, -0.06, 0.14]],
  ['RightThigh', 0, [-0.1, -0.05, 0]],
  ['RightShin', 10, [0, -0.4, 0.04]],
  ['RightHock', 11, [0, -0.25, -0.12]],
  ['RightFoot', 12, [0, -0.18, 0.06]],
];
const PROP = 'Crate';
const PROPS: readonly Prop[] = [
  { name: PROP, shape: 'box', size: [0.3, 0.3, 0.3], at: [0.5, 0.15, 0.4], turn: [10, 40, -20] },
];

export const GROUND_LIMBS = {
  leftArm: { chain: ['LeftUpperArm', 'LeftForearm', 'LeftHand'], bend: [0, 0, -1] },
  leftLeg: { chain: ['LeftThigh', 'LeftShin', 'LeftFoot'], bend: [0, 0, 1] },
  rightLeg: { chain: ['RightThigh', 'RightShin', 'RightHock', 'RightFoot'], bend: [0, 0, 1] },
  trunk: null,
} as const;

const bodyRig: Rig = {
  joints: JOINTS.map(([name, parent, translation], j) => ({
    name,
    parent,
    translation,
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    order: EULER_ORDERS[j % 6],
    ends: name.endsWith('Foot') ? [[0, -0.07, -0.05]] : [],
    channels: [],
  })),
};

/** A take of a body that steps about, with knees that bend as knees do. */
function steps(seed: number): Take {
  const next = random(seed);
  const count = 30;
  const phase = JOINTS.map(() => 6 * next());
  const rotations: number[] = [];
  const translations: number[] = [];
  for (let s = 0; s < count; s++) {
    const t = (2 * Math.PI * s) / 24;
    translations.push(0.05 * Math.sin(t), 0.9 + 0.03 * Math.cos(2 * t), 0.02 * s);
    for (const [j, [name]] of JOINTS.entries()) {
      const swing = 0.25 * Math.sin(t + phase[j]);
      // Shins go back, elbows come forward, the rest swings.
      const angle = /Shin/.test(name) ? 0.5 + swing : /Hock/.test(name) ? -0.4 + swing : swing;
      const axis = /Forearm/.test(name)
        ? [0, -1, 0]
        : name === 'Hips'
          ? [0.2, 3, 0.1]
          : [1, 0.1 * Math.sin(j), 0.1 * Math.cos(j)];
      const length = Math.hypot(...axis);
      const half = (/Forearm/.test(name) ? 0.6 + swing : angle) / 2;
      rotations.push(...axis.map((value) => (value / length) * Math.sin(half)), Math.cos(half));
    }
  }
  return {
    id: `steps ${seed}`,
    name: 'steps',
    rig: bodyRig,
    source: { id: `steps ${seed}`, file: 'steps.bvh', bytes: new Uint8Array() },
    count,
    interval: 1 / 24,
    rotations: {
      joints: Int32Array.from(JOINTS, (_, j) => j),
      size: 4,
      values: Float64Array.from(rotations),
    },
    translations: { joints: Int32Array.of(0), size: 3, values: Float64Array.from(translations) },
    scales: { joints: new Int32Array(), size: 3, values: new Float64Array() },
    faces: emptyTrack(1),
  };
}

const scalar = (low: number, high: number): fc.Arbitrary<Scalar> =>
  fc.oneof(between(low, high), anyCurve(low, high));

/** A number whose curve never leaves its range much, so that limbs stay where they can be told apart. */
export const calmScalar = (low: number, high: number): fc.Arbitrary<Scalar> =>
  fc.oneof(
    between(low, high),
    fc
      .tuple(between(low, high), between(low, high), fc.constantFrom('smooth' as const, 'linear' as const))
      .map(([a, b, ease]) => ({ keys: [newKey(2, a, ease), newKey(17.5, b, ease)] })),
  );

const place = (x: number, y: number, z: number, around: number) =>
  fc.record({
    tx: calmScalar(x - around, x + around),
    ty: calmScalar(y - around, y + around),
    tz: calmScalar(z - around, z + around),
  });
const turn = fc.record({ rx: calmScalar(-60, 60), ry: calmScalar(-60, 60), rz: calmScalar(-60, 60) });
const maybe = <T>(arbitrary: fc.Arbitrary<T>) => fc.option(arbitrary, { nil: undefined });

/** Targets in override layers by joint: where they may lie, and in which spaces. */
const PLACED: readonly [joint: string, space: string | undefined, x: number, y: number, z: number][] = [
  ['LeftHand', undefined, 0.35, 1.25, 0.3],
  ['LeftHand', PROP, -0.1, 0.9, -0.1],
  ['LeftHand', 'RightThigh', 0.3, 0.2, 0.2],
  ['LeftFoot', undefined, 0.15, 0.3, 0.1],
  ['RightFoot', undefined, -0.1, 0.3, 0.1],
  ['RightFoot', PROP, -0.3, 0.2, -0.2],
  [PROP, 'LeftHand', 0, -0.2, 0.1],
  [PROP, undefined, 0.5, 0.6, 0.3],
  ['Hips', undefined, 0, 0.9, 0.1],
  ['Spine', 'Hips', 0, 0.3, 0],
];

const anyTargets = (mode: Layer['mode']) =>
  fc.array(
    fc.constantFrom(...PLACED).chain(([joint, space, x, y, z]) =>
      fc.record({
        joint: fc.constant(joint),
        at: mode === 'additive' ? place(0, 0, 0, 0.12) : place(x, y, z, 0.08),
        turn: maybe(turn),
        ...(mode === 'override' && {
          space: fc.constant(space),
          ...(/Foot|Hand/.test(joint) && {
            toward: maybe(place(0.3, 0.7, joint === 'LeftHand' ? -1.5 : 1.5, 0.3)),
          }),
        }),
      }),
    ),
    { minLength: 1, maxLength: 3 },
  );

const anyWeights = {
  weight: fc.oneof(fc.constant(1), scalar(-0.2, 1.2)),
  mask: maybe(
    fc.dictionary(
      fc.constantFrom('leftLeg', 'leftFoot', 'rightLeg', 'rightFoot', 'hips', PROP),
      scalar(-0.2, 1.2),
    ),
  ),
  muted: fc.constantFrom(false, false, false, false, true),
  span: maybe(
    fc.record({ start: between(-3, 8), end: between(9, 30), fadeIn: between(0, 6), fadeOut: between(0, 6) }),
  ),
};

const targetLayer: fc.Arbitrary<Layer> = fc
  .constantFrom('override' as const, 'additive' as const)
  .chain((mode) =>
    fc
      .record({
        ...anyWeights,
        axes: fc.constantFrom('joint' as const, 'world' as const, 'character' as const),
        time: maybe(
          fc.record({
            offset: fc.constantFrom(0, 3, -2.5),
            speed: fc.constantFrom(1, 0.5, -1),
            loop: fc.constantFrom('none' as const, 'repeat' as const),
          }),
        ),
        targets: anyTargets(mode),
      })
      .map(({ targets, ...layer }) =>
        newLayer('targets', mode, {
          ...layer,
          content: keyed(
            {},
            targets.map(({ joint, ...values }) => newTarget(joint, values)),
          ),
        }),
      ),
  );

const anySpans = fc
  .array(
    fc.tuple(
      fc.oneof(fc.integer({ min: 1, max: 4 }), between(0.3, 4)),
      fc.oneof(fc.integer({ min: 0, max: 7 }), between(0, 7)),
    ),
    {
      minLength: 1,
      maxLength: 3,
    },
  )
  .map((parts) => {
    let at = 0;
    return parts.map(([gap, length]) => {
      const from = at + gap;
      at = from + length;
      return [from, at] as const;
    });
  });

const contactLayer: fc.Arbitrary<Layer> = fc
  .record({
    ...anyWeights,
    fade: fc.constantFrom(0, 2, 4, 3.5),
    hips: fc.boolean(),
    left: anySpans,
    right: maybe(anySpans),
    low: between(-0.15, 0.12),
    turn: maybe(calmScalar(-0.1, 1.2)),
  })
  .map(({ fade, hips, left, right, low, turn, ...layer }) =>
    newLayer('contacts', 'override', {
      ...layer,
      content: holding({
        fade,
        hips,
        ...(turn !== undefined && { turn }),
        limbs: {
          leftLeg: {
            points: [
              { joint: 'LeftFoot', floor: 0.08 + low },
              { joint: 'LeftFoot', end: 0, floor: low },
              { joint: 'LeftToes', floor: 0.02 + low },
            ],
            spans: left,
          },
          ...(right && { rightLeg: { points: [{ joint: 'RightFoot', floor: 0.05 + low }], spans: right } }),
        },
      }),
    }),
  );

const changeLayer: fc.Arbitrary<Layer> = fc
  .record({
    axes: fc.constantFrom('joint' as const, 'character' as const),
    weight: scalar(0, 1.5),
    joints: fc.array(
      fc.tuple(
        fc.constantFrom(...JOINTS.map(([name]) => name), PROP),
        fc.tuple(calmScalar(-15, 15), calmScalar(-15, 15)),
      ),
      { minLength: 1, maxLength: 4 },
    ),
  })
  .map(({ axes, weight, joints }) => {
    const curve = (value: Scalar) => (typeof value === 'number' ? { keys: [newKey(0, value)] } : value);
    const channels: Channels = Object.fromEntries(
      joints.map(([name, [rx, rz]]) => [name, { rx: curve(rx), rz: curve(rz) }]),
    );
    return newLayer('change', 'additive', { axes, weight, content: keyed(channels) });
  });

const STILL = { tx: 0, ty: 0, tz: 0, rx: 0, rz: 0 };

/** Another body's steps, over or under what holds the feet. */
const takeLayer = (take: Take): fc.Arbitrary<Layer> =>
  fc
    .record({
      ...anyWeights,
      mode: fc.constantFrom('override' as const, 'additive' as const),
      time: maybe(
        fc.record({
          offset: fc.constantFrom(0, 3, -2.5),
          speed: fc.constantFrom(1, 0.5),
          loop: fc.constantFrom('none' as const, 'repeat' as const),
        }),
      ),
      heading: maybe(between(-170, 170)),
    })
    .map(({ mode, heading, ...layer }) =>
      newLayer('take', mode, {
        ...layer,
        content: playing(take.id),
        ...(heading !== undefined &&
          mode === 'override' && { placement: { pivot: [0, 0, 0], ...STILL, ry: heading } }),
      }),
    );

/** Contacts whose ends are like another layer, where they hold contacts. */
function likeThat(layer: Layer, like: string): Layer {
  const held = contactsOf(layer);
  return held ? { ...layer, content: holding({ ...held, like }) } : layer;
}

/** A project of a walking base and up to five layers, one of which at least has targets or contacts. */
export const anyGroundedProject: fc.Arbitrary<Project> = fc
  .tuple(fc.integer({ min: 1, max: 30 }), fc.integer({ min: 31, max: 60 }))
  .chain(([seed, other]) =>
    fc.record({
      takes: fc.constant([steps(seed), steps(other)]),
      layers: fc.array(fc.oneof(targetLayer, contactLayer, changeLayer, takeLayer(steps(other))), {
        minLength: 1,
        maxLength: 4,
      }),
      first: fc.oneof(targetLayer, contactLayer),
      likeBelow: fc.boolean(),
    }),
  )
  .map(({ takes, layers, first, likeBelow }): Project => {
    const scene = { ...sceneOf(bodyRig), props: PROPS };
    const rig = rigOfScene(scene);
    return {
      name: 'ground',
      fps: 24,
      range: [0, 24],
      metresPerUnit: 1,
      scene,
      rig,
      parts: findParts(rig),
      takes,
      mappings: [],
      ...NOTHING_KEPT,
      limbs: GROUND_LIMBS,
      layers: [
        newLayer('Base', 'override', { content: playing(takes[0].id) }),
        ...layers.slice(0, 1),
        first,
        ...layers.slice(1),
      ].map((layer, k, all) => (likeBelow && k > 0 ? likeThat(layer, all[k - 1].id) : layer)),
    };
  });
