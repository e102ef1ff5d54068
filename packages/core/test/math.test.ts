import fc from 'fast-check';
import { quat } from 'gl-matrix';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { restPose } from '../src/index.js';
import {
  angleBetween,
  arcTangent,
  EULER_ORDERS,
  eulerToQuaternion,
  power,
  quaternionToEuler,
  raise,
  sinCos,
  slerp,
  unwindEuler,
} from '../src/math/index.js';
import { quantile } from '../src/math/quantile.js';
import { globalMatrices } from '../src/rig/index.js';
import { rigOf } from './capture.js';

const angle = fc.double({ min: -Math.PI, max: Math.PI, noNaN: true });
const unit = fc
  .tuple(angle, angle, angle)
  .map(([x, y, z]) => new THREE.Quaternion().setFromEuler(new THREE.Euler(x, y, z)).toArray());

describe('a quantile', () => {
  it('is the number that sorting puts there, of many alike too', () => {
    const some = fc.array(fc.oneof(fc.double({ noNaN: true }), fc.integer({ min: 0, max: 3 })), {
      maxLength: 60,
    });
    fc.assert(
      fc.property(some, fc.double({ min: 0, max: 1, noNaN: true }), (values, share) => {
        const sorted = [...values].sort((a, b) => a - b);
        const wanted = values.length === 0 ? 0 : sorted[Math.floor(share * (values.length - 1))];
        expect(quantile(values, share) - wanted || 0).toBe(0);
      }),
      { numRuns: 2000 },
    );
  });
});

describe('slerp', () => {
  it('agrees with three and gl-matrix', () => {
    fc.assert(
      fc.property(unit, unit, fc.double({ min: 0, max: 1, noNaN: true }), (a, b, t) => {
        const out = [0, 0, 0, 0];
        slerp(out, 0, a, 0, b, 0, t);
        const three = new THREE.Quaternion()
          .fromArray(a)
          .slerp(new THREE.Quaternion().fromArray(b), t)
          .toArray();
        const matrix = [...quat.slerp(quat.create(), a as never, b as never, t)];
        // Opposite quaternions are one orientation; at half a turn both ways round are as short.
        if (Math.abs(a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3]) < 1e-6) return;
        expect(angleBetween(out, 0, three, 0)).toBeLessThan(2e-6);
        expect(angleBetween(out, 0, matrix, 0)).toBeLessThan(2e-6);
      }),
      { numRuns: 500 },
    );
  });

  it('turns at an even rate (Shoemake 1985), also close to parallel and past the end', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 1e-9, max: 3, noNaN: true }),
        fc.double({ min: 0, max: 2, noNaN: true }),
        (turn, t) => {
          const out = [0, 0, 0, 0];
          slerp(out, 0, [0, 0, 0, 1], 0, [Math.sin(turn / 2), 0, 0, Math.cos(turn / 2)], 0, t);
          expect(out[0]).toBeCloseTo(Math.sin((t * turn) / 2), 12);
          power(out, 0, [-Math.sin(turn / 2), 0, 0, -Math.cos(turn / 2)], 0, t);
          expect(Math.abs(out[0])).toBeCloseTo(Math.abs(Math.sin((t * turn) / 2)), 12);
        },
      ),
    );
  });
});

describe('Euler angles', () => {
  it.each(EULER_ORDERS)('%s agrees with three in both directions', (order) => {
    fc.assert(
      fc.property(angle, angle, angle, (x, y, z) => {
        const out = [0, 0, 0, 0];
        eulerToQuaternion(out, 0, order, [x, y, z], 0);
        const three = new THREE.Quaternion().setFromEuler(new THREE.Euler(x, y, z, order));
        expect(angleBetween(out, 0, three.toArray(), 0)).toBeLessThan(1e-9);

        const back = [0, 0, 0];
        quaternionToEuler(back, 0, order, out, 0);
        const middle = back['XYZ'.indexOf(order[1])];
        expect(Math.abs(middle)).toBeLessThanOrEqual(Math.PI / 2 + 1e-12);
        if (Math.abs(middle) > 1.56) return;
        const threeBack = new THREE.Euler().setFromQuaternion(three, order);
        for (const [k, value] of [threeBack.x, threeBack.y, threeBack.z].entries()) {
          expect(Math.cos(back[k] - value)).toBeCloseTo(1, 6);
        }
      }),
    );
  });

  it.each(EULER_ORDERS)('%s keeps the rotation at a pole, with a last angle of 0', (order) => {
    fc.assert(
      fc.property(angle, angle, fc.constantFrom(-1, 1), (first, last, sign) => {
        const angles = [0, 0, 0];
        angles['XYZ'.indexOf(order[0])] = first;
        angles['XYZ'.indexOf(order[1])] = (sign * Math.PI) / 2;
        angles['XYZ'.indexOf(order[2])] = last;
        const q = [0, 0, 0, 0];
        eulerToQuaternion(q, 0, order, angles, 0);
        const back = [0, 0, 0];
        quaternionToEuler(back, 0, order, q, 0);
        const again = [0, 0, 0, 0];
        eulerToQuaternion(again, 0, order, back, 0);
        expect(angleBetween(q, 0, again, 0)).toBeLessThan(1e-7);
        expect(Math.abs(Math.abs(back['XYZ'.indexOf(order[1])]) - Math.PI / 2)).toBeLessThan(1e-7);
      }),
    );
  });

  it.each(EULER_ORDERS)('%s unwinds to the nearest triple of the same rotation', (order) => {
    const wide = fc.double({ min: -20, max: 20, noNaN: true });
    fc.assert(
      fc.property(wide, wide, wide, (x, y, z) => {
        const q = [0, 0, 0, 0];
        eulerToQuaternion(q, 0, order, [x, y, z], 0);
        const angles = [0, 0, 0];
        quaternionToEuler(angles, 0, order, q, 0);
        if (Math.abs(Math.cos(angles['XYZ'.indexOf(order[1])])) < 1e-3) return;
        // Near the angles that it was made from, there is nothing nearer than themselves.
        unwindEuler(angles, 0, order, [x, y, z], 0);
        for (const [k, value] of [x, y, z].entries()) expect(angles[k]).toBeCloseTo(value, 5);
      }),
    );
  });
});

