import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alphaRange, idleLayers } from '../src/check/index.js';
import { scalarAt } from '../src/curve/index.js';
import {
  actsOn,
  addLayer,
  addVariant,
  bringOut,
  carriedInPart,
  convertLayer,
  copyWeight,
  deleteVariant,
  doublyKeyed,
  duplicateLayer,
  editVariant,
  fadeAroundKeys,
  fadeWeight,
  groupLayers,
  handOver,
  handOverRefusal,
  invertMask,
  jointCount,
  joinWithBelow,
  type KeyFades,
  keepAtReference,
  keyValue,
  letThrough,
  limitToParts,
  mergeParts,
  moveGroup,
  moveLayers,
  moveToPart,
  placeLayers,
  renamePart,
  setSpans,
  setValue,
  shiftWeight,
  softenBorders,
  ungroup,
} from '../src/edit/index.js';
import { newAttribution } from '../src/evaluate/index.js';
import {
  type Channels,
  type Curve,
  compileStack,
  evaluateStack,
  isCurve,
  keyed,
  type Layer,
  layerById,
  layerTags,
  NOTHING_KEPT,
  newKey,
  newLayer,
  type Project,
  playing,
  type Rig,
  restPose,
  type Scalar,
  sceneOf,
  withVariant,
} from '../src/index.js';
import { globalMatrices, PART_SETS, partsInSet, rigHeight } from '../src/rig/index.js';
import { anyProject, anyRig, anyTake } from './any-stack.js';
import { evaluateReference, worldOf } from './reference.js';

const curve = (...keys: readonly (readonly [number, number])[]): Curve => ({
  keys: keys.map(([frame, value]) => newKey(frame, value)),
});

const turned = (joints: readonly string[], degrees: number): Channels =>
  Object.fromEntries(
    joints.map((joint) => [
      joint,
      { rx: curve([0, degrees], [60, -degrees]), ry: curve([0, 0], [30, degrees]), rz: curve([0, 5]) },
    ]),
  );

const rig = anyRig(3);
const ALL = rig.joints.map(({ name }) => name);
const PARTS = ['hips', 'torso', 'torso', 'neck', 'head', 'leftArm', 'leftHand', 'rightArm', 'rightHand'];

const projectOf = (layers: readonly Layer[], own: Rig = rig, parts: readonly string[] = PARTS): Project => ({
  name: 'quay',
  fps: 30,
  range: [0, 60],
  metresPerUnit: 1,
  scene: sceneOf(own),
  rig: own,
  parts,
  takes: [],
  mappings: [],
  ...NOTHING_KEPT,
  layers: [newLayer('Base', 'override', { id: 'base', content: keyed(turned(ALL, 10)) }), ...layers],
});

const layerOf = (id: string, values: Partial<Layer> = {}, joints = ALL): Layer =>
  newLayer(id, values.mode ?? 'override', { id, content: keyed(turned(joints, 40)), ...values });

/** Shares of a joint at a frame: of rest, and of every layer from the base up. */
function sharesOf(project: Project, joint: number, frame: number): number[] {
  const n = project.rig.joints.length;
  const shown = newAttribution(project.layers.length, project.rig);
  evaluateStack(compileStack(project), frame, restPose(project.rig), shown);
  return project.layers.map((_, row) => shown.shares[(row + 1) * n + joint]);
}

/** By how much two projects differ in the world at a frame, by the plain evaluator: in heights and degrees. */
function apart(a: Project, b: Project, frame: number): number {
  const [one, other] = [a, b].map((project) => worldOf(project.rig, evaluateReference(project, frame)));
  const gaps = one.positions.map((at, j) => Math.hypot(...at.map((v, k) => v - other.positions[j][k])));
  return Math.max(...gaps, ...one.faces.map((value, f) => Math.abs(value - other.faces[f])));
}

const FRAMES = [0, 7, 15, 22.5, 30, 44, 60];

