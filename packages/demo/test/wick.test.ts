import { compileStack, evaluateStack, type Pose, restPose } from '@evlay/core';
import { poseOfSample } from '@evlay/core/bake';
import { newAttribution } from '@evlay/core/evaluate';
import { readGlbRig } from '@evlay/core/format';
import { findParts, globalMatrices, globalOrientations, jointIndex, memberCount } from '@evlay/core/rig';
import { WebIO } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { figureGlb } from '../src/glb.js';
import { SOLIDS } from '../src/wick/body.js';
import { lanternOnHook } from '../src/wick/hook.js';
import { lampLighting } from '../src/wick/lamp-lighting.js';
import { PLACES, placeOf, WICK } from '../src/wick/skeleton.js';
import { CYCLE, FRAMES, reachError, STRIDE, walk } from '../src/wick/walk.js';

const apart = (a: readonly number[], b: readonly number[]) => Math.hypot(...a.map((v, k) => v - b[k]));
const n = WICK.joints.length;
const index = (name: string) => WICK.joints.findIndex((joint) => joint.name === name);
const samples = walk();

/** World matrices of all joints at every frame of the walk. */
const world = Array.from({ length: FRAMES }, (_, frame) =>
  globalMatrices(WICK, poseAt(frame), new Float64Array(16 * n)),
);

function poseAt(frame: number): Pose {
  const pose = restPose(WICK);
  poseOfSample(samples, frame, pose);
  return pose;
}

/** Where a point that is given at rest, in the scene, is carried by a joint at a frame. */
function carried(frame: number, joint: string, point: readonly number[]): number[] {
  const [x, y, z] = point.map((value, axis) => value - placeOf(joint)[axis]);
  const m = world[frame].subarray(16 * index(joint), 16 * index(joint) + 16);
  return [0, 1, 2].map((row) => m[row] * x + m[4 + row] * y + m[8 + row] * z + m[12 + row]);
}

/** Turn about the upright axis in degrees, of a joint whose rest is straight ahead. */
function heading(frame: number, joint: string): number {
  const q = globalOrientations(WICK, poseAt(frame), new Float64Array(4 * n)).subarray(4 * index(joint));
  return (Math.atan2(2 * (q[3] * q[1] + q[0] * q[2]), 1 - 2 * (q[0] ** 2 + q[1] ** 2)) * 180) / Math.PI;
}

/** A sole this near to the ground bears, in metres. */
const TOUCH = 0.0006;
const SIDES = ['Left', 'Right'] as const;
const heel = (frame: number, side: string) => {
  const [x, , z] = placeOf(`${side}Foot`);
  return carried(frame, `${side}Foot`, [x, 0, z - 0.062]);
};
const ball = (frame: number, side: string) => {
  const [x, , z] = placeOf(`${side}Toes`);
  return carried(frame, `${side}Toes`, [x, 0, z]);
};
/** Frames in which some of the sole is down, with the point that bears. */
const bearing = (frame: number, side: string) =>
  [heel(frame, side), ball(frame, side)].sort((a, b) => a[1] - b[1])[0];
const stands = (frame: number, side: string) => bearing(frame, side)[1] < TOUCH;

describe('the walk', () => {
  it('reaches every place that a foot has to be', () => {
    expect(reachError()).toBeLessThan(1e-4);
  });

  it('keeps the feet off the inside of the ground', () => {
    for (let frame = 0; frame < FRAMES; frame++)
      for (const side of SIDES) expect(bearing(frame, side)[1]).toBeGreaterThan(-0.012);
  });

  it('has feet that do not slide while they bear, and one of them always does', () => {
    let stood = 0;
    for (let frame = 0; frame + 1 < FRAMES; frame++) {
      expect(SIDES.some((side) => stands(frame, side))).toBe(true);
      for (const side of SIDES) {
        for (const point of [heel, ball]) {
          const a = point(frame, side);
          const b = point(frame + 1, side);
          if (a[1] > TOUCH || b[1] > TOUCH) continue;
          stood++;
          expect(Math.hypot(b[0] - a[0], b[2] - a[2])).toBeLessThan(0.002);
        }
      }
    }
    expect(stood).toBeGreaterThan(FRAMES);
  });

  it('strikes with the heel and leaves with the toes', () => {
    for (const side of SIDES) {
      let strikes = 0;
      let leaves = 0;
      for (let frame = 0; frame + 1 < FRAMES; frame++) {
        if (!stands(frame, side) && stands(frame + 1, side)) {
          strikes++;
          expect(heel(frame + 1, side)[1]).toBeLessThan(ball(frame + 1, side)[1] - 0.02);
        }
        if (stands(frame, side) && !stands(frame + 1, side)) {
          leaves++;
          expect(ball(frame, side)[1]).toBeLessThan(heel(frame, side)[1] - 0.05);
        }
      }
      expect(Math.min(strikes, leaves)).toBeGreaterThan(2);
    }
  });

  it('carries the weight over the foot that bears, and turns hips and shoulders against each other', () => {
    let against = 0;
    for (let frame = 0; frame < FRAMES; frame++) {
      const [left, right] = SIDES.map((side) => stands(frame, side));
      const hips = world[frame][16 * index('Hips') + 12];
      if (left && !right && ball(frame, 'Left')[1] < TOUCH && heel(frame, 'Left')[1] < TOUCH)
        expect(hips).toBeGreaterThan(0);
      if (right && !left && ball(frame, 'Right')[1] < TOUCH && heel(frame, 'Right')[1] < TOUCH)
        expect(hips).toBeLessThan(0);
      against += heading(frame, 'Hips') * heading(frame, 'UpperChest');
    }
    expect(against / FRAMES).toBeLessThan(-5);
  });

  it('comes round after a cycle, one stride further on', () => {
    for (let frame = 0; frame + CYCLE < FRAMES; frame++) {
      for (let j = 0; j < n; j++) {
        const o = 16 * j + 12;
        const [a, b] = [world[frame], world[frame + CYCLE]];
        expect(b[o]).toBeCloseTo(a[o], 6);
        expect(b[o + 1]).toBeCloseTo(a[o + 1], 6);
        expect(b[o + 2]).toBeCloseTo(a[o + 2] + STRIDE, 6);
      }
    }
  });
});