describe('global matrices', () => {
  it('agree with three for chains that turn, move and scale', () => {
    const rig = rigOf([
      ['a', -1, [0, 1, 0]],
      ['b', 0, [1, 0, 2]],
      ['c', 1, [0, -1, 0.5]],
      ['d', 0, [3, 0, 0]],
    ]);
    fc.assert(
      fc.property(
        fc.array(unit, { minLength: 4, maxLength: 4 }),
        fc.double({ min: 0.2, max: 3, noNaN: true }),
        (turns, grow) => {
          const pose = restPose(rig);
          const objects = rig.joints.map((joint, j) => {
            pose.rotations.set(turns[j], 4 * j);
            pose.scales.set([grow, 1, 1 / grow], 3 * j);
            const object = new THREE.Object3D();
            object.position.fromArray([...joint.translation]);
            object.quaternion.fromArray(turns[j]);
            object.scale.set(grow, 1, 1 / grow);
            return object;
          });
          for (const [j, joint] of rig.joints.entries())
            if (joint.parent >= 0) objects[joint.parent].add(objects[j]);
          objects[0].updateMatrixWorld(true);
          const matrices = globalMatrices(rig, pose, new Float64Array(16 * 4));
          for (let j = 0; j < 4; j++) {
            for (let k = 0; k < 16; k++)
              expect(matrices[16 * j + k]).toBeCloseTo(objects[j].matrixWorld.elements[k], 9);
          }
        },
      ),
    );
  });
});

describe('elementary functions', () => {
  // ECMA-262 leaves the precision of Math to the engine; V8's are within an ulp or so of the true values.
  const wide = fc.double({ min: -1e6, max: 1e6, noNaN: true });

  it('sine and cosine agree with Math', () => {
    fc.assert(
      fc.property(fc.oneof(wide, angle), (x) => {
        const out = [0, 0];
        sinCos([x], 0, out, 0);
        expect(Math.abs(out[0] - Math.sin(x))).toBeLessThan(4e-16);
        expect(Math.abs(out[1] - Math.cos(x))).toBeLessThan(4e-16);
      }),
      { numRuns: 2000 },
    );
  });

  it('the arc tangent agrees with Math in every quarter', () => {
    fc.assert(
      fc.property(wide, wide, fc.constantFrom(1, 1e-9, 0), (x, y, small) => {
        for (const point of [
          [x, y],
          [x * small, y],
          [x, y * small],
        ]) {
          // Below the smallest normal numbers products lose their digits; no rotation gets there.
          fc.pre(point.every((value) => value === 0 || Math.abs(value) > 1e-100));
          const out = [0];
          arcTangent(point, 0, out, 0);
          expect(Math.abs(out[0] - Math.atan2(point[1] + 0, point[0] + 0))).toBeLessThan(1e-15);
        }
      }),
      { numRuns: 2000 },
    );
  });

  it('powers agree with Math', () => {
    const base = fc.double({ min: 1e-6, max: 1e4, noNaN: true });
    fc.assert(
      fc.property(base, fc.double({ min: 0, max: 2, noNaN: true }), (x, exponent) => {
        const out = [x];
        raise(out, 0, [exponent], 0);
        expect(out[0] / x ** exponent).toBeCloseTo(1, 13);
      }),
      { numRuns: 2000 },
    );
  });
});