describe('groups', () => {
  const ids = ['a', 'b', 'c', 'd', 'e'];
  const stack = projectOf(ids.map((id) => layerOf(id)));
  const order = ({ layers }: Project) => layers.map(({ id }) => id).join('');
  const together = ({ layers, groups }: Project) =>
    groups.every(({ id }) => {
      const at = layers.flatMap((layer, i) => (layer.group === id ? [i] : []));
      return at.length > 0 && at[at.length - 1] - at[0] === at.length - 1;
    });

  it('stay in one piece whatever is grouped, moved and let go', () => {
    const some = fc.subarray(ids, { minLength: 1 });
    const step = fc.oneof(
      some.map((own) => (p: Project) => groupLayers(p, own)!.project),
      fc.tuple(some, fc.constantFrom(1 as const, -1 as const)).map(
        ([own, by]) =>
          (p: Project) =>
            moveLayers(p, own, by),
      ),
      fc
        .tuple(some, fc.constantFrom('base', ...ids), fc.boolean())
        .map(([own, above, inside]) => (p: Project) => {
          const group = layerById(p, above)?.group;
          // Between two layers of a group there is no place outside of it.
          const at = p.layers.findIndex(({ id }) => id === above);
          const rest = p.layers.slice(at + 1).find(({ id }) => !own.includes(id));
          const within = inside || (group !== undefined && rest?.group === group);
          return placeLayers(p, own, { above, ...(within && { group }) });
        }),
      fc.tuple(fc.nat(3), fc.constantFrom(1 as const, -1 as const)).map(
        ([k, by]) =>
          (p: Project) =>
            p.groups[k] ? moveGroup(p, p.groups[k].id, by) : p,
      ),
      fc.nat(3).map((k) => (p: Project) => (p.groups[k] ? ungroup(p, p.groups[k].id) : p)),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
        const end = steps.reduce((project, one) => one(project), stack);
        expect(together(end)).toBe(true);
        expect([...order(end)].sort().join('')).toBe([...order(stack)].sort().join(''));
        expect(end.layers[0].id).toBe('base');
      }),
      { numRuns: 300 },
    );
  });

  it('are entered and left step by step, and passed as a whole by a group', () => {
    const { project, id } = groupLayers(stack, ['b', 'c'])!;
    const up = (p: Project) => moveLayers(p, ['a'], 1);
    const inside = up(project);
    expect(order(inside)).toBe('baseabcde');
    expect(layerById(inside, 'a')?.group).toBe(id);
    const out = up(up(up(inside)));
    expect(order(out)).toBe('basebcade');
    expect(layerById(out, 'a')?.group).toBeUndefined();
    const back = [1, 2, 3, 4].reduce((p) => moveLayers(p, ['a'], -1), out);
    expect(back.layers).toEqual(project.layers);
    expect(order(moveGroup(project, id, 1))).toBe('baseadbce');
    expect(order(moveGroup(moveGroup(project, id, 1), id, -1))).toBe('baseabcde');
  });

  it('of layers that are picked apart land where the topmost of them is', () => {
    expect(order(groupLayers(stack, ['d', 'b'])!.project)).toBe('baseacbde');
    expect(groupLayers(stack, ['base'])).toBeUndefined();
  });
});

describe('variants', () => {
  it('are the same as the stack with their values written out, by the plain evaluator', () => {
    fc.assert(
      fc.property(anyProject, fc.constantFrom(...FRAMES), (project, frame) => {
        fc.pre(project.variants.length > 0);
        const [{ layers }] = project.variants;
        const written = {
          ...project,
          layers: project.layers.map((layer) => ({ ...layer, ...layers[layer.id] })),
        };
        expect(apart(withVariant(project, 'calm'), written, frame)).toBe(0);
        expect(withVariant(project, 'calm').range).toEqual([2, 12]);
        expect(withVariant(project, 'none')).toBe(project);
      }),
      { numRuns: 60 },
    );
  });

  it('take what is muted and weighed while they are shown; everything else goes to the layers', () => {
    const stack = projectOf([layerOf('a'), layerOf('b')]);
    const { project, name } = addVariant(stack);
    const edited = editVariant(project, name, (seen) => ({
      ...seen,
      layers: seen.layers.map((layer) =>
        layer.id === 'a' ? { ...layer, muted: true, weight: 0.3, name: 'A', mask: { head: 1 } } : layer,
      ),
    }));
    expect(layerById(edited, 'a')).toMatchObject({ name: 'A', muted: false, weight: 1, mask: { head: 1 } });
    expect(layerById(edited, 'b')).toBe(layerById(project, 'b'));
    expect(layerById(withVariant(edited, name), 'a')).toMatchObject({ muted: true, weight: 0.3 });
    // A layer that comes while it is shown plays there, and neither without a variant nor in another one.
    const other = addVariant(edited);
    const both = editVariant(
      other.project,
      name,
      (seen) => addLayer(seen, { mode: 'additive', above: 'a', joints: [], frame: 0 }).project,
    );
    const added = both.layers.find(({ id }) => !layerById(edited, id))!.id;
    const mutes = [name, other.name, undefined].map((one) => layerById(withVariant(both, one), added)!.muted);
    expect(mutes).toEqual([false, true, true]);
    const copied = editVariant(both, other.name, (seen) => duplicateLayer(seen, 'b').project);
    const copy = copied.layers.find(({ id }) => !layerById(both, id))!;
    expect([copy.muted, layerById(withVariant(copied, other.name), copy.id)!.muted]).toEqual([true, false]);
    const everywhere = editVariant(edited, name, (seen) => duplicateLayer(seen, 'b').project, 'layers');
    expect(everywhere.layers.every(({ muted }) => !muted)).toBe(true);
    // A second one begins as what is seen, and an edit of it leaves the first.
    const second = addVariant(edited, name);
    expect(withVariant(second.project, second.name).layers).toEqual(withVariant(edited, name).layers);
    expect(deleteVariant(second.project, second.name).variants).toEqual(edited.variants);
  });
});