describe('the figure', () => {
  let glb: Uint8Array;
  beforeAll(async () => {
    glb = await figureGlb(
      'Wick',
      WICK,
      PLACES.map((place) => place.at),
      SOLIDS,
    );
  });

  it('has about fifty joints with fingers, read back as they were made', async () => {
    expect(n).toBeGreaterThan(45);
    expect(n).toBeLessThan(60);
    const rig = readGlbRig(glb);
    for (const [j, joint] of rig.joints.entries()) {
      expect(joint.name).toBe(WICK.joints[j].name);
      expect(joint.parent).toBe(WICK.joints[j].parent);
      for (const [axis, value] of joint.translation.entries())
        expect(value).toBeCloseTo(WICK.joints[j].translation[axis], 6);
    }
    const parts = findParts(rig);
    expect(parts[index('LeftLittle3')]).toBe('leftHand');
    expect(parts[index('RightLowerLeg')]).toBe('rightLeg');
  });

  it('is a closed skin of one person’s height whose weights sum to 1', async () => {
    const root = (await new WebIO().readBinary(glb)).getRoot();
    let low = Number.POSITIVE_INFINITY;
    let high = Number.NEGATIVE_INFINITY;
    for (const primitive of root.listMeshes().flatMap((mesh) => mesh.listPrimitives())) {
      const positions = primitive.getAttribute('POSITION')!.getArray()!;
      const weights = primitive.getAttribute('WEIGHTS_0')!.getArray()!;
      const joints = primitive.getAttribute('JOINTS_0')!.getArray()!;
      const triangles = primitive.getIndices()!.getArray()!;
      for (let v = 0; v < positions.length; v += 3) {
        low = Math.min(low, positions[v + 1]);
        high = Math.max(high, positions[v + 1]);
      }
      let unequal = 0;
      for (let v = 0; v < weights.length; v += 4)
        unequal = Math.max(
          unequal,
          Math.abs(weights.slice(v, v + 4).reduce((sum: number, w: number) => sum + w) - 1),
        );
      expect(unequal).toBeLessThan(1e-5);
      expect(joints.every((joint: number) => joint < n)).toBe(true);
      // In a closed mesh every edge is walked once each way; its volume is positive where it faces outward.
      const edges = new Map<string, number>();
      let volume = 0;
      for (let t = 0; t < triangles.length; t += 3) {
        const [a, b, c] = triangles.subarray(t, t + 3);
        for (const [from, to] of [
          [a, b],
          [b, c],
          [c, a],
        ])
          edges.set(`${from} ${to}`, (edges.get(`${from} ${to}`) ?? 0) + 1);
        const [p, q, r] = [a, b, c].map((v) => positions.subarray(3 * v, 3 * v + 3));
        volume +=
          p[0] * (q[1] * r[2] - q[2] * r[1]) +
          p[1] * (q[2] * r[0] - q[0] * r[2]) +
          p[2] * (q[0] * r[1] - q[1] * r[0]);
      }
      const open = [...edges].filter(
        ([edge, times]) => edges.get(edge.split(' ').reverse().join(' ')) !== times,
      );
      expect(open).toEqual([]);
      expect(volume).toBeGreaterThan(0);
    }
    // With hat and soles.
    expect(high - low).toBeGreaterThan(1.7);
    expect(high - low).toBeLessThan(1.95);
  });

  it('lies on the shapes that it was made of, with few triangles', async () => {
    const root = (await new WebIO().readBinary(glb)).getRoot();
    const primitives = root.listMeshes().flatMap((mesh) => mesh.listPrimitives());
    // Those with a face are a mesh of their own.
    const solids = [...SOLIDS.filter(({ morphs }) => !morphs), ...SOLIDS.filter(({ morphs }) => morphs)];
    expect(primitives).toHaveLength(solids.length);
    let count = 0;
    for (const [k, primitive] of primitives.entries()) {
      const positions = primitive.getAttribute('POSITION')!.getArray()!;
      const triangles = primitive.getIndices()!.getArray()!;
      const off: number[] = [];
      for (let t = 0; t < triangles.length; t += 3) {
        const corners = [...triangles.subarray(t, t + 3)];
        const middle = (axis: number) => corners.reduce((sum, v) => sum + positions[3 * v + axis], 0) / 3;
        off.push(Math.abs(solids[k].shape([middle(0), middle(1), middle(2)])));
      }
      off.sort((a, b) => a - b);
      // Sharp edges are rounded by the cells of the surface, of 5 to 14 mm.
      expect(off[off.length >> 1]).toBeLessThan(0.0015);
      expect(off.at(-1)).toBeLessThan(0.0045);
      count += off.length;
    }
    expect(count).toBeLessThan(20_000);
  });
});

