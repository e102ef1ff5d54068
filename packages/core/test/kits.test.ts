import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { random } from '../bench/subject.js';
import { bake } from '../src/bake/index.js';
import { findingSteps } from '../src/check/index.js';
import { type Curve, curveAt, scalarAt } from '../src/curve/index.js';
import {
  addProp,
  addWalk,
  keepContacts,
  lineOf,
  makeKit,
  projectFromCharacter,
  putKit,
  putWalk,
  walkAtEase,
} from '../src/edit/index.js';
import { compileStack, evaluateStack, spanFactor } from '../src/evaluate/index.js';
import { kitText, readKit, writeKit } from '../src/format/index.js';
import {
  channelsOf,
  contactsOf,
  finished,
  keyed,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Rig,
} from '../src/index.js';
import { eachRefusal, eventsOf, type Fit, type Kit } from '../src/kit/index.js';
import { EULER_ORDERS } from '../src/math/index.js';
import {
  globalMatrices,
  jointIndex,
  type Quaternion,
  restPose,
  rolesOf,
  type Vector3,
} from '../src/rig/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject } from './any-stack.js';
import { curvesIn, lengthPlainly, movePlainly, pairsPlainly } from './reference-kit.js';
import { about, inverse, ONE, RAD, times, turned, worldOf } from './reference-math.js';

const bytesOf = async (project: Project): Promise<string> => {
  const samples = await bake(project);
  return JSON.stringify(
    (['translations', 'rotations', 'scales', 'faces'] as const).map((kind) =>
      [...samples[kind].values].map((value) => (Object.is(value, -0) ? 0 : value)),
    ),
  );
};

/** Whether handles of a segment pass one another: a part of such a segment has handles beyond its ends, which no file can say. */
const crosses = ({ keys }: Curve): boolean =>
  keys.some((key, k) => {
    const next = keys[k + 1];
    if (!next || key.ease !== 'bezier') return false;
    const h = next.frame - key.frame;
    return Math.min(h, key.out?.[0] ?? h / 3) + Math.min(h, -(next.in?.[0] ?? -h / 3)) > h;
  });

/** A project with its base alone. */
const bare = (project: Project): Project => ({
  ...project,
  layers: project.layers.slice(0, 1),
  groups: [],
  variants: [],
});
const aboveBase = ({ layers }: Project) => layers.slice(1).map(({ id }) => id);