describe('layers that are added', () => {
  it('wherever they land, have neither the colour of a neighbour nor the letters of any other layer', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(), fc.boolean()), { minLength: 12, maxLength: 30 }), (places) => {
        let project = projectOf([]);
        for (const [place, copies] of places) {
          const above = project.layers[place % project.layers.length].id;
          const added =
            copies && above !== 'base'
              ? duplicateLayer(project, above)
              : addLayer(project, { mode: 'additive', above, joints: [], frame: 0 });
          ({ project } = added);
        }
        const colors = project.layers.map(({ color }) => color);
        expect(colors.some((color, k) => k > 1 && color === colors[k - 1])).toBe(false);
        expect(new Set(layerTags(project.layers)).size).toBe(project.layers.length);
      }),
      { numRuns: 60 },
    );
  });
});

describe('a layer that is limited', () => {
  it('to some parts keeps what they weigh there, with its keys', () => {
    const keys = curve([0, 0.2], [30, 0.9]);
    const stack = projectOf([layerOf('a', { mask: { leftArm: keys, rightArm: 0.4, head: 0 } })]);
    const limited = layerById(limitToParts(stack, 'a', ['leftArm', 'rightArm', 'head']), 'a')!;
    expect(limited.mask).toMatchObject({ leftArm: keys, rightArm: 0.4, head: 1, torso: 0 });
  });

  it('acts on the parts in which it counts and has keys', () => {
    const [one] = rig.joints.filter((_, j) => PARTS[j] === 'leftArm');
    const arm = layerOf('a', {}, [one.name]);
    const stack = projectOf([arm, layerOf('b'), layerOf('c', { mask: { head: 1 } })]);
    expect(actsOn(stack, arm).parts).toEqual(['leftArm']);
    expect(actsOn(stack, layerById(stack, 'b')!).parts).toEqual(['the whole body']);
    expect(actsOn(stack, layerById(stack, 'c')!).parts).toEqual(['head']);
    expect(actsOn(stack, { ...arm, mask: { head: 1 } }).parts).toEqual([]);
  });
});

describe('how much a layer counts in a range', () => {
  it('is found where it counts for a moment in a long range', () => {
    const blink = (from: number, values: Partial<Layer> = {}) => ({
      span: { start: from, end: from + 2, fadeIn: 1, fadeOut: 1 },
      ...values,
    });
    const long = (values: Partial<Layer>) => {
      const { layers } = compileStack(projectOf([layerOf('a', values)]));
      return alphaRange(layers[1], [0, 90_000]);
    };
    expect(long(blink(12_345))).toEqual([0, 1]);
    expect(long(blink(12_345.25, { weight: 0.5 }))).toEqual([0, 0.5]);
    expect(long({ weight: curve([700, 0], [701, 0.3], [702, 0]) })).toEqual([0, 0.3]);
    expect(long({ mask: { leftArm: curve([700, 0.2], [701, 0.9], [702, 0.2]) } })).toEqual([0.2, 0.9]);
    expect(long(blink(100_000))).toEqual([0, 0]);
  });
});

