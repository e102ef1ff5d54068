import fc from 'fast-check';
import { mat4, vec3 } from 'gl-matrix';
import { describe, expect, it } from 'vitest';
import { type Gait, gaitLoop, TROT, WALK } from '../../demo/src/brindle/gaits.js';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import {
  alignment,
  type Crossing,
  type CrossingMap,
  crossingAt,
  crossingCost,
  distanceRows,
  findCrossings,
  framesOf,
  judgeFor,
  lowerPerformance,
  lowestApart,
  lowestIn,
  mapRows,
  type Performance,
  type Rows,
  regionsOf,
  rowsOf,
  upperPerformance,
  usualWish,
  VELOCITY_COUNTS,
} from '../src/cross/index.js';
import { crossOver, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  finished,
  newLayer,
  type Project,
  playing,
  restPose,
  type Take,
} from '../src/index.js';
import { findParts, globalMatrices, rigHeight } from '../src/rig/index.js';
import { trimmed } from '../src/take/index.js';
import { captureBytes } from './capture.js';

/** The walk of the capture, every fourth sample, and a later piece of it with which it overlaps. */
const capture = projectFromTake(readTake('01_01.bvh', captureBytes()).take);
const [walk] = capture.takes;
const thin = (take: Take, from: number, to: number, id: string): Take => {
  const every = 4;
  const cut = trimmed(take, [from * every, to * every]);
  const count = to - from + 1;
  const pick = (track: Take['rotations']): Take['rotations'] => {
    const stride = track.size * track.joints.length;
    const values = new Float64Array(count * stride);
    for (let s = 0; s < count; s++)
      values.set(track.values.subarray(s * every * stride, (s * every + 1) * stride), s * stride);
    return { ...track, values };
  };
  return {
    ...take,
    id,
    name: id,
    count,
    interval: take.interval * every,
    rotations: pick(cut.rotations),
    translations: pick(cut.translations),
    scales: pick(cut.scales),
    contacts: undefined,
  };
};

const FIRST = thin(walk, 0, 90, 'first');
const LATER = thin(walk, 60, 150, 'later');

const projectOf = (lower: Take, upper: Take): Project => ({
  ...capture,
  fps: 1 / lower.interval,
  range: [0, lower.count - 1],
  takes: [lower, upper],
  layers: [
    newLayer('Base', 'override', { id: 'base', content: playing(lower.id) }),
    newLayer('Upper', 'override', { id: 'upper', content: playing(upper.id) }),
  ],
});

/** The lowest places of a whole map. */
const lowestPlaces = (
  rows: readonly [Rows, Rows],
  reach: number,
  upper: Performance,
  apart: number,
  most: number,
) => lowestApart(lowestIn(mapRows(rows, reach, 0, rows[0].count), upper, 0, rows[0].count), apart, most);

/** A performance turned about Y and moved, as if it had been recorded elsewhere. */
function moved(performance: Performance, turn: number, by: vec3): Performance {
  const matrix = mat4.fromYRotation(mat4.create(), turn);
  const turnedBy = (values: Float64Array, offset: vec3): Float64Array => {
    const out = new Float64Array(values.length);
    for (let k = 0; k < values.length; k += 3) {
      const v = vec3.transformMat4(vec3.create(), [values[k], values[k + 1], values[k + 2]], matrix);
      out.set(vec3.add(v, v, offset), k);
    }
    return out;
  };
  return {
    ...performance,
    positions: turnedBy(performance.positions, by),
    velocities: turnedBy(performance.velocities, [0, 0, 0]),
  };
}

