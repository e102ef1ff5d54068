import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { changeRate, insertFrames, retime, setFirst } from '../src/edit/index.js';
import { stackOf } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  exactRate,
  frameNumber,
  holding,
  isCurve,
  layerCurves,
  mapTime,
  newLayer,
  type Project,
  rateText,
  restPose,
  type Scalar,
  scaled,
  shifted,
  type TimeMap,
  typedRate,
  withVariant,
} from '../src/index.js';
import { anyProject } from './any-stack.js';
import { curveOf } from './drawn-curve.js';

/** Everything that a pose says, at a frame. */
function poseAt(project: Project, frame: number): number[] {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return [...pose.translations, ...pose.rotations, ...pose.scales];
}

const farthest = (a: readonly number[], b: readonly number[]): number =>
  a.reduce((most, value, k) => Math.max(most, Math.abs(value - b[k])), 0);

/** Drawn projects with a mark, and a layer of contacts that hold nothing on this rig: only its frames are looked at. */
const anyTimed = anyProject.map(
  (project): Project => ({
    ...project,
    marks: [{ id: 'm', name: 'here', frame: 11 }],
    layers: [
      ...project.layers,
      newLayer('Feet', 'override', {
        weight: curveOf([3, 0], [21, 1]),
        content: holding({
          fade: 3,
          hips: false,
          limbs: {
            leftArm: {
              points: [{ joint: 'LeftHand', floor: 0 }],
              spans: [
                [2, 9],
                [14, 25],
              ],
            },
          },
        }),
      }),
    ],
  }),
);

/** Every number of a value with the way to it. */
function numbersIn(value: unknown, path = ''): [string, number][] {
  if (typeof value === 'number') return [[path, value]];
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value)) return [];
  return Object.entries(value).flatMap(([name, inner]) => numbersIn(inner, `${path}/${name}`));
}