describe('a hand-over', () => {
  const range = [20, 40] as const;
  const inside = [20, 21, 25.5, 30, 37, 40];

  it.each([
    ['from the lower to the upper layer', 'a', 'b'],
    ['from the upper to the lower layer', 'b', 'a'],
    ['from what is below to a layer', 'below', 'b'],
    ['from a layer to what is below', 'b', 'below'],
  ])('%s: shares sum to 1 and what lies below the two has none', (_, from, to) => {
    const stack = projectOf([
      layerOf('a', { weight: curve([0, 0.5], [30, 0.7]), span: { start: 25, end: 38, fadeIn: 4 } }),
      layerOf('b', { muted: true, span: { start: 28, fadeIn: 5 } }),
    ]);
    const { project } = { project: handOver(stack, { from, to, range }) };
    for (const frame of inside) {
      const [base, a, b] = sharesOf(project, 4, frame);
      const [below, lower] = [from, to].includes('below') ? [0, base + a] : [base, a];
      expect(below).toBe(0);
      expect(lower + b).toBeCloseTo(1, 12);
      // Worked by hand: smooth from 20 to 40 is 3u² - 2u³ of the way.
      const u = (frame - 20) / 20;
      const way = u * u * (3 - 2 * u);
      expect(b).toBeCloseTo(to === 'b' ? way : 1 - way, 12);
    }
  });

  it('by part keys the parts alone, and counts in full beside them', () => {
    const stack = projectOf([layerOf('a'), layerOf('b', { weight: 0 })]);
    const done = handOver(stack, { from: 'a', to: 'b', range, parts: ['leftArm', 'leftHand'] });
    const weights = (frame: number, joint: number) => sharesOf(done, joint, frame)[2];
    for (const [frame, weight] of [
      [10, 0],
      [30, 0.5],
      [50, 1],
    ])
      expect(weights(frame, 5)).toBeCloseTo(weight, 12);
    expect([20, 25, 40].every((frame) => sharesOf(done, 6, frame)[0] === 0)).toBe(true);
  });

  it('of two additive layers lets one go as the other comes; mixed modes are refused', () => {
    const stack = projectOf([layerOf('a', { mode: 'additive' }), layerOf('b', { mode: 'additive' })]);
    const done = handOver(stack, { from: 'a', to: 'b', range });
    for (const frame of inside) {
      const [a, b] = ['a', 'b'].map((id) => scalarAt(layerById(done, id)!.weight, frame));
      expect(a + b).toBeCloseTo(1, 12);
    }
    const mixed = projectOf([layerOf('a'), layerOf('b', { mode: 'additive' })]);
    expect(handOverRefusal(mixed, { from: 'a', to: 'b', range })).toMatch(/two modes/);
    expect(handOverRefusal(mixed, { from: 'base', to: 'below', range })).toMatch(/nothing below/);
  });

  it('is what two halves are not: those let a quarter through, and that is said', () => {
    // Common practice: two override layers at one half each let a quarter of what is below through.
    const halves = projectOf([
      layerOf('a', { weight: 0.5 }),
      layerOf('b', { weight: curve([0, 0], [60, 1]) }),
    ]);
    const said = letThrough(halves, 'b')!;
    expect(said.layers).toEqual(['a', 'b']);
    const [base] = sharesOf(halves, PARTS.indexOf(said.part), said.frame);
    expect(said.amount).toBeCloseTo(base, 12);
    expect(sharesOf(halves, 4, 30)[0]).toBeCloseTo(0.25, 12);
    const handed = projectOf([layerOf('a'), layerOf('b')]);
    expect(letThrough(handOver(handed, { from: 'a', to: 'b', range }), 'b')).toBeUndefined();
    expect(letThrough(projectOf([layerOf('a', { weight: 0.5 }), layerOf('b')]), 'a')).toBeUndefined();
  });
});

