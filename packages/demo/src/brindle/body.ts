import { blend, type Distance, ellipsoid, limb, ring } from '../distance.js';
import type { Solid } from '../solid.js';
import { add, mirror, mix, type V } from '../vector.js';
import { PLACES, placeOf as p } from './skeleton.js';

const names = (test: RegExp) => PLACES.map((place) => place.name).filter((name) => test.test(name));
const BODY = names(/^(Hips|Spine|Chest|Neck)/);

/** The darker stripes of her coat lie on her back, so that the body is made of two solids that meet. */
function coat(): Solid {
  const trunk = blend(
    0.09,
    ellipsoid([0, 0.45, 0.13], [0.102, 0.135, 0.17]),
    ellipsoid([0, 0.475, -0.06], [0.086, 0.098, 0.18]),
    ellipsoid([0, 0.475, -0.255], [0.09, 0.098, 0.13]),
  );
  const neck = blend(
    0.05,
    limb([0, 0.49, 0.2], p('Neck2'), 0.088, 0.066),
    limb(p('Neck2'), add(p('Head'), [0, 0.004, 0.01]), 0.066, 0.062),
  );
  const head = blend(
    0.03,
    ellipsoid(add(p('Head'), [0, 0.022, 0.025]), [0.068, 0.064, 0.075]),
    limb(add(p('Head'), [0, 0.005, 0.06]), add(p('Head'), [0, -0.022, 0.14]), 0.046, 0.034),
  );
  const tail = blend(
    0.02,
    limb(p('Tail1'), p('Tail2'), 0.034, 0.028),
    limb(p('Tail2'), p('Tail3'), 0.03, 0.03),
    limb(p('Tail3'), p('Tail4'), 0.03, 0.026),
    limb(p('Tail4'), p('Tail5'), 0.026, 0.014),
  );
  const shape = blend(0.05, trunk, neck, head, ...legs('Left'), ...legs('Right'), tail);
  return {
    name: 'coat',
    color: '#A97B4B',
    shape,
    low: [-0.16, 0.03, -0.6],
    high: [0.16, 0.8, 0.56],
    cell: 0.0105,
    evened: 16,
    thick: (joint) => (BODY.includes(joint) ? 0.085 : 0.02),
    bones: [...BODY, 'Head', ...names(/^(Tail|(Left|Right)(Fore|Hind))/)],
  };
}

function legs(side: 'Left' | 'Right'): Distance[] {
  const at = (name: string) => p(side + name);
  return [
    blend(
      0.035,
      limb(at('ForeShoulder'), at('ForeLeg'), 0.046, 0.045),
      limb(at('ForeLeg'), at('ForeShin'), 0.044, 0.037),
      limb(at('ForeShin'), at('ForePaw'), 0.036, 0.024),
    ),
    blend(
      0.03,
      limb(at('HindThigh'), mix(at('HindThigh'), at('HindShin'), 0.8), 0.068, 0.05),
      limb(at('HindShin'), at('HindPaw'), 0.044, 0.023),
      limb(at('HindPaw'), mix(at('HindPaw'), at('HindToes'), 0.7), 0.024, 0.022),
    ),
  ];
}

/** Paws are pale, as if she had stepped into the foam. */
function paws(side: 'Left' | 'Right'): Solid[] {
  const s = side === 'Left' ? 1 : -1;
  return (['Fore', 'Hind'] as const).map((which): Solid => {
    const paw = p(`${side}${which}Paw`);
    const toes = p(`${side}${which}Toes`);
    const shape = blend(
      0.025,
      limb(which === 'Fore' ? mix(paw, toes, 0.1) : mix(paw, toes, 0.62), toes, 0.0255, 0.024),
      ellipsoid(add(toes, [0, -0.002, 0.022]), [0.031, 0.0225, 0.042]),
    );
    const floor: Distance = (q) => Math.max(shape(q), -q[1] + 0.001);
    return {
      name: 'paws',
      color: '#E4D3B4',
      shape: floor,
      low: add(toes, [-0.05, -0.035, which === 'Fore' ? -0.07 : -0.06]),
      high: add(toes, [0.05 + 0.001 * s, which === 'Fore' ? 0.11 : 0.08, 0.08]),
      cell: 0.0065,
      bones: [`${side}${which}Paw`, `${side}${which}Toes`],
    };
  });
}

