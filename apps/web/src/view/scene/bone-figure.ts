import { type Rig, restPose } from '@evlay/core';
import { globalMatrices, jointChildren, type Parts, rigHeight } from '@evlay/core/rig';
import * as THREE from 'three';
import { type FigureMesh, figureBones, figureMesh } from './figure.js';

/** Radii of a limb by part, as parts of the character's height: where it starts and how much of that is left. */
function radiusOf(part: string): number {
  if (/torso/.test(part)) return 0.058;
  if (/hips/.test(part)) return 0.056;
  if (/head/.test(part)) return 0.05;
  if (/neck/.test(part)) return 0.028;
  if (/Hand/.test(part)) return 0.012;
  if (/Arm/.test(part)) return 0.024;
  if (/Foot/.test(part)) return 0.022;
  if (/Leg/.test(part)) return 0.034;
  return 0.018;
}

const AROUND = 14;
const ALONG = 5;

interface Draft {
  readonly positions: number[];
  readonly normals: number[];
  readonly joints: number[];
  readonly triangles: number[];
}

/**
 * A plain figure for a rig without a skin: a rounded limb from each joint to the next, as thick as its part of
 * the body usually is. `slim` makes thin limbs that show the skeleton itself. A `light` figure has no fingers.
 */
export function boneFigure(rig: Rig, parts: Parts, slim: boolean, light = false): FigureMesh {
  const n = rig.joints.length;
  const height = rigHeight(rig) || 1;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const at = (j: number) =>
    new THREE.Vector3().setFromMatrixPosition(new THREE.Matrix4().fromArray(matrices, 16 * j));
  const children = jointChildren(rig);
  const draft: Draft = { positions: [], normals: [], joints: [], triangles: [] };
  const isTrunk = (j: number) => parts[j] === 'torso' || parts[j] === 'hips';
  // An arm that starts inside the trunk is stout there: it makes the shoulder.
  const isShoulder = (j: number) =>
    /Arm$/.test(parts[j]) && rig.joints[j].parent >= 0 && isTrunk(rig.joints[j].parent);
  const radius = (j: number) => height * (slim ? 0.011 : radiusOf(parts[j]) * (isShoulder(j) ? 1.7 : 1));
  const isFinger = (j: number) => /Hand$/.test(parts[j]) && parts[rig.joints[j].parent] === parts[j];
  for (let j = 0; j < n; j++) {
    if (light && isFinger(j)) continue;
    const matrix = new THREE.Matrix4().fromArray(matrices, 16 * j);
    const ends = [
      ...children[j].map((child) => ({ to: at(child), end: Math.min(radius(j), radius(child) * 1.1) })),
      ...rig.joints[j].ends.map((end) => ({
        to: new THREE.Vector3(...end).applyMatrix4(matrix),
        end: radius(j) * 0.7,
      })),
    ];
    const long = ends.filter(({ to }) => to.distanceTo(at(j)) > 0.004 * height);
    for (const { to, end } of long)
      addLimb(
        draft,
        j,
        at(j),
        to,
        radius(j) * 0.9,
        end * (parts[j] === 'head' ? 1.1 : 0.85),
        isTrunk(j) && !slim ? 1.35 : 1,
      );
    if (parts[j] === 'head' && long.length === 0 && children[j].length === 0) {
      // A head without an end still has a height.
      addLimb(
        draft,
        j,
        at(j),
        at(j).add(new THREE.Vector3(0, 0.085 * height, 0)),
        radius(j) * 0.8,
        radius(j),
      );
    } else if (long.length === 0 && (slim || children[j].length === 0))
      addLimb(draft, j, at(j), at(j), radius(j) * 0.8, radius(j) * 0.8);
  }
  const geometry = new THREE.BufferGeometry();
  const count = draft.joints.length;
  const skinIndex = new Uint16Array(4 * count);
  const skinWeight = new Float32Array(4 * count);
  for (const [v, j] of draft.joints.entries()) {
    skinIndex[4 * v] = j;
    skinWeight[4 * v] = 1;
  }
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(draft.positions, 3));
  geometry.setAttribute('normal', new THREE.Float32BufferAttribute(draft.normals, 3));
  geometry.setAttribute('skinIndex', new THREE.Uint16BufferAttribute(skinIndex, 4));
  geometry.setAttribute('skinWeight', new THREE.Float32BufferAttribute(skinWeight, 4));
  geometry.setIndex(draft.triangles);
  const inverses = rig.joints.map((_, j) => new THREE.Matrix4().fromArray(matrices, 16 * j).invert());
  const material = new THREE.MeshStandardMaterial({ color: slim ? '#D9D2BE' : '#C9BFA9', roughness: 0.7 });
  const bones = figureBones(
    inverses,
    rig.joints.map((_, j) => j),
  );
  return figureMesh(geometry, material, bones);
}

/** Adds a limb with half-round ends from `a` (radius `ra`) to `b` (radius `rb`), moved by joint `j`; `wide` stretches it sideways. */
function addLimb(
  draft: Draft,
  j: number,
  a: THREE.Vector3,
  b: THREE.Vector3,
  ra: number,
  rb: number,
  wide = 1,
): void {
  const axis = b.clone().sub(a);
  const length = axis.length();
  if (length > 0) axis.divideScalar(length);
  else axis.set(0, 1, 0);
  const side = new THREE.Vector3(Math.abs(axis.x) > 0.9 ? 0 : 1, 0, Math.abs(axis.x) > 0.9 ? 1 : 0)
    .cross(axis)
    .normalize();
  const front = axis.clone().cross(side);
  // Profile from the tip of one half-round end to the tip of the other: place along, radius, and outward tilt.
  const profile: [along: number, r: number, tilt: number][] = [];
  for (let k = 0; k <= ALONG; k++) {
    const angle = (Math.PI / 2) * (k / ALONG);
    profile.push([-ra * Math.cos(angle), ra * Math.sin(angle), -Math.cos(angle)]);
  }
  for (let k = 0; k <= ALONG; k++) {
    const angle = (Math.PI / 2) * (k / ALONG);
    profile.push([length + rb * Math.sin(angle), rb * Math.cos(angle), Math.sin(angle)]);
  }
  const first = draft.joints.length;
  for (const [along, r, tilt] of profile) {
    for (let k = 0; k < AROUND; k++) {
      const angle = (2 * Math.PI * k) / AROUND;
      const out = side.clone().multiplyScalar(Math.cos(angle)).addScaledVector(front, Math.sin(angle));
      const place = a.clone().addScaledVector(axis, along).addScaledVector(out, r);
      place.x = a.x + (place.x - a.x) * wide;
      draft.positions.push(...place.toArray());
      draft.normals.push(
        ...out
          .multiplyScalar(Math.sqrt(1 - tilt * tilt))
          .addScaledVector(axis, tilt)
          .toArray(),
      );
      draft.joints.push(j);
    }
  }
  for (let row = 0; row + 1 < profile.length; row++) {
    for (let k = 0; k < AROUND; k++) {
      const p = first + row * AROUND + k;
      const q = first + row * AROUND + ((k + 1) % AROUND);
      draft.triangles.push(p, q, p + AROUND, q, q + AROUND, p + AROUND);
    }
  }
}