/** The sum of squares between two windows for one turn and move, point by point with gl-matrix, as a root of the mean. */
function plainDistance(
  a: Performance,
  s: number,
  b: Performance,
  t: number,
  reach: number,
  turn: number,
  x: number,
  z: number,
) {
  const used = Array.from(a.masses.keys()).filter((j) => a.masses[j] >= 0.002);
  const all = used.reduce((sum, j) => sum + a.masses[j], 0);
  const placed = moved(b, turn, [x, 0, z]);
  let sum = 0;
  for (let k = -reach; k <= reach; k++)
    for (const j of used) {
      const [o, q] = [3 * ((s + k) * a.joints + j), 3 * ((t + k) * b.joints + j)];
      const place = (p: Performance, i: number) =>
        vec3.clone(p.positions.subarray(i, i + 3) as unknown as vec3);
      const speed = (p: Performance, i: number) =>
        vec3.clone(p.velocities.subarray(i, i + 3) as unknown as vec3);
      sum +=
        (a.masses[j] / all) *
        (vec3.sqrDist(place(a, o), place(placed, q)) +
          VELOCITY_COUNTS ** 2 * vec3.sqrDist(speed(a, o), speed(placed, q)));
    }
  return Math.sqrt(sum / (2 * reach + 1));
}

describe('the distance of two windows', () => {
  const project = projectOf(FIRST, LATER);
  const a = finished(lowerPerformance(project, 'base', project.range));
  const b = finished(upperPerformance(project, 'upper', 0));
  const height = rigHeight(project.rig);

  it('is the smallest that any turn and move leaves (with gl-matrix, point by point)', () => {
    const rows = [rowsOf(a), rowsOf(b)] as const;
    const frame = fc.integer({ min: 4, max: 80 });
    fc.assert(
      fc.property(frame, frame, fc.double({ min: -3, max: 3, noNaN: true }), (s, t, angle) => {
        const turned = moved(b, angle, [angle * height, 0, -height]);
        const found = alignment(rows[0], s, rowsOf(turned), t, 2);
        const at = (turn: number, x: number, z: number) => plainDistance(a, s, turned, t, 2, turn, x, z);
        expect(found.distance).toBeCloseTo(at(found.turn, found.x, found.z), 4);
        for (const [dt, dx, dz] of [
          [0.01, 0, 0],
          [-0.01, 0, 0],
          [0, 0.01, 0],
          [0, -0.01, 0],
          [0, 0, 0.01],
          [0, 0, -0.01],
        ])
          expect(at(found.turn + dt, found.x + dx * height, found.z + dz * height)).toBeGreaterThan(
            found.distance - 1e-9,
          );
        // Where it was recorded does not matter.
        expect(found.distance).toBeCloseTo(alignment(rows[0], s, rows[1], t, 2).distance, 6);
      }),
      { numRuns: 25 },
    );
  });

  it('is the same in a map, however its rows are shared out', () => {
    const [p, q] = [rowsOf(a), rowsOf(b)];
    const whole = distanceRows(p, q, 2, 0, 40);
    const parts = [distanceRows(p, q, 2, 0, 13), distanceRows(p, q, 2, 13, 40)];
    expect(whole).toEqual(Float32Array.from([...parts[0], ...parts[1]]));
    expect(whole[20 * b.count + 30]).toBeCloseTo(alignment(p, 20, q, 30, 2).distance, 5);
    expect(whole[b.count * 1 + 30]).toBe(Number.POSITIVE_INFINITY);
  });
});

