import fc from 'fast-check';
import { CatmullRomCurve3, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bakeBlock, planBake, samplesOfCharacter } from '../src/bake/index.js';
import { compilePath, headingAlong, pathLength, placeOnPath } from '../src/curve/path.js';
import { evaluateFrames, poseBlock } from '../src/evaluate/index.js';
import {
  compileStack,
  evaluateStack,
  newLayer,
  type Project,
  playing,
  restPose,
  rigOfScene,
} from '../src/index.js';
import { findParts, rigOfCharacter } from '../src/rig/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyScene } from './any-scene.js';
import { isAsPlain } from './as-plain.js';

const anyFrame = fc.oneof(fc.integer({ min: 0, max: 20 }), fc.double({ min: 0, max: 20, noNaN: true }));

describe('a scene of two characters', () => {
  it('is where the plain evaluator has it, on drawn stacks that tie the one to the other', () => {
    let left = 0;
    fc.assert(
      fc.property(anyScene, anyFrame, (project, frame) => {
        if (!isAsPlain(project, frame)) left++;
      }),
      { numRuns: 40, endOnFailure: true },
    );
    // Where the rules themselves jump.
    expect(left).toBeLessThan(5);
  });

  it('is the same to the bit in whatever order and pieces frames are evaluated', () => {
    fc.assert(
      fc.property(anyScene, fc.array(anyFrame, { minLength: 2, maxLength: 5 }), (project, frames) => {
        const alone = frames.map((frame) => {
          const pose = restPose(project.rig);
          evaluateStack(compileStack(project), frame, pose);
          return pose;
        });
        const block = poseBlock(project.rig);
        evaluateFrames(compileStack(project), Float64Array.from(frames), frames.length, block);
        for (const [k, pose] of alone.entries()) expect(block.poses[k].rotations).toEqual(pose.rotations);
      }),
      { numRuns: 40, endOnFailure: true },
    );
  });

  it('bakes a character in a moved and turned frame to the bytes that it has without one, beside another', () => {
    fc.assert(
      fc.property(anyGroundedProject, fc.double({ min: -180, max: 180, noNaN: true }), (drawn, heading) => {
        const [take] = drawn.takes;
        const content = playing(take.id, 'first', 'Second');
        const [{ rig: body }] = drawn.scene.characters;
        const with2 = (stand: { at: [number, number, number]; heading: number; scale: number }): Project => {
          const characters = [...drawn.scene.characters, { name: 'Second', rig: body, stand }];
          const scene = { characters, props: drawn.scene.props };
          const rig = rigOfScene(scene);
          const layers = [...drawn.layers, newLayer('Second', 'override', { content })];
          return { ...drawn, scene, rig, parts: findParts(rig), layers };
        };
        const alone: Project = {
          ...drawn,
          scene: { characters: [drawn.scene.characters[0]], props: [] },
          rig: body,
          parts: findParts(body),
          layers: [newLayer('Base', 'override', { content: playing(take.id) })],
        };
        const plan = planBake(drawn, {});
        const all = (project: Project) => bakeBlock(compileStack(project), plan, 0, plan.count);
        const own = all(alone);
        for (const scale of [1, 2]) {
          const project = with2({ at: [1, -2, 3], heading, scale });
          const second = samplesOfCharacter(project.rig, 1, all(project));
          const n = body.joints.length;
          expect(rigOfCharacter(project.rig, 1).joints.slice(0, n)).toEqual(body.joints);
          for (let s = 0; s < plan.count; s++) {
            const row = 4 * s * second.rotations.joints.length;
            expect(second.rotations.values.slice(row, row + 4 * n)).toEqual(
              own.rotations.values.slice(4 * n * s, 4 * n * (s + 1)),
            );
          }
        }
      }),
      { numRuns: 10, endOnFailure: true },
    );
  });
});

describe('a path', () => {
  const drawn = (seed: number, count: number): [number, number, number][] => {
    const next = random(seed);
    return Array.from({ length: count }, () => [4 * next(), next(), 4 * next()]);
  };

  // three's CatmullRomCurve3 takes the length of pieces as those of many chords.
  it('is that of three (centripetal), gone along evenly', () => {
    for (const [seed, count] of [
      [1, 2],
      [2, 3],
      [3, 5],
      [4, 9],
    ])
      for (const closed of [false, true]) {
        if (closed && count === 2) continue;
        const points = drawn(seed, count);
        const curve = new CatmullRomCurve3(
          points.map((point) => new Vector3(...point)),
          closed,
          'centripetal',
        );
        curve.arcLengthDivisions = 20_000;
        const path = compilePath(points, closed);
        const length = pathLength(path);
        expect(Math.abs(length - curve.getLength()) / length).toBeLessThan(1e-5);
        const place = new Float64Array(3);
        const ahead = new Float64Array(3);
        for (let k = 0; k <= 40; k++) {
          placeOnPath(path, k / 40, place, ahead);
          const off = curve.getPointAt(k / 40).distanceTo(new Vector3(...place));
          expect(off / length, `${count} points at ${k}`).toBeLessThan(1e-5);
          if (k > 0 && k < 40)
            expect(curve.getTangentAt(k / 40).distanceTo(new Vector3(...ahead))).toBeLessThan(1e-2);
        }
      }
  });

  it('goes round where it is closed, and holds its ends where it is not', () => {
    const points = drawn(7, 4);
    const [a, b] = [new Float64Array(3), new Float64Array(3)];
    const round = compilePath(points, true);
    placeOnPath(round, 1.3, a);
    placeOnPath(round, -0.7, b);
    for (let axis = 0; axis < 3; axis++) expect(a[axis]).toBeCloseTo(b[axis], 12);
    placeOnPath(compilePath(points, false), 7, a);
    for (let axis = 0; axis < 3; axis++) expect(a[axis]).toBeCloseTo(points[3][axis], 12);
  });

  it('turns what goes along it ahead and upright, also straight up', () => {
    const turn = new Float64Array(4);
    for (const ahead of [...drawn(5, 20), [0, 1, 0], [0, -1, 0], [1e-7, 1, 0]]) {
      const way = new Vector3(...(ahead as [number, number, number])).subScalar(0.5).normalize();
      if (ahead[1] === 1 || ahead[1] === -1) way.set(...(ahead as [number, number, number])).normalize();
      headingAlong(way.toArray(), turn);
      const [x, y, z, w] = turn;
      const axis = (v: Vector3) => v.applyQuaternion({ x, y, z, w } as never);
      expect(axis(new Vector3(0, 0, 1)).distanceTo(way)).toBeLessThan(1e-6);
      const up = axis(new Vector3(0, 1, 0));
      const first = axis(new Vector3(1, 0, 0));
      if (Math.abs(Math.abs(way.y) - 1) < 1e-6)
        expect(first.distanceTo(new Vector3(1, 0, 0))).toBeLessThan(1e-6);
      else {
        expect(first.y).toBeCloseTo(0, 9);
        expect(up.y).toBeGreaterThanOrEqual(0);
      }
    }
  });
});