describe('The lantern on its hook', () => {
  const project = lanternOnHook(new Uint8Array(), new Uint8Array());
  const [first, last] = project.range;
  const frames = Array.from({ length: last - first + 1 }, (_, k) => first + k);
  const stack = compileStack(project);
  const places = frames.map((frame) => {
    const pose = restPose(project.rig);
    evaluateStack(stack, frame, pose);
    const matrices = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
    return (joint: string) => {
      const j = jointIndex(project.rig, joint);
      return [...matrices.subarray(16 * j + 12, 16 * j + 15)];
    };
  });
  const hook = project.scene.props.find(({ name }) => name === 'Lantern')!.at;

  it('goes from the hook into the hand and back, and never drops on the way', () => {
    const path = places.map((at) => at('Lantern'));
    expect(apart(path[0], hook)).toBeLessThan(1e-9);
    expect(apart(path[path.length - 1], hook)).toBeLessThan(1e-9);
    // He carries it away from the hook, in his hand.
    const carried = places.map((at) => apart(at('Lantern'), at('RightHand')));
    expect(Math.max(...path.map((at) => apart(at, hook)))).toBeGreaterThan(0.3);
    for (let frame = 70; frame <= 140; frame++)
      expect(Math.abs(carried[frame] - carried[100])).toBeLessThan(1e-6);
    const steps = path.slice(1).map((at, k) => apart(at, path[k]));
    for (let k = 1; k + 1 < steps.length; k++)
      expect(steps[k]).toBeLessThan(1.6 * Math.max(steps[k - 1], steps[k + 1]) + 0.002);
  });

  it('has feet that stand while he leans, and a barrel that lies on the ground in the end', () => {
    for (let k = 1; k < places.length; k++)
      for (const foot of ['LeftFoot', 'RightFoot'])
        expect(apart(places[k](foot), places[k - 1](foot))).toBeLessThan(0.001);
    const barrel = project.scene.props.find(({ name }) => name === 'Barrel')!;
    const heights = places.map((at) => at('Barrel')[1]);
    expect(Math.min(...heights)).toBeGreaterThan(barrel.size[0] / 2 - 0.005);
    expect(heights[heights.length - 1]).toBeCloseTo(barrel.size[0] / 2, 6);
  });
});

const project = await lampLighting(new Uint8Array());

describe('Lamp-lighting', () => {
  const stack = compileStack(project);
  const members = memberCount(WICK);
  const shown = newAttribution(project.layers.length, WICK);
  const at = (frame: number) => {
    const pose = restPose(WICK);
    evaluateStack(stack, frame, pose, shown);
    return pose;
  };

  it('gives the lantern layer the right arm and hand alone, and takes it back', () => {
    const arm = project.layers.findIndex((layer) => layer.id === 'lantern-arm');
    for (const [frame, share] of [
      [0, 0],
      [60, 1],
      [120, 0],
    ]) {
      at(frame);
      expect(shown.shares[(arm + 1) * members + index('RightUpperArm')]).toBeCloseTo(share, 9);
      for (let j = 0; j < members; j++) {
        const part = project.parts[j];
        if (part !== 'rightArm' && part !== 'rightHand')
          expect(shown.shares[(arm + 1) * members + j]).toBe(0);
      }
    }
  });

  it('hangs the lantern down whatever the arm does', () => {
    const lantern = index('Lantern');
    for (let frame = 40; frame <= 80; frame += 4) {
      const q = globalOrientations(WICK, at(frame), new Float64Array(4 * n)).subarray(4 * lantern);
      const upright = 1 - 2 * (q[0] ** 2 + q[2] ** 2);
      expect((Math.acos(Math.min(1, upright)) * 180) / Math.PI).toBeLessThan(16);
    }
  });

  it('glances with head and neck only, inside its span', () => {
    const glance = project.layers.findIndex((layer) => layer.id === 'glance');
    at(70);
    expect(shown.turns[glance * members + index('Head')]).toBeGreaterThan(0.3);
    expect(shown.turns[glance * members + index('Spine')]).toBe(0);
    at(100);
    expect(shown.turns.subarray(glance * members, (glance + 1) * members).every((turn) => turn === 0)).toBe(
      true,
    );
  });
});