describe('a kit', () => {
  it('on its own take changes nothing, to the bit, whatever its layers hold; its file says all of it', async () => {
    for (const any of [anyProject, anyGroundedProject])
      await fc.assert(
        fc.asyncProperty(any, fc.constantFrom('world' as const, 'root' as const), async (project, place) => {
          fc.pre(project.layers.length > 1);
          const kit = makeKit(project, { name: 'All', layers: aboveBase(project), place });
          const again = kit.takes.length === 0 ? await readKit('all.evlay-kit', writeKit(kit).bytes) : kit;
          const put = putKit(bare(project), again);
          expect(put.report.leftOut).toEqual([]);
          expect(await bytesOf(put.project)).toBe(await bytesOf(project));
          if (again !== kit) expect(JSON.parse(kitText(again))).toEqual(JSON.parse(kitText(kit)));
        }),
        { numRuns: 60, endOnFailure: true },
      );
  });

  it('finds its place by the events as plainly written', () => {
    const name = fc.constantFrom('leftLeg down', 'leftLeg up', 'rightLeg down', 'apex', 'lamp');
    const events = (most: number) =>
      fc
        .array(fc.tuple(name, fc.double({ min: 0.5, max: 99, noNaN: true })), { maxLength: most })
        .map((list) => list.map(([one, frame]) => ({ name: one, frame })).sort((a, b) => a.frame - b.frame));
    fc.assert(
      fc.property(
        anyGroundedProject,
        events(7),
        events(9),
        fc.constantFrom(1, 1.7, 0.4),
        fc.constantFrom<Fit>('events', 'stretch', 'shift'),
        (drawn, ours, theirs, size, fit) => {
          const project = {
            ...drawn,
            takes: [],
            range: [3, 100 * size] as const,
            marks: [],
            layers: [drawn.layers[0]],
          };
          const base = { ...bare(project), layers: [newLayer('Base', 'override')] };
          const kit: Kit = {
            ...makeKit(drawn, { name: 'Any', layers: aboveBase(drawn) }),
            range: [0, 100],
            fps: 48,
            events: ours,
            takes: [],
          };
          const layers = kit.layers
            .filter(({ layer }) => layer.content.kind !== 'take')
            .map((one, k) => ({ ...one, layer: { ...one.layer, name: `${k}` }, fit, found: [] }));
          // The kit counts 48 frames a second, the project 24: its frames are halved first.
          const half = (frame: number) => frame / 2;
          const side = {
            range: [0, 50] as const,
            events: ours.map((one) => ({ ...one, frame: half(one.frame) })),
          };
          const marks = theirs.map((one, k) => ({ ...one, id: `${k}`, frame: one.frame * size }));
          const marked = { ...base, marks };
          const pairs = pairsPlainly(side, { range: project.range, events: eventsOf(marked) }, 24);
          expect(lineOf(kit, marked).pairs).toEqual(pairs.map(({ square: _, ...pair }) => pair));
          const put = putKit(marked, { ...kit, layers });
          const [A, B] = project.range;
          const straight =
            fit === 'stretch' ? pairs.filter(({ name: one }) => one === 'start' || one === 'end') : pairs;
          for (const { layer } of layers) {
            const now = put.project.layers.find(({ name: one, id }) => one === layer.name && id === layer.id);
            if (!now) continue;
            const shifts = fit === 'shift' || put.report.shifted.includes(layer.name);
            const plain =
              !layer.time ||
              (layer.time.offset === 0 && layer.time.speed === 1 && layer.time.loop === 'none');
            const to = (x: number) =>
              shifts ? x + A : fit === 'stretch' ? A + (x / 50) * (B - A) : movePlainly(straight, x);
            const scale = (x: number, s: number) =>
              shifts ? 1 : fit === 'stretch' ? (B - A) / 50 : lengthPlainly(straight, x, s);
            const after = new Map(curvesIn(now).map((one) => [one.name, one.curve]));
            for (const { name: what, curve, own } of curvesIn(layer)) {
              const moved = own && !plain ? half : (x: number) => to(half(x));
              const wanted = curve.keys.map((key) => ({
                frame: moved(key.frame),
                value: key.value,
                in: key.in && [half(key.in[0]) * (own && !plain ? 1 : scale(half(key.frame), -1)), key.in[1]],
                out: key.out && [
                  half(key.out[0]) * (own && !plain ? 1 : scale(half(key.frame), 1)),
                  key.out[1],
                ],
              }));
              const found = after.get(what)!.keys;
              expect(found.length).toBe(wanted.length);
              for (const [k, { frame, value, in: into, out }] of found.entries()) {
                expect(frame).toBeCloseTo(wanted[k].frame, 7);
                expect(value).toBe(wanted[k].value);
                for (const [one, other] of [
                  [into, wanted[k].in],
                  [out, wanted[k].out],
                ] as const) {
                  expect(one?.[0] ?? 0).toBeCloseTo(other?.[0] ?? 0, 7);
                  expect(one?.[1]).toBe(other?.[1]);
                }
              }
            }
            const { start, end, fadeIn, fadeOut } = layer.span ?? {};
            if (start !== undefined) expect(now.span!.start).toBeCloseTo(to(half(start)), 7);
            if (end !== undefined) expect(now.span!.end).toBeCloseTo(to(half(end)), 7);
            if (start !== undefined && fadeIn !== undefined)
              expect(now.span!.fadeIn).toBeCloseTo(to(half(start + fadeIn)) - to(half(start)), 7);
            if (end !== undefined && fadeOut !== undefined)
              expect(now.span!.fadeOut).toBeCloseTo(to(half(end)) - to(half(end - fadeOut)), 7);
            if (!plain && layer.content.kind === 'curves')
              expect(now.time!.offset).toBeCloseTo(to(half(layer.time!.offset)), 7);
            for (const [limb, { spans }] of Object.entries(contactsOf(layer)?.limbs ?? {})) {
              const wanted = spans
                .map(([a, b]) => [to(half(a)), to(half(b)), half(b) - half(a)])
                .filter(([a, b, before]) => b - a >= 2 || b - a >= before - 1e-9);
              const found = contactsOf(now)!.limbs[limb].spans;
              expect(found.length).toBe(wanted.length);
              for (const [k, [a, b]] of found.entries()) {
                expect(a).toBeCloseTo(wanted[k][0], 7);
                expect(b).toBeCloseTo(wanted[k][1], 7);
              }
            }
          }
        },
      ),
      { numRuns: 150, endOnFailure: true },
    );
  });

  it('puts a layer at each event: its part around one, its weight with it, and nothing in between', () => {
    fc.assert(
      fc.property(
        anyProject,
        fc.tuple(fc.integer({ min: -6, max: -1 }), fc.integer({ min: 1, max: 8 })),
        fc.array(fc.integer({ min: 1, max: 59 }), { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 4, max: 20 }),
        (drawn, [from, to], frames, at) => {
          const layers = drawn.layers
            .slice(1)
            .filter(({ content }) => content.kind === 'curves')
            .map((layer, k) => ({
              ...layer,
              id: `l${k}`,
              name: `${k}`,
              mode: 'additive' as const,
              time: undefined,
              placement: undefined,
              group: undefined,
              solo: false,
            }));
          fc.pre(layers.length > 0);
          const source = { ...drawn, layers: [drawn.layers[0], ...layers] };
          const fit = { each: 'lamp', at, from, to };
          const fits = Object.fromEntries(layers.map(({ id }) => [id, fit]));
          const kit = makeKit(source, { name: 'Each', layers: layers.map(({ id }) => id), fits });
          const marks = frames.map((frame, k) => ({ id: `${k}`, name: 'lamp', frame }));
          const take = { ...bare(source), range: [0, 60] as const, marks };
          const put = putKit(take, kit);
          const unique = [...new Set(frames)].sort((a, b) => a - b);
          for (const layer of layers) {
            const now = put.project.layers.find(({ id }) => id === layer.id)!;
            const curves = curvesIn(now).filter(({ name: one }) => one !== 'weight');
            const before = new Map(curvesIn(layer).map((one) => [one.name, one.curve]));
            expect(curves.map((one) => one.name).sort()).toEqual(
              [...before.keys()].filter((one) => one !== 'weight').sort(),
            );
            for (let f = -1.13; f < 62; f += 0.37) {
              // The event that a frame is nearest to, by the middle of its window.
              const owner = unique.reduce((best, one) =>
                Math.abs(f - one - (from + to) / 2) < Math.abs(f - best - (from + to) / 2) ? one : best,
              );
              const x = f - owner + at;
              const inside = f >= Math.max(0, owner + from) && f <= Math.min(60, owner + to);
              const near = [0, 60, ...unique.flatMap((one) => [one + from, one + to])].some(
                (edge) => Math.abs(f - edge) < 0.01,
              );
              const edges = unique
                .slice(1)
                .some((one, k) => Math.abs(f - (unique[k] + one + from + to) / 2) < 0.01);
              if (near || edges) continue;
              const next = unique[unique.indexOf(owner) + 1];
              const end =
                next !== undefined && next + from <= owner + to
                  ? (owner + next + from + to) / 2 - owner + at
                  : 1e9;
              // Where copies meet the later one's key counts: the last segment of the earlier one goes there.
              const beforeLast = (frames: readonly number[]) =>
                end === 1e9 || x <= Math.max(at + from, ...frames.filter((frame) => frame < end - 1e-6));
              const { start = 0, end: stop = 0, fadeIn = 0, fadeOut = 0 } = layer.span ?? {};
              const breaks = [
                ...(before.get('weight')?.keys.map(({ frame }) => frame) ?? []),
                start,
                stop,
                start + fadeIn,
                stop - fadeOut,
              ];
              const weight = inside ? scalarAt(layer.weight, x, -9, 9) * spanFactor(layer.span, x) : 0;
              const fades =
                (layer.span?.start !== undefined && x < start + fadeIn + 1) ||
                (layer.span?.end !== undefined && x > stop - fadeOut - 1);
              // In a fade a weight with handles of its own is followed by slopes: what stands upright there is not.
              const upright =
                fades && before.get('weight')?.keys.some(({ ease }) => ease === 'bezier' || ease === 'hold');
              if (beforeLast(breaks) && !upright)
                expect(Math.abs(scalarAt(now.weight, f, -9, 9) - weight)).toBeLessThan(fades ? 0.01 : 1e-6);
              if (!inside) continue;
              for (const { name: one, curve } of curves) {
                const own = before.get(one)!;
                if (crosses(own)) continue;
                if (!beforeLast(own.keys.map(({ frame }) => frame))) continue;
                const wanted = curveAt(own, x);
                expect(Math.abs(curveAt(curve, f) - wanted)).toBeLessThan(1e-6 * (1 + Math.abs(wanted)));
              }
            }
          }
        },
      ),
      { numRuns: 60, endOnFailure: true },
    );
    const loop = newLayer('Loop', 'additive', {
      time: { offset: 0, speed: 1, loop: 'repeat' },
      content: keyed({ Hips: { tx: { keys: [newKey(0, 1)] } } }),
    });
    expect(eachRefusal(loop)).toMatch(/loops/);
    expect(eachRefusal({ ...loop, time: undefined })).toBeUndefined();
  });

  it('made on one walk stands with the feet of faster and slower ones, and brings no fault', () => {
    const walkAt = (pace: number, seconds: number) => {
      const figure = { id: 'x', bytes: new Uint8Array() };
      const plain = {
        ...projectFromCharacter({ name: 'x', rig: WICK, figure, takes: [] }),
        fps: 30,
        range: [0, Math.round(seconds * 30)] as const,
      };
      const { walk } = walkAtEase(plain)!;
      const cadence = walk.cadence * pace;
      const [base] = putWalk(addWalk(plain, plain.layers[0].id)!.project, plain.layers[0].id, {
        ...walk,
        cadence,
      }).layers;
      const cycle = (120 / cadence) * 30;
      // Keys alone, of which nobody has said that they walk.
      const { applied: _, ...keys } = base;
      const strikes = (behind: number) =>
        Array.from({ length: 12 }, (_, k) => (k + behind) * cycle).filter(
          (f) => f > 4 && f < seconds * 30 - 4,
        );
      return { project: { ...plain, layers: [keys] } as Project, left: strikes(0), right: strikes(0.5) };
    };
    const made = walkAt(1, 6);
    const at = eventsOf(made.project).find(({ name }) => name === 'leftLeg down')!.frame;
    const bump = (joint: string, frames: readonly number[]) =>
      keyed({
        [joint]: { rx: { keys: frames.flatMap((f) => [newKey(f - 3, 0), newKey(f, 9), newKey(f + 3, 0)]) } },
      });
    const each = newLayer('Nod', 'additive', { content: bump('Head', [at]) });
    const rights = eventsOf(made.project)
      .filter(({ name }) => name === 'rightLeg down')
      .map(({ frame }) => frame);
    const touches = newLayer('Touch-ups', 'additive', { content: bump('RightHand', rights) });
    const source = keepContacts({ ...made.project, layers: [made.project.layers[0], each, touches] })!;
    const kit = makeKit(source.project, {
      name: 'Walk',
      layers: aboveBase(source.project),
      fits: { [each.id]: { each: 'leftLeg down', at, from: -4, to: 10 } },
    });
    expect(kit.layers.at(-1)!.found).toEqual(['leftLeg', 'rightLeg']);
    for (const [pace, seconds] of [
      [0.7, 6 / 0.7],
      [1.3, 6 / 1.3],
      [1.3, 6],
      [0.7, 6],
    ] as const) {
      const { project, left, right } = walkAt(pace, seconds);
      const put = putKit(project, kit);
      const [nods, hands, feet] = put.project.layers.slice(1);
      const tops = (layer: typeof nods, joint: string) =>
        channelsOf(layer)
          [joint].rx!.keys.filter(({ value }) => value === 9)
          .map(({ frame }) => frame);
      const near = (frame: number, events: readonly number[]) =>
        Math.min(...events.map((one) => Math.abs(one - frame)));
      // Found strikes lie within two frames of those that the walk was made by; touch-ups to a frame at those that are found.
      const found = eventsOf(project);
      const downs = (limb: string) =>
        found.filter(({ name }) => name === `${limb} down`).map(({ frame }) => frame);
      for (const frame of tops(nods, 'Head')) expect(near(frame, downs('leftLeg'))).toBeLessThan(1e-6);
      for (const frame of left) expect(near(frame, tops(nods, 'Head'))).toBeLessThanOrEqual(2);
      const inPlace = rights.filter((frame) =>
        put.report.lonely.every((one) => Math.abs(one.frame - frame) > 1e-6),
      );
      for (const frame of inPlace) {
        const top = tops(hands, 'RightHand')[rights.indexOf(frame)];
        expect(near(top, downs('rightLeg'))).toBeLessThanOrEqual(1);
        expect(near(top, right)).toBeLessThanOrEqual(2);
      }
      // The same steps in less or more time all meet; over the same time there are others, and some are told to be alone.
      if (seconds !== 6) expect(inPlace).toEqual(rights);
      else expect(inPlace.length).toBeGreaterThan(0);
      const anew = contactsOf(keepContacts(project)!.project.layers[1])!.limbs;
      for (const [limb, { spans }] of Object.entries(contactsOf(feet)!.limbs))
        expect(spans).toEqual(anew[limb].spans);
      for (const limb of Object.keys(contactsOf(feet)!.limbs))
        for (const [from] of contactsOf(feet)!.limbs[limb].spans.slice(1))
          expect(near(from, limb === 'leftLeg' ? left : right)).toBeLessThanOrEqual(2);
      const faults = (one: Project) =>
        finished(findingSteps(one)).filter(({ grade }) => grade === 'fault').length;
      expect(faults(put.project)).toBeLessThanOrEqual(faults(project));
    }
  });

  it('looks the same on a character whose joints have other names, axes, orders and size', () => {
    const next = random(5);
    const drawn = (): number[] => {
      const q = [0, 1, 2, 3].map(() => next() - 0.5);
      const length = Math.hypot(...q);
      return q.map((value) => value / length);
    };
    const roles = rolesOf(WICK);
    const own = WICK.joints.map(drawn);
    const twisted: Rig = {
      joints: WICK.joints.map((joint, j) => {
        const above = joint.parent < 0 ? ONE : own[joint.parent];
        return {
          ...joint,
          name: roles[j]?.role ?? `${joint.name} helper`,
          translation: turned(
            inverse(above),
            joint.translation.map((v) => 100 * v),
          ) as unknown as Vector3,
          rotation: times(times(inverse(above), [...joint.rotation]), own[j]) as unknown as Quaternion,
          order: EULER_ORDERS[j % 6],
        };
      }),
    };
    const on = (rig: Rig): Project => ({
      ...projectFromCharacter({ name: 'x', rig, figure: { id: 'x', bytes: new Uint8Array() }, takes: [] }),
      range: [0, 20],
    });
    const posed = WICK.joints.flatMap(({ name }, j) =>
      roles[j] && /Arm|spine|neck|head|Hand/.test(roles[j].role) ? [name] : [],
    );
    const angles = () => ({ keys: [0, 7, 20].map((frame) => newKey(frame, 80 * (next() - 0.5))) });
    const channels = () =>
      Object.fromEntries(posed.map((name) => [name, { rx: angles(), ry: angles(), rz: angles() }]));
    for (const axes of ['joint', 'world', 'character'] as const)
      for (const mode of ['additive', 'override'] as const) {
        const content = keyed({
          ...channels(),
          Hips: {
            tx: { keys: [newKey(0, 0), newKey(20, 0.4)] },
            ty: { keys: [newKey(0, mode === 'override' ? 0.9 : -0.1)] },
            tz: { keys: [newKey(7, 0.2)] },
          },
        });
        const hand = newLayer('Hand', 'override', {
          content: keyed({}, [
            newTarget('LeftHand', {
              space: 'Head',
              at: { tx: 0.1, ty: 0.2, tz: 0.15 },
              turn: { rx: 20, ry: 40, rz: -10 },
            }),
          ]),
        });
        const source = {
          ...on(WICK),
          layers: [on(WICK).layers[0], newLayer('Any', mode, { axes, content }), hand],
        };
        const kit = makeKit(source, { name: 'Any', layers: aboveBase(source) });
        const put = putKit(on(twisted), kit);
        expect(put.report.leftOut).toEqual([]);
        for (const frame of [0, 7, 20]) {
          const [a, b] = [source, put.project].map((project) => {
            const pose = restPose(project.rig);
            evaluateStack(compileStack(project), frame, pose);
            const each = (values: Float64Array, size: number) =>
              project.rig.joints.map((_, j) => [...values.subarray(size * j, size * j + size)]);
            return worldOf(project.rig, {
              translations: each(pose.translations, 3),
              rotations: each(pose.rotations, 4),
              scales: each(pose.scales, 3),
              faces: [],
            });
          });
          for (const [j, place] of a.positions.entries()) {
            for (const axis of [0, 1, 2])
              expect(Math.abs(100 * place[axis] - b.positions[j][axis])).toBeLessThan(1e-3);
            const same = times(a.orientations[j], own[j]);
            expect(Math.abs(same.reduce((sum, v, k) => sum + v * b.orientations[j][k], 0))).toBeGreaterThan(
              1 - 1e-9,
            );
          }
        }
      }
  });

  it('goes along with where the root starts, its props and what is on them', () => {
    const figure = { id: 'x', bytes: new Uint8Array() };
    const plain = {
      ...projectFromCharacter({ name: 'x', rig: WICK, figure, takes: [] }),
      range: [0, 40] as const,
    };
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    const barrel = {
      name: 'barrel',
      shape: 'box' as const,
      size: [0.2, 0.2, 0.2] as const,
      at: [0.4, 1, 0.5] as const,
      turn: [10, 30, 5] as const,
    };
    const scened = addProp(walking, barrel);
    const moves = (from: number, to: number) => ({ keys: [newKey(0, from), newKey(40, to)] });
    const rolls = newLayer('Rolls', 'override', {
      content: keyed({
        barrel: {
          tx: moves(0.4, 0.6),
          ty: moves(1, 1.1),
          tz: moves(0.5, 0.3),
          rx: moves(0, 20),
          ry: moves(0, 60),
          rz: moves(0, 0),
        },
      }),
    });
    const onIt = newTarget('RightHand', {
      space: 'barrel',
      at: { tx: 0, ty: 0.1, tz: 0 },
      turn: { rx: 0, ry: 20, rz: 0 },
    });
    const inWorld = newTarget('LeftHand', {
      at: { tx: 0.3, ty: 1.2, tz: 0.4 },
      turn: { rx: 10, ry: 50, rz: 0 },
    });
    const hands = newLayer('Hands', 'override', { content: keyed({}, [onIt, inWorld]) });
    const source = { ...scened, layers: [...scened.layers, rolls, hands] };
    const kit = makeKit(source, { name: 'Barrel', layers: aboveBase(source), place: 'root' });
    const [heading, by] = [75, [2, 0, -3]];
    const placed: Project = {
      ...walking,
      layers: walking.layers.map((layer) => ({
        ...layer,
        placement: { pivot: [0, 0, 0], tx: by[0], ty: 0, tz: by[2], rx: 0, ry: heading, rz: 0 },
      })),
    };
    const put = putKit(placed, kit);
    expect(put.project.scene.props.map(({ name, hidden }) => [name, hidden])).toEqual([
      ['barrel', undefined],
      ['Barrel', true],
    ]);
    const placesAt = (project: Project, frame: number) => {
      const pose = restPose(project.rig);
      evaluateStack(compileStack(project), frame, pose);
      const matrices = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
      return (name: string) => [
        ...matrices.subarray(
          16 * jointIndex(project.rig, name) + 12,
          16 * jointIndex(project.rig, name) + 15,
        ),
      ];
    };
    for (const frame of [0, 40]) {
      const [was, is] = [placesAt(source, frame), placesAt(put.project, frame)];
      for (const name of ['LeftHand', 'RightHand', 'barrel', 'Head', 'Hips']) {
        const wanted = turned(about('Y', heading * RAD), was(name)).map((value, axis) => value + by[axis]);
        expect([name, frame, ...is(name).map((v) => v.toFixed(4))]).toEqual([
          name,
          frame,
          ...wanted.map((v) => v.toFixed(4)),
        ]);
      }
    }
  });

  it('leaves out and tells what a character has not, and what of its file is wrong', async () => {
    const figure = { id: 'x', bytes: new Uint8Array() };
    const plain = projectFromCharacter({ name: 'x', rig: WICK, figure, takes: [] });
    const tail = newLayer('Tail', 'additive', { content: keyed({ Fin: { rx: { keys: [newKey(0, 5)] } } }) });
    const kit: Kit = {
      ...makeKit({ ...plain, layers: [...plain.layers, tail] }, { name: 'Tail', layers: [tail.id] }),
      rig: undefined,
    };
    const put = putKit(plain, kit);
    expect(put.report.leftOut).toEqual([{ layer: 'Tail', what: 'joint', name: 'Fin' }]);
    expect(put.report.idle).toEqual(['Tail']);
    expect(put.project.layers).toEqual(plain.layers);
    const file = {
      format: 'evlay-kit',
      version: 1,
      name: 'x',
      fps: 30,
      range: [0, 10],
      layers: [{ name: 'a', channels: {} }],
    };
    const read = (changes: object) =>
      readKit('x.evlay-kit', new TextEncoder().encode(JSON.stringify({ ...file, ...changes })));
    expect((await read({})).layers[0].fit).toBe('events');
    for (const [changes, message] of [
      [{ version: 2 }, /version: expected version 1/],
      [{ place: 'root' }, /root: missing/],
      [{ layers: [{ name: 'a', fit: 'often' }] }, /layers\[0\]\.fit: expected "events"/],
      [{ layers: [{ name: 'a', fit: { each: 'x', at: 0, from: 3, to: 1 } }] }, /window ends before/],
      [
        { layers: [{ name: 'a', time: { loop: 'repeat' }, fit: { each: 'x', at: 0, from: 0, to: 1 } }] },
        /loops cannot be put/,
      ],
      [{ layers: [{ name: 'a', take: { file: 'gone.bvh' } }] }, /gone\.bvh.*missing/],
      [{ layers: [{ name: 'a', group: 'g' }] }, /unknown group/],
      [{ rest: [{ name: 'a', parent: 'b', at: [0, 0, 0] }] }, /parents before children/],
      [{ events: [['x']] }, /events\[0\]/],
    ] as const)
      await expect(read(changes)).rejects.toThrow(message);
  });
});
