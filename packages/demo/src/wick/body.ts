import { blend, cone, type Distance, ellipsoid, limb, ring } from '../distance.js';
import type { Solid } from '../solid.js';
import { add, mirror, mix, scale, sub, type V } from '../vector.js';
import { LIPS, MOUTH, morphsOf } from './face.js';
import { PLACES, placeOf } from './skeleton.js';

const p = placeOf;
const names = (test: RegExp) => PLACES.map((place) => place.name).filter((name) => test.test(name));

function head(): Solid[] {
  const at = p('Head');
  const from = (x: number, y: number, z: number): V => add(at, [x, y, z]);
  const skin = blend(
    0.022,
    ellipsoid(from(0, 0.105, 0.006), [0.078, 0.1, 0.092]),
    ellipsoid(from(0, 0.045, 0.03), [0.056, 0.052, 0.062]),
    limb(from(0, 0.088, 0.092), from(0, 0.062, 0.115), 0.009, 0.015),
    limb(from(0.078, 0.085, -0.008), from(0.08, 0.06, -0.004), 0.015, 0.01),
    limb(from(-0.078, 0.085, -0.008), from(-0.08, 0.06, -0.004), 0.015, 0.01),
  );
  const throat = limb(p('Neck'), from(0, 0.045, -0.004), 0.054, 0.05);
  const whisker = (s: number) => limb(from(0, 0.044, 0.1), from(0.039 * s, 0.03, 0.073), 0.011, 0.006);
  const brow = (s: number) =>
    limb(from(0.016 * s, 0.113, 0.0955), from(0.046 * s, 0.114, 0.083), 0.0065, 0.0045);
  const hair = ellipsoid(from(0, 0.11, -0.024), [0.084, 0.092, 0.08]);
  const eye = (s: number) => ellipsoid(from(0.031 * s, 0.09, 0.0885), [0.011, 0.013, 0.008]);
  const mouth = ellipsoid(add(at, MOUTH), LIPS);
  const low = from(-0.11, -0.14, -0.12);
  const high = from(0.11, 0.22, 0.14);
  const crown = blend(
    0.02,
    cone(from(0, 0.142, -0.004), 0.012, 0.142, 0.15, 0.006),
    cone(from(0, 0.148, -0.004), 0.09, 0.094, 0.078, 0.02),
  );
  const solids: Solid[] = [
    {
      name: 'skin',
      color: '#D8A27E',
      shape: skin,
      low,
      high,
      cell: 0.008,
      morphs: morphsOf('skin', at, HEAD_SIZE),
      // Eyes, brows and hat sit on it: it turns with the head alone.
      bones: ['Head'],
    },
    {
      name: 'skin',
      color: '#D8A27E',
      shape: throat,
      low,
      high,
      cell: 0.009,
      bones: ['Head', 'Neck', 'UpperChest'],
    },
    {
      name: 'hair',
      color: '#B9B2A6',
      shape: blend(0.006, whisker(1), whisker(-1), brow(1), brow(-1), hair),
      low,
      high,
      cell: 0.007,
      morphs: morphsOf('hair', at, HEAD_SIZE),
      bones: ['Head'],
    },
    {
      name: 'eyes',
      color: '#1B1512',
      rough: 0.3,
      shape: blend(0.001, eye(1), eye(-1)),
      low,
      high,
      cell: 0.005,
      morphs: morphsOf('eyes', at, HEAD_SIZE),
      bones: ['Head'],
    },
    {
      name: 'mouth',
      color: '#6B3A30',
      rough: 0.7,
      shape: mouth,
      low: from(-0.03, 0, 0.05),
      high: from(0.03, 0.03, 0.1),
      cell: 0.0032,
      morphs: morphsOf('mouth', at, HEAD_SIZE),
      bones: ['Head'],
    },
    {
      name: 'hat',
      color: '#4A4038',
      shape: crown,
      low: from(-0.17, 0.11, -0.18),
      high: from(0.17, 0.27, 0.17),
      cell: 0.009,
      bones: ['Head'],
    },
    {
      name: 'band',
      color: '#8A6B3C',
      shape: cone(from(0, 0.156, -0.004), 0.022, 0.0965, 0.093, 0.004),
      low: from(-0.12, 0.13, -0.13),
      high: from(0.12, 0.2, 0.12),
      cell: 0.007,
      bones: ['Head'],
    },
  ];
  return solids.map((solid) => enlarged(solid, at, HEAD_SIZE));
}

