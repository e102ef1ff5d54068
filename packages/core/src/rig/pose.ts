import { placeIn, turnIn } from './frame.js';
import { facesOf } from './members.js';
import { characterOf, type Rig } from './rig.js';
import { frameOf, topologyOf } from './topology.js';

/**
 * Local transforms of all joints, one after the other in the rig's order:
 * translations `(x, y, z)`, rotations as unit quaternions `(x, y, z, w)`, scales `(x, y, z)`; and a number for each face channel.
 */
export interface Pose {
  readonly translations: Float64Array;
  readonly rotations: Float64Array;
  readonly scales: Float64Array;
  readonly faces: Float64Array;
}

/** A new pose that holds the rest of the rig. */
export function restPose(rig: Rig): Pose {
  const n = rig.joints.length;
  const pose: Pose = {
    translations: new Float64Array(3 * n),
    rotations: new Float64Array(4 * n),
    scales: new Float64Array(3 * n),
    faces: Float64Array.from(facesOf(rig), ({ rest }) => rest),
  };
  for (const [j, joint] of rig.joints.entries()) {
    pose.translations.set(joint.translation, 3 * j);
    pose.rotations.set(joint.rotation, 4 * j);
    pose.scales.set(joint.scale, 3 * j);
  }
  return pose;
}

export function copyPose(to: Pose, from: Pose): void {
  to.translations.set(from.translations);
  to.rotations.set(from.rotations);
  to.scales.set(from.scales);
  to.faces.set(from.faces);
}

/**
 * Global transforms as column-major 4×4 matrices, 16 numbers a joint, each parent's global times the local
 * `T · R · S`. `out` needs `16 · joints` numbers. With `first` and `end` only those of some joints that stand together,
 * what is above them being there.
 */
export function globalMatrices(
  rig: Rig,
  pose: Pose,
  out: Float64Array,
  first = 0,
  end = rig.joints.length,
): Float64Array {
  const { translations: t, rotations: r, scales: s } = pose;
  const { parents } = topologyOf(rig);
  for (let j = first; j < end; j++) {
    const x = r[4 * j];
    const y = r[4 * j + 1];
    const z = r[4 * j + 2];
    const w = r[4 * j + 3];
    const sx = s[3 * j];
    const sy = s[3 * j + 1];
    const sz = s[3 * j + 2];
    const m00 = (1 - 2 * (y * y + z * z)) * sx;
    const m10 = 2 * (x * y + w * z) * sx;
    const m20 = 2 * (x * z - w * y) * sx;
    const m01 = 2 * (x * y - w * z) * sy;
    const m11 = (1 - 2 * (x * x + z * z)) * sy;
    const m21 = 2 * (y * z + w * x) * sy;
    const m02 = 2 * (x * z + w * y) * sz;
    const m12 = 2 * (y * z - w * x) * sz;
    const m22 = (1 - 2 * (x * x + y * y)) * sz;
    const tx = t[3 * j];
    const ty = t[3 * j + 1];
    const tz = t[3 * j + 2];
    const o = 16 * j;
    const parent = parents[j];
    if (parent < 0) {
      out[o] = m00;
      out[o + 1] = m10;
      out[o + 2] = m20;
      out[o + 4] = m01;
      out[o + 5] = m11;
      out[o + 6] = m21;
      out[o + 8] = m02;
      out[o + 9] = m12;
      out[o + 10] = m22;
      out[o + 12] = tx;
      out[o + 13] = ty;
      out[o + 14] = tz;
      const frame = frameOf(rig, j);
      if (frame) placeIn(frame, out, o);
    } else {
      const p = 16 * parent;
      let a = out[p];
      let b = out[p + 4];
      let c = out[p + 8];
      out[o] = a * m00 + b * m10 + c * m20;
      out[o + 4] = a * m01 + b * m11 + c * m21;
      out[o + 8] = a * m02 + b * m12 + c * m22;
      out[o + 12] = a * tx + b * ty + c * tz + out[p + 12];
      a = out[p + 1];
      b = out[p + 5];
      c = out[p + 9];
      out[o + 1] = a * m00 + b * m10 + c * m20;
      out[o + 5] = a * m01 + b * m11 + c * m21;
      out[o + 9] = a * m02 + b * m12 + c * m22;
      out[o + 13] = a * tx + b * ty + c * tz + out[p + 13];
      a = out[p + 2];
      b = out[p + 6];
      c = out[p + 10];
      out[o + 2] = a * m00 + b * m10 + c * m20;
      out[o + 6] = a * m01 + b * m11 + c * m21;
      out[o + 10] = a * m02 + b * m12 + c * m22;
      out[o + 14] = a * tx + b * ty + c * tz + out[p + 14];
    }
    out[o + 3] = 0;
    out[o + 7] = 0;
    out[o + 11] = 0;
    out[o + 15] = 1;
  }
  return out;
}

/**
 * Global orientations, the product of local rotations only, 4 numbers a joint; `first` and `end` as above. The product is
 * that of `multiply`, written out for arrays of one kind.
 */
export function globalOrientations(
  rig: Rig,
  pose: Pose,
  out: Float64Array,
  first = 0,
  end = rig.joints.length,
): Float64Array {
  const { rotations } = pose;
  const { parents } = topologyOf(rig);
  for (let j = first; j < end; j++) {
    const o = 4 * j;
    const x = rotations[o];
    const y = rotations[o + 1];
    const z = rotations[o + 2];
    const w = rotations[o + 3];
    const parent = parents[j];
    if (parent < 0) {
      out[o] = x;
      out[o + 1] = y;
      out[o + 2] = z;
      out[o + 3] = w;
      const frame = frameOf(rig, j);
      if (frame) turnIn(frame, out, o);
    } else {
      const p = 4 * parent;
      const px = out[p];
      const py = out[p + 1];
      const pz = out[p + 2];
      const pw = out[p + 3];
      out[o] = pw * x + px * w + py * z - pz * y;
      out[o + 1] = pw * y - px * z + py * w + pz * x;
      out[o + 2] = pw * z + px * y - py * x + pz * w;
      out[o + 3] = pw * w - px * x - py * y - pz * z;
    }
  }
  return out;
}

/** Position of a point given in a joint's axes, such as an end site. */
export function pointInWorld(matrices: Float64Array, joint: number, point: readonly number[]): number[] {
  const o = 16 * joint;
  const [x, y, z] = point;
  const m = matrices;
  return [
    m[o] * x + m[o + 4] * y + m[o + 8] * z + m[o + 12],
    m[o + 1] * x + m[o + 5] * y + m[o + 9] * z + m[o + 13],
    m[o + 2] * x + m[o + 6] * y + m[o + 10] * z + m[o + 14],
  ];
}

/** Height of the character: the vertical extent of its joints in rest, end sites and props left out, in rig units. */
export function rigHeight(scene: Rig): number {
  const rig = characterOf(scene);
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (let j = 0; j < rig.joints.length; j++) {
    low = Math.min(low, matrices[16 * j + 13]);
    high = Math.max(high, matrices[16 * j + 13]);
  }
  return high - low;
}
