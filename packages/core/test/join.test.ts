import { Euler, Quaternion, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { changing } from '../src/cross/index.js';
import { addTakes, joinOver, joinTakes, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import { compileStack, evaluateStack, finished, type Project, restPose, type Take } from '../src/index.js';
import { globalMatrices, rigHeight } from '../src/rig/index.js';
import { trimmed } from '../src/take/index.js';
import { captureBytes } from './capture.js';

const { take: capture } = readTake('01_01.bvh', captureBytes());
const hips = capture.rig.joints.findIndex(({ parent }) => parent < 0);

/** A piece of the capture, recorded somewhere else: turned by degrees about Y and moved on the floor. */
function piece(from: number, to: number, degrees: number, [x, z]: readonly [number, number]): Take {
  const cut = trimmed(capture, [from, to]);
  const turn = new Quaternion().setFromEuler(new Euler(0, (degrees * Math.PI) / 180, 0));
  const [rotations, translations] = [cut.rotations, cut.translations].map((track) => ({
    ...track,
    values: track.values.slice(),
  }));
  for (let s = 0; s < cut.count; s++) {
    const r = 4 * (s * rotations.joints.length + rotations.joints.indexOf(hips));
    const q = turn.clone().multiply(new Quaternion(...rotations.values.subarray(r, r + 4)));
    rotations.values.set([q.x, q.y, q.z, q.w], r);
    const t = 3 * (s * translations.joints.length + translations.joints.indexOf(hips));
    const place = new Vector3(...translations.values.subarray(t, t + 3)).applyQuaternion(turn);
    translations.values.set([place.x + x, place.y, place.z + z], t);
  }
  const id = `${from} to ${to}`;
  return { ...capture, ...cut, rotations, translations, id, name: id, source: { ...capture.source, id } };
}

/** Places of all joints at frames of a project. */
function places(project: Project, frames: readonly number[]): Float64Array[] {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  return frames.map((frame) => {
    evaluateStack(stack, frame, pose);
    const matrices = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
    return Float64Array.from(
      { length: 3 * project.rig.joints.length },
      (_, k) => matrices[16 * Math.floor(k / 3) + 12 + (k % 3)],
    );
  });
}
const farthest = (a: Float64Array, b: Float64Array) =>
  a.reduce((most, value, k) => Math.max(most, Math.abs(value - b[k])), 0);

describe('takes that are joined', () => {
  it('are the walk that they were cut from, wherever its pieces were recorded', () => {
    const pieces = [
      piece(0, 1100, 0, [0, 0]),
      piece(950, 1901, 77, [30, -20]),
      piece(1740, 2700, -130, [5, 60]),
    ];
    const { project, seams } = finished(joinTakes(pieces, 2));
    expect(seams.map(({ from, to }) => [from, to])).toEqual([
      ['0 to 1100', '950 to 1901'],
      ['950 to 1901', '1740 to 2700'],
    ]);
    expect(project.range).toEqual([0, 2700]);
    const frames = Array.from({ length: 271 }, (_, k) => 10 * k);
    const whole = places(finished(joinTakes([piece(0, 2700, 0, [0, 0])], 2)).project, frames);
    const height = rigHeight(capture.rig);
    for (const [k, joined] of places(project, frames).entries())
      expect(farthest(joined, whole[k]) / height, `frame ${frames[k]}`).toBeLessThan(1e-3);
  });

  it('go on in any order, twice or four times, without a leap, one seam after the other', () => {
    const [early, late] = [piece(300, 900, 20, [0, 0]), piece(1500, 2100, 200, [9, 9])];
    const leap = (project: Project) => {
      const frames = Array.from({ length: project.range[1] + 1 }, (_, k) => k);
      const seen = places(project, frames);
      return Math.max(...seen.slice(1).map((now, k) => farthest(now, seen[k])));
    };
    const alone = Math.max(...[early, late].map((take) => leap(finished(joinTakes([take], 2)).project)));
    for (const order of [
      [late, early],
      [early, early, early, late],
    ]) {
      const { project, seams } = finished(joinTakes(order, 2));
      expect(seams.length).toBe(order.length - 1);
      expect(new Set(project.takes.map(({ name }) => name)).size).toBe(order.length);
      expect(leap(project)).toBeLessThan(1.5 * alone);
      const times = seams.map(({ crossing }) => changing(crossing));
      for (const [k, [from, to]] of times.entries()) {
        expect(to).toBeGreaterThan(from);
        expect(k > 0 ? from - times[k - 1][1] : 1).toBeGreaterThan(0);
      }
      const seconds = project.range[1] / project.fps;
      expect(seconds).toBeGreaterThan(5 * order.length - 4 * seams.length);
      expect(seconds).toBeLessThan(5 * order.length);
    }
  });

  it('are the same on layers of their own over whatever a project plays', () => {
    const pieces = [piece(0, 700, 0, [0, 0]), piece(550, 1300, 77, [30, -20]), piece(1000, 1800, 5, [1, 1])];
    const playing = addTakes(projectFromTake(piece(2000, 2600, 150, [-8, 3])), pieces);
    const over = finished(
      joinOver(
        playing,
        pieces.map(({ id }) => id),
        2,
      ),
    );
    const alone = finished(joinTakes(pieces, 2));
    const when = ({ seams }: typeof over) =>
      seams.map(({ from, to, crossing: { frame, other } }) => ({ from, to, frame, other }));
    expect(when(over)).toEqual(when(alone));
    expect(over.project.layers[0]).toBe(playing.layers[0]);
    expect(over.project.range).toEqual(alone.project.range);
    const frames = Array.from({ length: 90 }, (_, k) => 20 * k);
    const seen = places(alone.project, frames);
    for (const [k, joined] of places(over.project, frames).entries())
      expect(farthest(joined, seen[k]) / rigHeight(capture.rig), `frame ${frames[k]}`).toBeLessThan(1e-6);
  });

  it('are refused by name where one is too short', () => {
    const [long, short] = [piece(0, 600, 0, [0, 0]), piece(700, 720, 0, [0, 0])];
    for (const order of [
      [long, short],
      [short, long],
    ])
      expect(() => finished(joinTakes(order, 2))).toThrow(/cannot take over from .* within the last 2 s/);
  });
});