describe('fades around keys', () => {
  const picksOf = (project: Project, joint: string) => {
    const { keys } = (layerById(project, 'a')!.content as { channels: Channels }).channels[joint].rx!;
    return [
      {
        address: { kind: 'channel' as const, layer: 'a', joint, channel: 'rx' as const },
        keys: keys.map(({ id }) => id),
      },
    ];
  };
  const faded = (before: number, after: number, values: Partial<Layer> = {}) => {
    const project = projectOf([layerOf('a', values)]);
    return fadeAroundKeys(project, 'a', picksOf(project, 'Head'), { before, after, hold: 0, asOne: false });
  };

  it('leave the middle as it was where keys stand at both ends (common practice)', () => {
    const done = faded(6, 6, { span: { start: 10, end: 20 } });
    expect(sharesOf(done, 4, 0)[1]).toBe(1);
    expect(sharesOf(done, 4, 60)[1]).toBe(1);
    expect([6, 30, 54].map((frame) => sharesOf(done, 4, frame)[1])).toEqual([0, 0, 0]);
    expect(sharesOf(done, 4, 3)[1]).toBeCloseTo(0.5, 12);
  });

  /** Fades around some keys of Head's turn alone, one time after the other. */
  const around = (frames: readonly number[][], fades: Partial<KeyFades>, values: Partial<Layer> = {}) => {
    const keys = [0, 20, 40, 60].map((frame): [number, number] => [frame, frame]);
    const own = { content: keyed({ Head: { rx: curve(...keys) } }), ...values };
    return frames.reduce(
      (project, picked) => {
        const { keys: all } = (layerById(project, 'a')!.content as { channels: Channels }).channels.Head.rx!;
        const address = { kind: 'channel' as const, layer: 'a', joint: 'Head', channel: 'rx' as const };
        const ids = all.filter(({ frame }) => picked.includes(frame)).map(({ id }) => id);
        return fadeAroundKeys(project, 'a', [{ address, keys: ids }], {
          before: 6,
          after: 6,
          hold: 0,
          asOne: true,
          ...fades,
        });
      },
      projectOf([layerOf('a', own)]),
    );
  };
  const counts = (project: Project, ...at: number[]) =>
    at.map((frame) => Number(sharesOf(project, 4, frame)[1].toFixed(9)));

  it('around one key and then another are both there; of two that overlap the larger counts', () => {
    expect(counts(around([[20], [60]], {}), 13, 17, 20, 23, 27, 53, 57, 60)).toEqual([
      0, 0.5, 1, 0.5, 0, 0, 0.5, 1,
    ]);
    expect(counts(around([[60], [20]], {}), 17, 20, 40, 57, 60)).toEqual([0.5, 1, 0, 0.5, 1]);
    // Half way between 20 and 40, 10 of 16 frames have gone on both sides: u is 3/8.
    const wide = around([[20], [40]], { before: 16, after: 16 });
    const u = 3 / 8;
    expect(counts(wide, 30)[0]).toBeCloseTo(u * u * (3 - 2 * u), 6);
    expect(counts(wide, 12, 20, 40, 48)).toEqual([0.5, 1, 1, 0.5]);
  });

  it('of keys that follow one another are one stretch in full; a key between that is not picked parts them', () => {
    expect(counts(around([[20, 40]], {}), 14, 17, 20, 30, 40, 43, 46)).toEqual([0, 0.5, 1, 1, 1, 0.5, 0]);
    expect(counts(around([[20, 60]], {}), 20, 30, 40, 50, 60)).toEqual([1, 0, 0, 0, 1]);
    expect(counts(around([[20, 40]], { asOne: false }), 20, 30, 40)).toEqual([1, 0, 1]);
  });

  it('hold, as a glance does: there in 15 frames, 10 in full, back in 12 (common practice)', () => {
    const glance = around([[20]], { before: 15, hold: 10, after: 12 });
    expect(counts(glance, 5, 12.5, 20, 25, 30, 36, 42)).toEqual([0, 0.5, 1, 1, 1, 0.5, 0]);
  });

  it('come in every round of a loop that the range shows', () => {
    const looped = around([[20]], {}, { time: { offset: 3, speed: 2, loop: 'repeat', cycle: [0, 40] } });
    // Own frame 20 is seen at 13, 33 and 53.
    for (const round of [13, 33, 53])
      expect(counts(looped, round - 6, round - 3, round, round + 3, round + 6)).toEqual([0, 0.5, 1, 0.5, 0]);
  });

  it('meet where both are as strong, and never leave 0 to 1', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 80 }), fc.integer({ min: 0, max: 80 }), (before, after) => {
        const { mask } = layerById(faded(before, after), 'a')!;
        const weight = mask!.head as Curve;
        for (let i = 1; i < weight.keys.length; i++)
          expect(weight.keys[i].frame).toBeGreaterThan(weight.keys[i - 1].frame);
        for (let frame = -10; frame <= 70; frame += 0.5) {
          const value = scalarAt(weight, frame);
          expect(value).toBeGreaterThanOrEqual(0);
          expect(value).toBeLessThanOrEqual(1);
        }
        expect([0, 60].map((frame) => scalarAt(weight, frame))).toEqual([1, 1]);
        if (before + after > 60) {
          const middle = (60 * after) / (before + after);
          const u = 1 - middle / Math.max(1e-9, after);
          const low = Math.min(
            ...weight.keys.filter(({ frame }) => frame > 0 && frame < 60).map((k) => k.value),
          );
          if (after > 0 && before > 0) expect(low).toBeCloseTo(u * u * (3 - 2 * u), 9);
        }
      }),
    );
  });
});