/** The head is a little larger than life, so that it reads from afar. */
const HEAD_SIZE = 1.14;

function enlarged(solid: Solid, about: V, k: number): Solid {
  const moved = (q: V, by: number) => add(about, scale(sub(q, about), by));
  return {
    ...solid,
    shape: (q) => k * solid.shape(moved(q, 1 / k)),
    low: moved(solid.low, k),
    high: moved(solid.high, k),
  };
}

function coat(): Solid[] {
  const across = (y: number, half: number, z: number, r: number) => limb([-half, y, z], [half, y, z], r);
  const sleeve = (side: 'Left' | 'Right') => {
    const cuff = mix(p(`${side}Forearm`), p(`${side}Hand`), 0.93);
    return blend(
      0.05,
      limb(p(`${side}Shoulder`), p(`${side}UpperArm`), 0.068, 0.066),
      limb(p(`${side}UpperArm`), p(`${side}Forearm`), 0.066, 0.054),
      limb(p(`${side}Forearm`), cuff, 0.052, 0.049),
    );
  };
  const torso = blend(
    0.09,
    across(1.36, 0.085, -0.012, 0.098),
    across(1.22, 0.07, -0.004, 0.104),
    across(1.06, 0.058, 0.004, 0.1),
    across(0.94, 0.078, 0.002, 0.104),
  );
  const skirt = cone([0, 0.56, 0.004], 0.42, 0.235, 0.168, 0.03, 0.8);
  const shape = blend(0.05, blend(0.06, torso, skirt), sleeve('Left'), sleeve('Right'));
  const buttons = [1.31, 1.2, 1.09, 0.98].map((y) =>
    ellipsoid([0, y, y > 1.25 ? 0.086 : y > 1.1 ? 0.1 : 0.107], [0.013, 0.013, 0.012]),
  );
  const collar = blend(0.02, ring([0, 1.468, -0.012], 0.064, 0.026), ring([0, 1.45, -0.008], 0.074, 0.026));
  const knot = blend(
    0.02,
    limb([0.02, 1.45, 0.074], [0.035, 1.33, 0.1], 0.026, 0.03),
    ellipsoid([0.015, 1.452, 0.07], [0.034, 0.026, 0.026]),
  );
  return [
    {
      name: 'coat',
      color: '#8F7A5C',
      shape,
      low: [-0.7, 0.5, -0.28],
      high: [0.7, 1.54, 0.28],
      cell: 0.014,
      bones: [
        ...names(/^(Hips|Spine|Chest|UpperChest)$/),
        ...names(/(Shoulder|UpperArm|Forearm|UpperLeg)$/),
        'LeftHand',
        'RightHand',
      ],
    },
    {
      name: 'buttons',
      color: '#D8B25A',
      rough: 0.35,
      shape: blend(0.001, ...buttons),
      low: [-0.04, 0.94, 0.05],
      high: [0.04, 1.35, 0.14],
      cell: 0.006,
      bones: ['Hips', 'Spine', 'Chest', 'UpperChest'],
    },
    {
      name: 'scarf',
      color: '#D6C9A6',
      shape: blend(0.015, collar, knot),
      low: [-0.13, 1.28, -0.13],
      high: [0.13, 1.54, 0.16],
      cell: 0.009,
      bones: ['Neck', 'UpperChest'],
    },
  ];
}

function leg(side: 'Left' | 'Right'): Solid[] {
  const s = side === 'Left' ? 1 : -1;
  const knee = p(`${side}LowerLeg`);
  const ankle = p(`${side}Foot`);
  const toes = p(`${side}Toes`);
  const trousers = blend(
    0.04,
    limb(p(`${side}UpperLeg`), knee, 0.088, 0.066),
    limb(knee, add(ankle, [0, 0.08, 0]), 0.066, 0.055),
  );
  const boot = blend(
    0.03,
    limb(add(ankle, [0, 0.13, 0.004]), add(ankle, [0, -0.01, 0]), 0.061, 0.052),
    limb(add(ankle, [0, -0.04, -0.022]), add(ankle, [0, -0.045, 0.03]), 0.041),
    limb(add(ankle, [0, -0.03, 0.03]), add(toes, [0, 0.014, 0]), 0.045, 0.042),
    limb(add(toes, [0, 0.012, 0]), add(toes, [0.004 * s, 0.008, 0.062]), 0.041, 0.034),
  );
  const sole: Distance = (q) => Math.max(boot(q), -q[1] + 0.002);
  return [
    {
      name: 'trousers',
      color: '#4E545A',
      shape: trousers,
      low: [s > 0 ? -0.04 : -0.22, 0.08, -0.15],
      high: [s > 0 ? 0.22 : 0.04, 1.02, 0.15],
      cell: 0.013,
      bones: ['Hips', `${side}UpperLeg`, `${side}LowerLeg`],
    },
    {
      name: 'boots',
      color: '#5A4030',
      rough: 0.55,
      shape: sole,
      low: [s > 0 ? 0.02 : -0.2, -0.02, -0.12],
      high: [s > 0 ? 0.2 : -0.02, 0.3, 0.24],
      cell: 0.01,
      bones: [`${side}LowerLeg`, `${side}Foot`, `${side}Toes`],
    },
  ];
}