describe('a map of time', () => {
  it('that moves, scales or counts anew takes every pose along', () => {
    const maps: ((project: Project) => [Project, (frame: number) => number])[] = [
      (project) => [mapTime(project, shifted(7)).project, (frame) => frame + 7],
      (project) => [mapTime(project, shifted(-3.5)).project, (frame) => frame - 3.5],
      (project) => [mapTime(project, scaled(4, 2.5)).project, (frame) => 4 + (frame - 4) * 2.5],
      ...[30, 12, 25, 60, exactRate(23.976)].map(
        (fps) =>
          (project: Project): [Project, (frame: number) => number] => [
            changeRate(project, fps),
            (frame) => (frame * fps) / project.fps,
          ],
      ),
      // There and back.
      (project) => [changeRate(changeRate(project, exactRate(29.97)), project.fps), (frame) => frame],
    ];
    fc.assert(
      fc.property(anyTimed, fc.constantFrom(...maps), (project, map) => {
        const [after, to] = map(project);
        for (const variant of [undefined, 'calm'])
          for (const frame of [-4.37, 0.61, 3.83, 9.29, 14.71, 22.13, 31.57]) {
            const before = poseAt(withVariant(project, variant), frame);
            expect(farthest(poseAt(withVariant(after, variant), to(frame)), before)).toBeLessThan(1e-6);
          }
      }),
      { numRuns: 150 },
    );
  });

  it('that bends keeps poses away from where it does', () => {
    const bends: [(project: Project) => ReturnType<typeof mapTime>, number[], (frame: number) => number][] = [
      [(project) => insertFrames(project, 12, 10), [12], (frame) => (frame < 12 ? frame : frame + 10)],
      [
        (project) => insertFrames(project, 12, -4),
        [12, 16],
        (frame) => (frame < 12 ? frame : frame < 16 ? Number.NaN : frame - 4),
      ],
      [
        (project) => retime(project, { range: [10, 15], factor: 3 }),
        [10, 15],
        (frame) => (frame < 10 ? frame : frame < 15 ? 10 + (frame - 10) * 3 : frame + 10),
      ],
    ];
    let looked = 0;
    fc.assert(
      fc.property(anyTimed, fc.constantFrom(...bends), (drawn, [bend, at, to]) => {
        // What cannot be bent is said to stay: it is left out on both sides.
        const { stayed } = bend(named(drawn));
        const project = {
          ...named(drawn),
          layers: named(drawn).layers.map((one) =>
            stayed.includes(one.name) ? { ...one, muted: true } : one,
          ),
        };
        const after = bend(project).project;
        const stretches = bentIn(project, at);
        for (let frame = -2.13; frame < 34; frame += 1.07) {
          if (stretches.some(([from, until]) => frame >= from && frame <= until)) continue;
          if (Number.isNaN(to(frame))) continue;
          looked++;
          expect(farthest(poseAt(after, to(frame)), poseAt(project, frame))).toBeLessThan(1e-6);
        }
      }),
      { numRuns: 200 },
    );
    expect(looked).toBeGreaterThan(500);
  });

  /** The same with names that tell the layers apart. */
  const named = (project: Project): Project => ({
    ...project,
    layers: project.layers.map((layer, k) => ({ ...layer, name: `layer ${k}` })),
  });

  /** The frames that belong to a segment, or to its neighbours whose slopes hang on it, or to a fade, in which a map bends. */
  function bentIn({ layers, groups }: Project, at: readonly number[]): [number, number][] {
    const out: [number, number][] = at.map((frame) => [frame - 1e-6, frame + 1e-6]);
    const look = (frames: readonly number[]) => {
      const last = frames.length - 1;
      for (let k = 0; k < last; k++)
        if (at.some((frame) => frame >= frames[k] - 1e-6 && frame <= frames[k + 1] + 1e-6))
          out.push([frames[Math.max(0, k - 2)], frames[Math.min(last, k + 3)]]);
      // Where the first or the last key may go, so does what it holds before or after.
      if (frames.some((frame) => frame >= at[0] - 1e-6 && frame <= at[at.length - 1] + 1e-6))
        out.push([Number.NEGATIVE_INFINITY, frames[0]], [frames[last], Number.POSITIVE_INFINITY]);
    };
    const scalar = (value: Scalar) => isCurve(value) && look(value.keys.map(({ frame }) => frame));
    for (const { weight } of groups) scalar(weight);
    for (const layer of layers) {
      const { offset = 0, speed = 1, loop = 'none' } = layer.time ?? {};
      scalar(layer.weight);
      for (const value of Object.values({ ...layer.mask, ...layer.joints })) scalar(value);
      for (const [name, value] of Object.entries(layer.placement ?? {}))
        if (name !== 'pivot') scalar(value as Scalar);
      if (loop === 'none')
        for (const { curve } of layerCurves(layer))
          look(curve.keys.map(({ frame }) => offset + frame / speed).sort((a, b) => a - b));
      const { start, end, fadeIn = 0, fadeOut = 0 } = layer.span ?? {};
      for (const [from, until] of [
        [start, start !== undefined ? start + fadeIn : undefined],
        [end !== undefined ? end - fadeOut : undefined, end],
      ])
        if (from !== undefined && until !== undefined)
          if (at.some((frame) => frame >= from - 1e-6 && frame <= until + 1e-6))
            out.push([from - 12, until + 12]);
    }
    return out;
  }

  it('leaves no frame where it was', () => {
    fc.assert(
      fc.property(anyTimed, (project) => {
        const before = new Map(numbersIn({ ...project, takes: [], rig: undefined }));
        const after = numbersIn({ ...mapTime(project, shifted(1000)).project, takes: [], rig: undefined });
        for (const [path, value] of after) {
          // What stands in a take or in a loop is counted by the layer's own time, which is moved.
          const layer = project.layers[Number(/^\/layers\/(\d+)\/content/.exec(path)?.[1] ?? -1)];
          const { speed, loop } = layer?.time ?? { speed: 1, loop: 'none' };
          const moves = layer ? (loop === 'none' ? 1000 * speed : 0) : 1000;
          const by = layer?.content.kind === 'contacts' ? 1000 : moves;
          if (/\/(frame|start|end)$|\/(range|spans\/\d+)\/\d$/.test(path))
            expect(value, path).toBeCloseTo(before.get(path)! + by, 6);
        }
      }),
      { numRuns: 60 },
    );
  });

  it('tells what is gone, and closes what stands on both sides of removed frames', () => {
    const project: Project = fc.sample(anyTimed, { numRuns: 1, seed: 5 })[0];
    const feet = { ...project, layers: [project.layers[0], project.layers.at(-1)!] };
    const spansOf = (of: Project) => {
      const { content } = of.layers[1];
      return content.kind === 'contacts' ? content.contacts.limbs.leftArm.spans : [];
    };
    const longer = insertFrames(feet, 5, 10);
    expect(spansOf(longer.project)).toEqual([
      [2, 19],
      [24, 35],
    ]);
    expect(longer.contactsGone).toBe(0);
    expect(spansOf(insertFrames(feet, 9, -5).project)).toEqual([[2, 20]]);
    const without = insertFrames(feet, 1, -9);
    expect([spansOf(without.project), without.contactsGone, without.keysGone]).toEqual([[[5, 16]], 1, 1]);
    expect(spansOf(retime(feet, { range: [0, 30], factor: 2 }).project)).toEqual([
      [4, 18],
      [28, 50],
    ]);
  });

  it('of some layers moves groups that have no others, and of variants what they say of these', () => {
    const weight = curveOf([10, 0], [20, 1]);
    const [project] = fc.sample(anyTimed, { numRuns: 1, seed: 9 });
    const two: Project = {
      ...project,
      groups: [{ id: 'g', name: 'g', muted: false, solo: false, weight }],
      layers: ['a', 'b', 'c'].map((id) =>
        newLayer(id, 'override', { id, ...(id !== 'a' && { group: 'g' }) }),
      ),
      variants: [{ name: 'v', range: [5, 15], layers: { b: { weight }, c: { weight } } }],
    };
    const map: TimeMap = shifted(4);
    const first = (scalar: Scalar | undefined) => scalar && isCurve(scalar) && scalar.keys[0].frame;
    const some = mapTime(two, map, ['b']).project;
    expect([first(some.groups[0].weight), some.variants[0].range]).toEqual([10, [5, 15]]);
    expect(['b', 'c'].map((id) => first(some.variants[0].layers[id].weight))).toEqual([14, 10]);
    expect(first(mapTime(two, map, ['b', 'c']).project.groups[0].weight)).toBe(14);
    expect(mapTime(two, map).project.variants[0].range).toEqual([9, 19]);
  });
});

