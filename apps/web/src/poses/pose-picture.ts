import { type Rig, restPose, type SavedPose } from '@evlay/core';
import {
  copyPose,
  facing,
  globalMatrices,
  jointChildren,
  type Parts,
  positionsAtRest,
  rigHeight,
} from '@evlay/core/rig';
import { jointsOfPose, wantedBySaved } from '@evlay/core/solve';

/** A bone as it is drawn, in the picture's own units: from one joint to the next, as wide as its part is. */
export interface DrawnBone {
  readonly from: readonly [number, number];
  readonly to: readonly [number, number];
  readonly width: number;
  /** Whether the pose says something about it. */
  readonly held: boolean;
}

export interface PosePictureShapes {
  readonly bones: readonly DrawnBone[];
  /** From the middle of the head to where its nose is; undefined where that is not seen. */
  readonly nose?: Pick<DrawnBone, 'from' | 'to'>;
  readonly box: readonly [x: number, y: number, width: number, height: number];
}

type Vector = readonly number[];

const cross = (a: Vector, b: Vector): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const dot = (a: Vector, b: Vector): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const unit = (a: Vector): number[] => {
  const length = Math.hypot(...a) || 1;
  return a.map((value) => value / length);
};

/** Width of a bone by its part, as a part of the character's height. */
function widthOf(part: string): number {
  if (part === 'torso' || part === 'hips') return 0.12;
  if (part === 'head') return 0.12;
  if (/Leg$/.test(part)) return 0.07;
  if (/Hand$/.test(part)) return 0.03;
  return 0.05;
}

/** From which way a picture is seen: across and up, of length 1, and towards the eye. */
interface Eye {
  readonly right: Vector;
  readonly up: Vector;
  readonly towards: Vector;
}

/** A person is seen from ahead and a little from its left. */
const VIEWED_FROM = 0.55;

function eyeOnBody(rig: Rig): Eye {
  const ahead = unit(facing(rig, positionsAtRest(rig)));
  const left = cross([0, 1, 0], ahead);
  const towards = unit(
    ahead.map((value, axis) => value * Math.cos(VIEWED_FROM) + left[axis] * Math.sin(VIEWED_FROM)),
  );
  return { right: cross([0, 1, 0], towards), up: [0, 1, 0], towards };
}

/** A hand is seen from its back and the side of the first finger, with its fingers up. */
function eyeOnHand(matrices: Float64Array, hand: number, firsts: readonly number[]): Eye {
  const at = (j: number) => [...matrices.subarray(16 * j + 12, 16 * j + 15)];
  const way = (a: number, b: number) => at(b).map((value, axis) => value - at(a)[axis]);
  const middle = firsts[Math.floor(firsts.length / 2)];
  const up = unit(way(hand, middle));
  const across = way(firsts[0], firsts[firsts.length - 1]);
  const back = unit(cross(up, across));
  const towards = unit(back.map((value, axis) => 0.6 * value - 0.8 * unit(across)[axis]));
  const right = unit(cross(up, towards));
  return { right, up: cross(towards, right), towards };
}