describe('a soft border', () => {
  // A chain of twelve joints, of which the last six count.
  const chain: Rig = {
    joints: Array.from({ length: 12 }, (_, j) => ({
      ...rig.joints[0],
      name: `j${j}`,
      parent: j - 1,
      translation: [0, 0.1, 0] as const,
    })),
  };
  const parts = chain.joints.map((_, j) => (j < 6 ? 'torso' : 'head'));
  const stack = limitToParts(projectOf([layerOf('a', {}, ['j0', 'j11'])], chain, parts), 'a', ['head']);
  const counts = (project: Project) =>
    chain.joints.map(({ name }, j) => jointCount(layerById(project, 'a')!, project.parts[j], name) as number);

  it.each([
    ['joints', { joints: 6 }],
    ['length', { length: 0.6 }],
  ] as const)('by %s rises evenly and smoothly along a chain', (_, softness) => {
    const soft = counts(softenBorders(stack, 'a', softness));
    for (let j = 1; j < 12; j++) expect(soft[j]).toBeGreaterThanOrEqual(soft[j - 1]);
    expect([soft[0], soft[2], soft[9], soft[11]]).toEqual([0, 0, 1, 1]);
    // A half on the border, and as much above it on the one side as below it on the other.
    for (let k = 0; k < 6; k++) expect(soft[5 - k] + soft[6 + k]).toBeCloseTo(1, 12);
    const steps = soft.slice(1).map((value, j) => value - soft[j]);
    const second = steps.slice(1).map((value, j) => Math.abs(value - steps[j]));
    expect(Math.max(...second)).toBeLessThan(0.12);
  });

  it('and its inverse sum to 1, whichever comes first; 0 makes it hard again', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 30 }), fc.integer({ min: 0, max: 30 }), (width, next) => {
        const soft = softenBorders(stack, 'a', { joints: width });
        const inverse = counts(invertMask(soft, 'a'));
        const other = counts(softenBorders(invertMask(stack, 'a'), 'a', { joints: width }));
        for (const [j, value] of counts(soft).entries()) {
          expect(value + inverse[j]).toBeCloseTo(1, 12);
          expect(value + other[j]).toBeCloseTo(1, 12);
        }
        const again = softenBorders(soft, 'a', { joints: next });
        expect(counts(again)).toEqual(counts(softenBorders(stack, 'a', { joints: next })));
        expect(softenBorders(soft, 'a', { joints: 0 }).layers).toEqual(stack.layers);
      }),
    );
  });

  it('follows the part that counts when that is weighed anew, also over nothing, and not one that was opened by hand', () => {
    const timed = projectOf([layerOf('a', { mask: { torso: 0, head: 1 } }, ['j5'])], chain, parts);
    const soft = softenBorders(timed, 'a', { joints: 4 });
    const maskOf = (project: Project) => layerById(project, 'a')!.mask!;
    const head = { kind: 'part', layer: 'a', part: 'head' } as const;
    const none = setValue(soft, head, 0, 0);
    expect(maskOf(none)).toEqual({ torso: 0, head: 0 });
    const keyed = keyValue(keyValue(none, head, 0, 0.2), head, 20, 0.9);
    expect(maskOf(keyed).torso).toEqual(maskOf(keyed).head);
    const byHand = setValue(keyed, { ...head, part: 'torso' }, 0, 0.5);
    expect(maskOf(byHand).head).toEqual(maskOf(keyed).head);
    expect(maskOf(byHand).torso).not.toEqual(maskOf(keyed).torso);
    expect(layerById(keyed, 'a')!.joints).toEqual(layerById(soft, 'a')!.joints);
  });

  it('opens the other side with the keys of the part that counts', () => {
    const keyedMask = curve([0, 0], [30, 1]);
    const timed = projectOf([layerOf('a', { mask: { torso: 0, head: keyedMask } }, ['j5'])], chain, parts);
    const soft = softenBorders(timed, 'a', { joints: 4 });
    const { mask, joints } = layerById(soft, 'a')!;
    expect(mask?.torso).toBe(keyedMask);
    expect(joints?.j5).toBeGreaterThan(0);
    expect(doublyKeyed(soft, layerById(soft, 'a')!)).toEqual([]);
  });
});