function hand(side: 'Left' | 'Right'): Solid {
  const flip = (v: V): V => (side === 'Left' ? v : mirror(v));
  const wrist = p(`${side}Hand`);
  const tip = (finger: string): V => {
    const last = p(`${side}${finger}3`);
    return add(last, scale(sub(last, p(`${side}${finger}2`)), 0.8));
  };
  const fingers = ['Index', 'Middle', 'Ring', 'Little'].map((finger) => {
    const r = finger === 'Little' ? 0.0085 : 0.0105;
    return blend(
      0.006,
      limb(p(`${side}${finger}1`), p(`${side}${finger}2`), r + 0.0015, r),
      limb(p(`${side}${finger}2`), tip(finger), r, r - 0.002),
    );
  });
  const palm = ['Index', 'Middle', 'Ring', 'Little'].map((finger) =>
    limb(wrist, p(`${side}${finger}1`), 0.022, 0.0135),
  );
  const thumb = blend(
    0.008,
    limb(add(wrist, flip([0.008, -0.008, 0.008])), p(`${side}Thumb2`), 0.02, 0.0125),
    limb(p(`${side}Thumb2`), tip('Thumb'), 0.0125, 0.0095),
  );
  const shape = blend(0.012, blend(0.02, ...palm), thumb, ...fingers);
  const low = side === 'Left' ? [0.5, 0.76, -0.09] : [-0.8, 0.76, -0.09];
  const high = side === 'Left' ? [0.8, 1.08, 0.14] : [-0.5, 1.08, 0.14];
  return {
    name: 'skin',
    color: '#D8A27E',
    shape,
    low: low as unknown as V,
    high: high as unknown as V,
    cell: 0.0058,
    evened: 2,
    bones: names(new RegExp(`^${side}(Hand|Thumb|Index|Middle|Ring|Little)`)),
  };
}

/** The lantern, hanging from where his hand holds it at rest. */
export function lantern(): Solid[] {
  const grip = p('Lantern');
  const from = (y: number): V => add(grip, [0, y, 0]);
  const bar = (x: number, z: number) =>
    limb(add(from(-0.14), [x, 0, z]), add(from(-0.265), [x, 0, z]), 0.0045);
  const metal = blend(
    0.006,
    ring(from(-0.055), 0.052, 0.005, 2),
    cone(from(-0.14), 0.045, 0.066, 0.016, 0.006),
    cone(from(-0.292), 0.026, 0.07, 0.066, 0.006),
    ...(
      [
        [1, 1],
        [1, -1],
        [-1, 1],
        [-1, -1],
      ] as const
    ).map(([x, z]) => bar(0.043 * x, 0.043 * z)),
  );
  const low = add(grip, [-0.1, -0.32, -0.1]);
  const high = add(grip, [0.1, 0.03, 0.1]);
  return [
    {
      name: 'metal',
      color: '#3F4A4C',
      rough: 0.4,
      shape: metal,
      low,
      high,
      cell: 0.0055,
      bones: ['Lantern'],
    },
    {
      name: 'flame',
      color: '#FFC857',
      glow: 1.6,
      shape: cone(from(-0.268), 0.126, 0.046, 0.04, 0.012),
      low,
      high,
      cell: 0.009,
      bones: ['Lantern'],
    },
  ];
}

/** Every solid of Wick, in rest. */
export const SOLIDS: readonly Solid[] = [
  ...head(),
  ...coat(),
  ...leg('Left'),
  ...leg('Right'),
  hand('Left'),
  hand('Right'),
  ...lantern(),
];
