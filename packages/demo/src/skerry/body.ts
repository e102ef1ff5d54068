import { blend, type Distance, ellipsoid, limb } from '../distance.js';
import type { Solid } from '../solid.js';
import { add, mirror, type V } from '../vector.js';
import { PLACES, placeOf as p } from './skeleton.js';

const names = (test: RegExp) => PLACES.map((place) => place.name).filter((name) => test.test(name));

/** Breast, belly, neck and head, and the fan of the tail. */
function plumage(): Solid {
  const trunk = blend(
    0.05,
    ellipsoid([0, 0.2, 0.045], [0.062, 0.062, 0.11]),
    ellipsoid([0, 0.198, -0.06], [0.05, 0.045, 0.1]),
  );
  const neck = blend(
    0.03,
    limb([0, 0.22, 0.1], p('Neck2'), 0.045, 0.036),
    limb(p('Neck2'), p('Head'), 0.036, 0.034),
    ellipsoid(add(p('Head'), [0, 0.006, 0.012]), [0.036, 0.036, 0.043]),
  );
  return {
    name: 'plumage',
    color: '#F3F1EA',
    shape: blend(
      0.03,
      trunk,
      neck,
      ellipsoid([0, 0.197, -0.19], [0.045, 0.014, 0.085]),
      ellipsoid([0, 0.196, -0.235], [0.06, 0.01, 0.05]),
    ),
    low: [-0.1, 0.12, -0.31],
    high: [0.1, 0.35, 0.28],
    cell: 0.0075,
    evened: 10,
    thick: (joint) => (/^(Hips|Spine|Chest)$/.test(joint) ? 0.045 : 0.012),
    bones: names(/^(Hips|Spine|Chest|Neck|Head|Tail)/),
  };
}

/** Sides are made on the left and mirrored. */
const onSide = (side: 'Left' | 'Right', shape: Distance): Distance =>
  side === 'Left' ? shape : (q) => shape(mirror(q));

/** Grey above and black at the tips: flat ellipsoids along the bones that reach back as feathers do. */
function wing(side: 'Left' | 'Right'): Solid[] {
  const bones = ['Chest', ...names(new RegExp(`^${side}Wing`))];
  const inner = blend(
    0.03,
    ellipsoid([0.07, 0.238, 0.03], [0.085, 0.026, 0.095]),
    ellipsoid([0.17, 0.244, 0.0], [0.12, 0.019, 0.095]),
    ellipsoid([0.3, 0.246, 0.015], [0.12, 0.017, 0.09]),
    ellipsoid([0.42, 0.246, 0.012], [0.12, 0.015, 0.068]),
    ellipsoid([0.52, 0.246, -0.012], [0.085, 0.013, 0.05]),
  );
  const tip = blend(
    0.02,
    ellipsoid([0.59, 0.246, -0.022], [0.055, 0.014, 0.04]),
    ellipsoid([0.645, 0.246, -0.05], [0.05, 0.011, 0.026]),
  );
  const box = (low: V, high: V): Pick<Solid, 'low' | 'high'> =>
    side === 'Left' ? { low, high } : { low: [-high[0], low[1], low[2]], high: [-low[0], high[1], high[2]] };
  return [
    {
      name: 'mantle',
      color: '#8F99A3',
      shape: onSide(side, inner),
      ...box([-0.02, 0.2, -0.12], [0.64, 0.29, 0.15]),
      cell: 0.006,
      evened: 12,
      bones,
    },
    {
      name: 'wing tips',
      color: '#22252A',
      shape: onSide(side, tip),
      ...box([0.5, 0.22, -0.11], [0.72, 0.27, 0.05]),
      cell: 0.0045,
      bones: [`${side}Wing4`, `${side}WingTip`],
    },
  ];
}

function legs(side: 'Left' | 'Right'): Solid {
  const at = (name: string) => p(side + name);
  const toe = (x: number) => limb(at('Toes'), add(at('Toes'), [x, -0.004, 0.035]), 0.006, 0.0045);
  return {
    name: 'legs',
    color: '#D98E8A',
    shape: blend(
      0.006,
      limb(at('Thigh'), at('Shin'), 0.016, 0.009),
      limb(at('Shin'), at('Foot'), 0.008, 0.006),
      limb(at('Foot'), at('Toes'), 0.006, 0.006),
      toe(-0.016),
      toe(0),
      toe(0.016),
    ),
    low: add(at('Foot'), [-0.04, -0.065, -0.04]),
    high: add(at('Foot'), [0.04, 0.13, 0.09]),
    cell: 0.004,
    bones: ['Thigh', 'Shin', 'Foot', 'Toes'].map((name) => side + name),
  };
}

function head(): Solid[] {
  const at = (x: number, y: number, z: number): V => add(p('Head'), [x, y, z]);
  const eye = (s: number) => ellipsoid(at(0.03 * s, 0.014, 0.026), [0.008, 0.0085, 0.0085]);
  return [
    {
      name: 'beak',
      color: '#E8B23A',
      shape: blend(
        0.006,
        limb(at(0, 0.002, 0.045), at(0, -0.001, 0.085), 0.014, 0.009),
        limb(at(0, -0.001, 0.085), at(0, -0.01, 0.095), 0.009, 0.0055),
        limb(at(0, -0.01, 0.042), at(0, -0.009, 0.082), 0.009, 0.006),
      ),
      low: at(-0.03, -0.035, 0.02),
      high: at(0.03, 0.03, 0.12),
      cell: 0.0042,
      bones: ['Head', 'Beak'],
    },
    {
      name: 'eyes',
      color: '#15171A',
      rough: 0.3,
      shape: blend(0.001, eye(1), eye(-1)),
      low: at(-0.045, -0.005, 0.01),
      high: at(0.045, 0.035, 0.045),
      cell: 0.0024,
      bones: ['Head'],
    },
  ];
}

/** Every solid of the gull, in rest. */
export const SOLIDS: readonly Solid[] = [
  plumage(),
  ...wing('Left'),
  ...wing('Right'),
  legs('Left'),
  legs('Right'),
  ...head(),
];