describe('a walk that was cut in two', () => {
  it('is found again: the time, the place and the turn', () => {
    const project = projectOf(FIRST, LATER);
    const a = finished(lowerPerformance(project, 'base', project.range));
    const height = rigHeight(project.rig);
    for (const angle of [-2.2, 0, 0.7]) {
      const b = moved(finished(upperPerformance(project, 'upper', 0)), angle, [3 * height, 0, -height]);
      const rows = [rowsOf(a), rowsOf(b)] as const;
      const wish = usualWish(project.fps);
      const [{ s, t, distance }] = lowestPlaces(rows, wish.reach, b, wish.fade, 5);
      expect(distance).toBeLessThan(1e-3 * height);
      expect(s - t).toBe(60);
      const found = alignment(rows[0], s, rows[1], t, wish.reach);
      expect(Math.sin(found.turn)).toBeCloseTo(Math.sin(-angle), 6);
      expect(Math.cos(found.turn)).toBeCloseTo(Math.cos(-angle), 6);
      // Where it was moved to comes back to where it was.
      const [c, n] = [Math.cos(found.turn), Math.sin(found.turn)];
      expect(3 * height * c - height * n + found.x).toBeCloseTo(0, 4);
      expect(-3 * height * n - height * c + found.z).toBeCloseTo(0, 4);
    }
  });

  it('is one again when the crossing is written', () => {
    const project = projectOf(FIRST, LATER);
    const wish = usualWish(project.fps);
    const [a, b] = [
      finished(lowerPerformance(project, 'base', project.range)),
      finished(upperPerformance(project, 'upper', 0)),
    ];
    const rows = [rowsOf(a), rowsOf(b)] as const;
    const regions = regionsOf(project.rig, project.parts);
    const judge = judgeFor(project, 'base', 'upper', regions);
    const found = lowestPlaces(rows, wish.reach, b, wish.fade, 8)
      .flatMap(({ s, t }) => crossingAt(a, b, rows, regions, s, t, wish, judge) ?? [])
      .sort((one, other) => crossingCost(one) - crossingCost(other));
    const [best]: Crossing[] = found;
    const crossed = crossOver(project, 'upper', best);
    const whole = projectOf(thin(walk, 0, 150, 'whole'), LATER);
    const places = (own: Project, frame: number) => {
      const pose = restPose(own.rig);
      evaluateStack(compileStack(own), frame, pose);
      return globalMatrices(own.rig, pose, new Float64Array(16 * own.rig.joints.length));
    };
    for (const frame of [0, 60, 75, 88, 110, 140]) {
      const [one, other] = [crossed, { ...whole, layers: [whole.layers[0]] }].map((own) =>
        places(own, frame),
      );
      for (let k = 12; k < one.length; k += 16)
        expect(
          Math.hypot(one[k] - other[k], one[k + 1] - other[k + 1], one[k + 2] - other[k + 2]),
        ).toBeLessThan(1e-3 * rigHeight(project.rig));
    }
  });
});

describe('the finder', () => {
  /** Samples of a walk, in any order, as a take at 120 a second. */
  const pieces = (id: string, ...runs: readonly (readonly [number, number])[]): Take => {
    const samples = runs.flatMap(([from, to]) => Array.from({ length: to - from + 1 }, (_, k) => from + k));
    const pick = (track: Take['rotations']): Take['rotations'] => {
      const stride = track.size * track.joints.length;
      const values = samples.flatMap((s) => [...track.values.subarray(s * stride, (s + 1) * stride)]);
      return { ...track, values: Float64Array.from(values) };
    };
    return {
      ...walk,
      id,
      name: id,
      count: samples.length,
      rotations: pick(walk.rotations),
      translations: pick(walk.translations),
      contacts: undefined,
    };
  };
  const at120 = (lower: Take, upper: Take, range: readonly [number, number]): Project => ({
    ...projectOf(lower, upper),
    fps: 1 / walk.interval,
    range,
  });
  const search = { lower: 'base', upper: 'upper' } as const;

  it('looks where the lower one plays, finds joins all along it at any frame, and near a frame that is asked', () => {
    // The same walk 301 frames later: no whole number of the frames that are compared.
    const project = at120(pieces('one', [0, 700]), pieces('two', [301, 1000]), [0, 2000]);
    expect(framesOf(project, 'base', project.range)[1]).toBeCloseTo(700, 3);
    const maps: CrossingMap[] = [];
    const found = finished(findCrossings(project, search, (map) => maps.push(map)));
    expect(maps.at(-1)!.known).toBe(1);
    const height = rigHeight(project.rig);
    const exact = found.filter(({ frame, other }) => frame - other === 301);
    for (const { alignment: left, slide } of exact) {
      expect(left.distance).toBeLessThan(1e-3 * height);
      expect(slide).toBeLessThan(1e-2 * height);
    }
    // Both play from 301 to 700: of the eight parts of 700 frames nearly five.
    expect(exact.length).toBeGreaterThanOrEqual(4);
    expect(found.every(({ frame }) => frame <= 700)).toBe(true);
    const frames = found.map(({ frame }) => frame).sort((a, b) => a - b);
    expect(frames[frames.length - 1] - frames[0]).toBeGreaterThan(400);
    for (const near of [600]) {
      const some = finished(findCrossings(project, { ...search, near }));
      expect(some.length).toBeGreaterThan(0);
      for (const { frame } of some) expect(Math.abs(frame - near)).toBeLessThanOrEqual(1.1 * project.fps);
      expect(some[0].frame - some[0].other).toBe(301);
    }
  });

  it('says where there is nothing, and finds none in what is too short', () => {
    const far = at120(pieces('one', [0, 100]), pieces('two', [0, 100]), [500, 600]);
    expect(() => finished(findCrossings(far, search))).toThrow(/nothing to play within the range/);
    const ends = at120(pieces('one', [0, 100]), pieces('two', [0, 100]), [0, 600]);
    expect(() => finished(findCrossings(ends, { ...search, near: 500 }))).toThrow(/not play near frame 500/);
    const short = at120(pieces('one', [0, 12]), pieces('two', [0, 12]), [0, 12]);
    expect(finished(findCrossings(short, search))).toEqual([]);
  });
});