describe('parts of a character', () => {
  const stack = projectOf([layerOf('a', { mask: { torso: 0.4, head: 1, neck: curve([0, 0], [9, 1]) } })]);

  it('are split and renamed with nothing else to be seen, and merged again', () => {
    const split = moveToPart(stack, carriedInPart(stack, 2), 'chest');
    expect(split.parts[2]).toBe('chest');
    const named = renamePart(split, 'neck', 'nape');
    for (const frame of FRAMES) expect(apart(stack, named, frame)).toBe(0);
    const merged = mergeParts(renamePart(named, 'nape', 'neck'), 'chest', 'torso');
    expect(merged.parts).toEqual(stack.parts);
    expect(merged.layers).toEqual(stack.layers);
    expect(renamePart(stack, 'neck', 'head')).toBe(stack);
  });

  it('come in halves and kinds that share no part with what is not in them', () => {
    for (const set of PART_SETS)
      expect(partsInSet(PARTS, set).every((part) => PARTS.includes(part))).toBe(true);
    expect(partsInSet(PARTS, 'arms')).toEqual(['leftArm', 'leftHand', 'rightArm', 'rightHand']);
    expect([...partsInSet(PARTS, 'upper'), ...partsInSet(PARTS, 'lower')].sort()).toEqual(
      [...new Set(PARTS)].sort(),
    );
  });

  it('fade in and out, to and from what they weigh', () => {
    const head = { kind: 'part', layer: 'a', part: 'head' } as const;
    const both = fadeWeight(fadeWeight(stack, head, 10, 8, 'in'), head, 30, 4, 'out');
    const weight = layerById(both, 'a')!.mask!.head;
    for (const [frame, value] of [
      [0, 0],
      [10, 0],
      [14, 0.5],
      [18, 1],
      [30, 1],
      [32, 0.5],
      [34, 0],
      [60, 0],
    ])
      expect(scalarAt(weight, frame)).toBeCloseTo(value, 12);
  });

  it('hand their weight to others with keys of their own', () => {
    const from = { kind: 'part', layer: 'a', part: 'neck' } as const;
    const done = copyWeight(stack, from, [{ kind: 'part', layer: 'a', part: 'hips' }]);
    const { mask } = layerById(done, 'a')!;
    const [one, other] = [mask!.neck, mask!.hips] as Curve[];
    expect(other.keys.map(({ frame, value }) => [frame, value])).toEqual([
      [0, 0],
      [9, 1],
    ]);
    expect(other.keys.some(({ id }) => one.keys.some((key) => key.id === id))).toBe(false);
  });
});

describe('several layers', () => {
  it('move by as much in a drag, and come back with it', () => {
    const stack = projectOf([
      layerOf('a', { span: { start: 10, end: 20, fadeIn: 4 } }),
      layerOf('b', { span: { start: 30, end: 50, fadeIn: 1 } }),
      layerOf('c'),
    ]);
    const wanted = { lead: 'a', others: ['b', 'c'], from: stack };
    const moved = setSpans(stack, { ...wanted, values: { start: 13, fadeIn: 1 } });
    expect(layerById(moved, 'a')?.span).toMatchObject({ start: 13, fadeIn: 1 });
    expect(layerById(moved, 'b')?.span).toEqual({ start: 33, end: 50 });
    expect(layerById(setSpans(moved, { ...wanted, values: { start: 10, fadeIn: 4 } }), 'b')?.span).toEqual(
      layerById(stack, 'b')?.span,
    );
  });
});

describe('bringing keys out and together', () => {
  const stack = projectOf([
    layerOf('a', { mode: 'additive', weight: 0.7, mask: { head: 1, torso: 0.5 } }),
    layerOf('b', { mode: 'additive', weight: 0.7 }, ['Spine']),
  ]);

  it('moves joints to a layer of their own and back with nothing else to be seen', () => {
    const out = bringOut(stack, 'a', ['Head', 'Neck'], 'move')!;
    for (const frame of FRAMES) expect(apart(stack, out.project, frame)).toBeLessThan(1e-12);
    const back = joinWithBelow(out.project, out.id);
    expect(back).toMatchObject({ length: 0, angle: 0 });
    for (const frame of FRAMES) expect(apart(stack, back.project, frame)).toBeLessThan(1e-12);
    expect(bringOut(stack, 'b', ['Hips'], 'move')).toBeUndefined();
    expect(layerById(bringOut(stack, 'a', ['Head'], 'copy')!.project, 'a')).toBe(layerById(stack, 'a'));
  });

  it('says by how much what is seen is another, as the plain evaluator finds it', () => {
    const { project, length } = joinWithBelow(stack, 'b');
    const found = Math.max(...Array.from({ length: 61 }, (_, frame) => apart(stack, project, frame)));
    expect(length).toBeGreaterThan(0);
    expect(length).toBeCloseTo(found, 6);
  });

  it('finds layers that do nothing', () => {
    const some = projectOf([
      layerOf('a', { weight: 0 }),
      layerOf('b', { content: { kind: 'nothing' } }),
      layerOf('c', { muted: true }),
      layerOf('d', { span: { start: 70 } }),
      layerOf('e', { weight: curve([0, 0], [30, 0.1], [60, 0]) }),
    ]);
    expect(idleLayers(some)).toEqual(['a', 'b', 'd']);
  });
});