function face(): Solid[] {
  const head = p('Head');
  const at = (x: number, y: number, z: number): V => add(head, [x, y, z]);
  const low = at(-0.1, -0.1, -0.02);
  const high = at(0.1, 0.1, 0.2);
  const ear = (side: 'Left' | 'Right') => {
    const flip = (v: V): V => (side === 'Left' ? v : mirror(v));
    const base = p(`${side}Ear1`);
    const tip = add(p(`${side}Ear2`), flip([0.006, -0.055, 0.012]));
    return blend(
      0.02,
      limb(add(base, flip([-0.012, -0.004, 0])), p(`${side}Ear2`), 0.02, 0.022),
      limb(p(`${side}Ear2`), tip, 0.022, 0.012),
    );
  };
  const eye = (s: number) => ellipsoid(at(0.036 * s, 0.036, 0.085), [0.011, 0.013, 0.01]);
  const brow = (s: number) => ellipsoid(at(0.036 * s, 0.058, 0.072), [0.015, 0.009, 0.012]);
  return [
    {
      name: 'muzzle',
      color: '#5C4230',
      shape: blend(
        0.02,
        limb(at(0, -0.012, 0.085), at(0, -0.026, 0.148), 0.041, 0.035),
        limb(at(0, -0.045, 0.07), at(0, -0.05, 0.132), 0.026, 0.02),
      ),
      low,
      high,
      cell: 0.0075,
      bones: ['Head', 'Jaw'],
    },
    {
      name: 'nose',
      color: '#181210',
      rough: 0.35,
      shape: blend(0.004, ellipsoid(at(0, -0.012, 0.181), [0.019, 0.014, 0.013]), eye(1), eye(-1)),
      low,
      high: at(0.1, 0.1, 0.22),
      cell: 0.005,
      bones: ['Head'],
    },
    {
      name: 'paws',
      color: '#E4D3B4',
      shape: blend(0.004, brow(1), brow(-1)),
      low,
      high,
      cell: 0.006,
      bones: ['Head'],
    },
    ...(['Left', 'Right'] as const).map(
      (side): Solid => ({
        name: 'ears',
        color: '#5C4230',
        shape: ear(side),
        low: add(p(`${side}Ear1`), [-0.1, -0.12, -0.05]),
        high: add(p(`${side}Ear1`), [0.1, 0.05, 0.07]),
        cell: 0.0065,
        bones: ['Head', `${side}Ear1`, `${side}Ear2`],
      }),
    ),
    {
      name: 'neckerchief',
      color: '#2F6E7C',
      shape: blend(
        0.012,
        tilted(ring([0, 0, 0], 0.084, 0.016)),
        ellipsoid([0, 0.475, 0.302], [0.036, 0.045, 0.018]),
      ),
      low: [-0.12, 0.41, 0.15],
      high: [0.12, 0.66, 0.36],
      cell: 0.0075,
      bones: ['Neck1', 'Chest'],
    },
  ];
}

/** A shape about the origin, laid round the foot of her neck, which rises forward. */
function tilted(shape: Distance): Distance {
  const [cos, sin] = [Math.cos(0.75), Math.sin(0.75)];
  return ([x, y, z]) => {
    const [dy, dz] = [y - 0.54, z - 0.24];
    return shape([x, dy * cos + dz * sin, dz * cos - dy * sin]);
  };
}

/** Every solid of Brindle, in rest. */
export const SOLIDS: readonly Solid[] = [coat(), ...paws('Left'), ...paws('Right'), ...face()];