describe('crossings', () => {
  /** How far feet slide in a project beside their own performances: summed over the steps of what is lowest while it stands. */
  function slidesIn(
    project: Project,
    a: Performance,
    b: Performance,
    crossing: Crossing,
  ): Map<string, number> {
    const stack = compileStack(project);
    const n = project.rig.joints.length;
    const pose = restPose(project.rig);
    const at = (frame: number) => {
      evaluateStack(stack, frame, pose);
      return globalMatrices(project.rig, pose, new Float64Array(16 * n)).slice();
    };
    const shift = crossing.other - b.first - (crossing.frame - a.first);
    const slides = new Map<string, number>();
    for (const { name, foot } of regionsOf(project.rig, project.parts)) {
      const change = crossing.changes.find(({ region }) => region === name);
      if (!foot || !change) continue;
      let slide = 0;
      const held = Object.values(crossing.held?.limbs ?? {}).flatMap(({ spans }) => spans.flat());
      const frames = [
        ...crossing.changes.flatMap(({ frame, fade }) => [frame - fade / 2, frame + fade / 2]),
        ...held,
      ];
      for (let f = Math.floor(Math.min(...frames)) - 2; f < Math.ceil(Math.max(...frames)) + 2; f++) {
        const after = f + 0.5 >= change.frame;
        const [of, s] = after ? [b, f - a.first + shift] : [a, f - a.first];
        const stands = of.stands.get(foot.joint)!;
        if (s < 0 || s + 1 >= of.count || !stands[s] || !stands[s + 1]) continue;
        const [here, next] = [at(f), at(f + 1)];
        const low = [...foot.points].sort(
          (p, q) => here[16 * p + 13] + next[16 * p + 13] - here[16 * q + 13] - next[16 * q + 13],
        )[0];
        const way = Math.hypot(
          next[16 * low + 12] - here[16 * low + 12],
          next[16 * low + 14] - here[16 * low + 14],
        );
        const own = [0, 2].map(
          (axis) => of.positions[3 * ((s + 1) * n + low) + axis] - of.positions[3 * (s * n + low) + axis],
        );
        slide += Math.max(0, way - Math.hypot(...own));
      }
      slides.set(foot.joint, slide);
    }
    return slides;
  }

  /** Pieces of the capture over each other, and both gaits of Brindle. */
  const pieces = [
    [0, 70, 110, 180],
    [0, 70, 200, 290],
    [100, 190, 10, 100],
    [150, 240, 300, 390],
    [240, 340, 60, 160],
    [300, 400, 420, 520],
    [420, 520, 200, 300],
    [500, 600, 100, 200],
  ].map(([a, b, c, d]) => projectOf(thin(walk, a, b, 'one'), thin(walk, c, d, 'two')));
  const gaits = [
    [WALK, TROT],
    [TROT, WALK],
  ].map(([under, over]): Project => {
    const take = (gait: Gait, id: string): Take => ({
      ...walk,
      ...gaitLoop(gait),
      rig: BRINDLE,
      id,
      contacts: undefined,
    });
    const time = { offset: 0, speed: 1, loop: 'travel' as const };
    return {
      ...capture,
      rig: BRINDLE,
      parts: findParts(BRINDLE),
      metresPerUnit: 1,
      fps: 30,
      range: [0, 120],
      takes: [take(under, 'one'), take(over, 'two')],
      layers: [
        newLayer('Base', 'override', { id: 'base', content: playing('one'), time }),
        newLayer('Upper', 'override', { id: 'upper', content: playing('two'), time }),
      ],
    };
  });

  it('slide as they say, and no foot further than in the best plain fade', () => {
    let [looked, holding] = [0, 0];
    for (const project of [...pieces, ...gaits]) {
      const wish = usualWish(project.fps);
      const regions = regionsOf(project.rig, project.parts);
      const a = finished(lowerPerformance(project, 'base', project.range));
      const b = finished(upperPerformance(project, 'upper', wish.around + wish.fade));
      const rows = [rowsOf(a), rowsOf(b)] as const;
      const judge = judgeFor(project, 'base', 'upper', regions);
      const places = lowestPlaces(rows, wish.reach, b, wish.fade, 2);
      const centimetre = 0.01 / project.metresPerUnit;
      for (const { s, t } of places) {
        const crossing = crossingAt(a, b, rows, regions, s, t, wish, judge);
        if (!crossing) continue;
        looked++;
        const slides = slidesIn(crossOver(project, 'upper', crossing), a, b, crossing);
        expect(Math.abs(Math.max(...slides.values()) - crossing.slide)).toBeLessThan(centimetre);
        const free = crossOver(project, 'upper', { ...crossing, held: undefined });
        expect(free.layers).toHaveLength(2);
        if (crossing.held) {
          holding++;
          const without = Math.max(...slidesIn(free, a, b, crossing).values());
          expect(Math.max(...slides.values())).toBeLessThan(0.5 * without + 1e-6);
          // Crossed over once more, nothing is there twice, and another crossing takes the contacts away again.
          const once = crossOver(project, 'upper', crossing);
          expect(once.layers).toHaveLength(3);
          const twice = crossOver(once, 'upper', crossing);
          const ids = (of: Project) => of.layers.map(({ id }) => id);
          expect(ids(twice)).toEqual(ids(once));
          expect(ids(crossOver(once, 'upper', { ...crossing, held: undefined }))).toEqual(ids(free));
        }
        // Plain fades of all of the body in one place, of several lengths.
        const plain = [3, 5, 8, 10, 15].map((fade) => {
          const whole: Crossing = {
            ...crossing,
            held: undefined,
            alignment: alignment(rows[0], s, rows[1], t, wish.reach),
            changes: crossing.changes.map((change) => ({ ...change, frame: a.first + s, fade })),
          };
          return slidesIn(crossOver(project, 'upper', whole), a, b, whole);
        });
        const best = plain.reduce((one, other) =>
          Math.max(...other.values()) < Math.max(...one.values()) ? other : one,
        );
        for (const [foot, slide] of slides) expect(slide, foot).toBeLessThan(best.get(foot)! + centimetre);
      }
    }
    expect(looked).toBeGreaterThanOrEqual(12);
    expect(holding).toBeGreaterThanOrEqual(4);
  });
});