describe('a rate', () => {
  it('is meant exactly: those of film and broadcasting in fractions of 1001 (SMPTE ST 12-1)', () => {
    expect(typedRate('23.976')).toBe(24000 / 1001);
    expect(typedRate('23,98')).toBe(24000 / 1001);
    expect(typedRate('29.97')).toBe(30000 / 1001);
    expect(typedRate('59.94')).toBe(60000 / 1001);
    expect(typedRate('119.88')).toBe(120000 / 1001);
    expect(typedRate('24000/1001')).toBe(24000 / 1001);
    for (const whole of [1, 12, 24, 25, 30, 50, 60, 120, 1000]) expect(typedRate(`${whole}`)).toBe(whole);
    for (const other of ['12.5', '23.5', '29.9', '100/3']) expect(typedRate(other)).not.toBeUndefined();
    expect(typedRate('12.5')).toBe(12.5);
    expect(typedRate('23.5')).toBe(23.5);
    for (const none of ['', 'fast', '24/0', '-24', '24fps', '1e9']) expect(typedRate(none)).toBeUndefined();
    expect(rateText(24000 / 1001)).toBe('23.976');
  });

  it('that changes brings keys to the whole frames next to them where that is wanted', () => {
    fc.assert(
      fc.property(anyTimed, fc.constantFrom(24, 25, 30, 60, exactRate(23.976)), (project, fps) => {
        const moments = changeRate(project, fps);
        const whole = changeRate(project, fps, 'whole frames');
        for (const [k, layer] of whole.layers.entries()) {
          const { offset, speed } = layer.time ?? { offset: 0, speed: 1 };
          if (speed === 0) continue;
          const seen = ({ frame }: { frame: number }) => offset + frame / speed;
          const exact = new Map(
            layerCurves(moments.layers[k]).map(({ joint, channel, curve }) => [`${joint}.${channel}`, curve]),
          );
          for (const { joint, channel, curve } of layerCurves(layer)) {
            const frames = curve.keys.map(seen);
            for (const frame of frames) expect(Math.abs(frame - Math.round(frame))).toBeLessThan(1e-6);
            // None is lost but where another is on its frame, and none is further than half a frame from where it was.
            for (const key of exact.get(`${joint}.${channel}`)!.keys)
              expect(Math.min(...frames.map((frame) => Math.abs(frame - seen(key))))).toBeLessThanOrEqual(
                0.5 + 1e-6,
              );
          }
          if (isCurve(layer.weight))
            for (const { frame } of layer.weight.keys) expect(frame).toBe(Math.round(frame));
        }
        expect(whole.range.every(Number.isInteger)).toBe(true);
      }),
      { numRuns: 60 },
    );
  });

  it('and the number of the first frame are in the file, and nothing counts from that', () => {
    fc.assert(
      fc.property(anyTimed, fc.integer({ min: -5000, max: 5000 }), (project, first) => {
        const numbered = setFirst(project, first);
        const { first: said = 0, ...rest } = stackOf(numbered, (id) => `${id}.bvh`);
        expect(said).toBe(first);
        expect(rest).toEqual(stackOf(project, (id) => `${id}.bvh`));
        expect(setFirst(numbered, 0)).toEqual(project);
      }),
      { numRuns: 20 },
    );
    expect(frameNumber({ first: 1001 }, 20)).toBe(1021);
  });
});