/** Draws a saved pose on a rig: the whole figure, or of a hand the hand alone. Undefined where it says nothing there. */
export function pictureOf(rig: Rig, parts: Parts, saved: SavedPose): PosePictureShapes | undefined {
  const rest = restPose(rig);
  const pose = restPose(rig);
  copyPose(pose, rest);
  for (const [j, { rotation, translation }] of wantedBySaved(rig, rest, saved)) {
    if (rotation) pose.rotations.set(rotation, 4 * j);
    if (translation) pose.translations.set(translation, 3 * j);
  }
  const held = new Set(jointsOfPose(rig, saved).filter((j) => j >= 0));
  if (held.size === 0) return undefined;
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  const hand = saved.kind === 'hand' ? rig.joints[Math.min(...held)].parent : -1;
  const firsts = hand < 0 ? [] : [...held].filter((j) => rig.joints[j].parent === hand);
  const fingers = firsts.filter((j) => !/thumb/i.test(rig.joints[j].name));
  const eye = fingers.length > 1 ? eyeOnHand(matrices, hand, fingers) : eyeOnBody(rig);
  const seen = (j: number): [number, number, number] => {
    const place = matrices.subarray(16 * j + 12, 16 * j + 15);
    return [dot([...place], eye.right), -dot([...place], eye.up), dot([...place], eye.towards)];
  };
  const children = jointChildren(rig);
  const height = rigHeight(rig);
  const shown = rig.joints.flatMap(({ parent }, j) =>
    parent >= 0 && (hand < 0 || held.has(j)) && !isProp(rig, parts, j) ? [[parent, j]] : [],
  );
  // Of some joints the picture shows those and what is beside them.
  const near = saved.kind === 'part' ? shown.filter(([a, b]) => held.has(a) || held.has(b)) : shown;
  const places = near.flat().map(seen);
  const span = (axis: number) => {
    const values = places.map((place) => place[axis]);
    return [Math.min(...values), Math.max(...values)];
  };
  const [[x0, x1], [y0, y1]] = [span(0), span(1)];
  const size = Math.max(x1 - x0, y1 - y0, 1e-9);
  const bones = shown
    .map(([a, b]) => ({ a, b, depth: seen(a)[2] + seen(b)[2] }))
    .sort((one, other) => one.depth - other.depth)
    .map(({ a, b }): DrawnBone => {
      const [from, to] = [seen(a), seen(b)];
      const last = children[b].length === 0;
      // A finger or a head goes on a little beyond its last joint.
      const on = last ? (hand < 0 ? 1.6 : 1.7) : 1;
      return {
        from: [from[0], from[1]],
        to: [from[0] + (to[0] - from[0]) * on, from[1] + (to[1] - from[1]) * on],
        width: hand < 0 ? height * widthOf(parts[b]) : 0.11 * size,
        held: held.has(b) || held.has(a),
      };
    });
  const room = (saved.kind === 'part' ? 0.9 : 0.14) * size;
  const [cx, cy] = [(x0 + x1) / 2, (y0 + y1) / 2];
  const half = size / 2 + room;
  const nose = hand < 0 ? noseOf(rig, parts, matrices, eye, height) : undefined;
  return { bones, nose, box: [cx - half, cy - half, 2 * half, 2 * half] };
}

/** Where the nose is seen on the head, which shows where it looks. */
function noseOf(
  rig: Rig,
  parts: Parts,
  matrices: Float64Array,
  { right, up, towards }: Eye,
  height: number,
): PosePictureShapes['nose'] {
  const head = parts.lastIndexOf('head');
  if (head < 0) return undefined;
  const ahead = unit(facing(rig, positionsAtRest(rig)));
  // What the head has turned from rest, in the scene.
  const rest = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  const turned = (m: Float64Array, v: Vector) =>
    [0, 1, 2].map(
      (row) => m[16 * head + row] * v[0] + m[16 * head + 4 + row] * v[1] + m[16 * head + 8 + row] * v[2],
    );
  const back = (v: Vector) =>
    [0, 1, 2].map((c) => dot([...rest.subarray(16 * head + 4 * c, 16 * head + 4 * c + 3)], v));
  const [way, crown] = [ahead, [0, 1, 0]].map((v) => turned(matrices, back(v)));
  if (dot(way, towards) < -0.2) return undefined;
  const base = [...matrices.subarray(16 * head + 12, 16 * head + 15)];
  const middle = base.map((value, axis) => value + 0.055 * height * crown[axis]);
  const tip = middle.map((value, axis) => value + 0.085 * height * way[axis]);
  const seen = (v: Vector) => [dot(v, right), -dot(v, up)] as const;
  return { from: seen(middle), to: seen(tip) };
}

/** Whether a joint is a thing that is carried: it hangs alone in a hand and has no name of a finger. */
const isProp = (rig: Rig, parts: Parts, j: number): boolean =>
  parts[j] === 'other' ||
  (/Hand$/.test(parts[j]) &&
    !/\d/.test(rig.joints[j].name) &&
    /Hand$/.test(parts[rig.joints[j].parent] ?? ''));