describe('a conversion', () => {
  const height = rigHeight(rig);
  const cases: [string, Partial<Layer>, Parameters<typeof convertLayer>[2]][] = [
    ['additive to override', { mode: 'additive' }, { mode: 'override' }],
    ['override to additive', { mode: 'override' }, { mode: 'additive' }],
    ['override to additive at half weight', { mode: 'override', weight: 0.5 }, { mode: 'additive' }],
    ['joint to world axes', { mode: 'additive', weight: 0.8 }, { axes: 'world' }],
    ['world to joint axes', { mode: 'additive', axes: 'world' }, { axes: 'joint' }],
    ['world to character axes', { mode: 'additive', axes: 'world' }, { axes: 'character' }],
    ['a keyed weight to 1', { mode: 'additive', weight: curve([0, 0.4], [60, 1.2]) }, { weight: 1 }],
    ['an override weight to 1', { mode: 'override', weight: curve([0, 0.3], [60, 0.9]) }, { weight: 1 }],
    [
      'a loop',
      { mode: 'additive', time: { offset: 3, speed: 2, loop: 'repeat', cycle: [0, 30] } },
      { axes: 'world' },
    ],
  ];
  const above = layerOf('above', { mode: 'additive', weight: 0.5 }, ['Chest', 'Hips']);

  it.each(cases)('of %s leaves what is seen, to the difference that it states', (_, values, to) => {
    const stack = projectOf([layerOf('a', values, ['Hips', 'Spine', 'Head', 'LeftArm']), above]);
    const { project, length } = convertLayer(stack, 'a', to);
    const found = Math.max(...Array.from({ length: 61 }, (_, frame) => apart(stack, project, frame)));
    expect(found).toBeLessThan(1e-4 * height);
    expect(found).toBeLessThan(length + 1e-5 * height);
  });

  it('on drawn stacks states what the plain evaluator finds', () => {
    fc.assert(
      fc.property(anyProject, fc.constantFrom('additive' as const, 'override' as const), (project, mode) => {
        const layer = project.layers
          .slice(1)
          .find((one) => one.content.kind !== 'nothing' && one.mode !== mode);
        fc.pre(layer !== undefined);
        const short = { ...project, range: [0, 6] as const };
        const done = convertLayer(short, layer.id, { mode });
        const found = Math.max(...[0, 1, 2, 3, 4, 5, 6].map((frame) => apart(short, done.project, frame)));
        expect(Math.abs(done.length - found)).toBeLessThan(1e-4 * rigHeight(project.rig));
      }),
      { numRuns: 40 },
    );
  });

  it('of what a take is a change from is held by a layer below, exactly where it counts in full', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 20 }), fc.constantFrom('rest' as const, 3), (seed, reference) => {
        const own = anyRig(seed);
        const stack: Project = {
          ...projectOf([newLayer('a', 'additive', { id: 'a', content: playing('take') })], own),
          takes: [anyTake('take', own, seed, 30, 30)],
          range: [0, 20],
        };
        const kept = keepAtReference(stack, 'a', reference)!;
        for (const frame of [0, 3, 12.5]) expect(apart(stack, kept.project, frame)).toBeLessThan(2e-5);
        expect(kept.length).toBeLessThan(2e-5);
        const [half, after] = [stack, kept.project].map((project) => ({
          ...project,
          layers: project.layers.map((layer, k) => (k > 0 ? { ...layer, weight: 0.5 } : layer)),
        }));
        expect(apart(half, after, 7)).toBeGreaterThan(0);
      }),
      { numRuns: 15 },
    );
  });

  it('halves a weight and doubles its keys exactly, and back', () => {
    const stack = projectOf([layerOf('a', { mode: 'additive', weight: curve([0, 0.2], [60, 1]) })]);
    const half = shiftWeight(stack, 'a', 0.5)!;
    for (const frame of FRAMES) expect(apart(stack, half, frame)).toBeLessThan(1e-12);
    const weight = (project: Project): Scalar => layerById(project, 'a')!.weight;
    expect(scalarAt(weight(half), 60)).toBe(0.5);
    expect(isCurve(weight(half))).toBe(true);
    const back = shiftWeight(half, 'a', 2)!;
    for (const frame of FRAMES) expect(apart(stack, back, frame)).toBeLessThan(1e-12);
    // Past what a weight can be there is no way on.
    expect(shiftWeight(stack, 'a', 4)).toBeUndefined();
    expect(shiftWeight(projectOf([layerOf('a')]), 'a', 0.5)).toBeUndefined();
  });

  it('brings every joint to where it was at a frame between its keys', () => {
    const stack = projectOf([layerOf('a', { mode: 'additive' }, ['Spine'])]);
    const { project } = convertLayer(stack, 'a', { mode: 'override' });
    const places = (own: Project) => {
      const pose = restPose(rig);
      evaluateStack(compileStack(own), 12.5, pose);
      return globalMatrices(rig, pose, new Float64Array(16 * ALL.length));
    };
    const [a, b] = [places(stack), places(project)];
    expect(Math.max(...a.map((value, k) => Math.abs(value - b[k])))).toBeLessThan(1e-3);
  });
});
