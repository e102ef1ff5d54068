import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rigOfSize, takeOfSize, takeStack } from '../bench/subject.js';
import { addProp, changeProp } from '../src/edit/index.js';
import { newAttribution } from '../src/evaluate/index.js';
import {
  baseOf,
  type CompiledStack,
  compileStack,
  evaluateStack,
  keyed,
  liveLayers,
  newKey,
  newLayer,
  type Pose,
  type Project,
  type Prop,
  type Rig,
  restPose,
  rigOfScene,
  sceneOf,
  type Take,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { globalMatrices, globalOrientations, memberCount, rigHeight, topologyOf } from '../src/rig/index.js';
import { anyLayer, anyProject, anyRig } from './any-stack.js';
import { evaluateReference, worldOf } from './reference.js';

const frames = fc.oneof(fc.integer({ min: -20, max: 60 }), fc.double({ min: -20, max: 60, noNaN: true }));

function poseAt(project: Project, frame: number, plain = false): Pose {
  const pose = restPose(project.rig);
  const stack = compileStack(project);
  evaluateStack(plain ? { ...stack, kernel: undefined } : stack, frame, pose);
  return pose;
}

/** Largest distance in character heights and largest angle in degrees between two poses, in the world. */
function apart(project: Project, a: Pose, b: ReturnType<typeof worldOf>) {
  const { rig } = project;
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, a, new Float64Array(16 * n));
  const turns = globalOrientations(rig, a, new Float64Array(4 * n));
  let distance = 0;
  let angle = 0;
  for (let j = 0; j < n; j++) {
    const p = matrices.subarray(16 * j + 12, 16 * j + 15);
    distance = Math.max(distance, Math.hypot(...b.positions[j].map((value, k) => value - p[k])));
    angle = Math.max(angle, (angleBetween(turns, 4 * j, b.orientations[j], 0) * 180) / Math.PI);
  }
  const number = Math.max(0, ...b.faces.map((value, f) => Math.abs(value - a.faces[f])));
  return { distance: Math.max(distance / rigHeight(rig), number), angle };
}

describe('the engine', () => {
  it.each([
    ['in 64 bits', true],
    ['with the kernel', false],
  ])('agrees with the plain evaluator on every feature, %s', (_, plain) => {
    fc.assert(
      fc.property(anyProject, frames, (project, frame) => {
        const { distance, angle } = apart(
          project,
          poseAt(project, frame, plain),
          worldOf(project.rig, evaluateReference(project, frame)),
        );
        // Scales multiply lengths down the chain, and errors with them.
        expect(distance).toBeLessThan(1e-5);
        expect(angle).toBeLessThan(0.005);
      }),
      { numRuns: 1000 },
    );
  });

  it('is the same while shares and changes are measured, and shares sum to 1', () => {
    fc.assert(
      fc.property(anyProject, frames, (project, frame) => {
        const n = memberCount(project.rig);
        const shown = newAttribution(project.layers.length, project.rig);
        const pose = restPose(project.rig);
        evaluateStack(compileStack(project), frame, pose, shown);
        for (let j = 0; j < n; j++) {
          let sum = 0;
          for (let row = 0; row <= project.layers.length; row++) sum += shown.shares[row * n + j];
          expect(sum).toBeCloseTo(1, 12);
        }
        const plain = poseAt(project, frame);
        for (let i = 0; i < pose.rotations.length; i += 4)
          expect(angleBetween(pose.rotations, i, plain.rotations, i)).toBeLessThan(2e-6);
      }),
      { numRuns: 300 },
    );
  });

  it('moves two characters in one scene as each moves alone, and a prop beside them', () => {
    const called = (rig: Rig): Rig => ({
      joints: rig.joints.map((joint) => ({ ...joint, name: `Other ${joint.name}` })),
    });
    fc.assert(
      fc.property(anyProject, fc.integer({ min: 1, max: 50 }), frames, (drawn, seed, frame) => {
        const second = called(anyRig(seed));
        const nod = newLayer('Nod', 'additive', {
          content: keyed({
            'Other/Head': { rx: { keys: [newKey(0, 10), newKey(20, -30)] } },
            'Other/Hips': { tx: { keys: [newKey(0, 0), newKey(20, 2)] } },
          }),
        });
        const cart: Prop = { name: 'Cart', shape: 'box', size: [1, 1, 1], at: [1, 2, 3], turn: [0, 0, 0] };
        const scene = {
          characters: [...drawn.scene.characters, { name: 'Other', rig: second }],
          props: [cart],
        };
        const rig = rigOfScene(scene);
        const own = drawn.rig.joints.length;
        const parts = [
          ...drawn.parts.slice(0, own),
          ...second.joints.map(() => 'second'),
          'Cart',
          ...drawn.parts.slice(own),
        ];
        const both: Project = { ...drawn, scene, rig, parts, layers: [...drawn.layers, nod] };
        const alone: Project = {
          ...drawn,
          scene: sceneOf(second),
          rig: second,
          parts: second.joints.map(() => 'second'),
          takes: [],
          layers: [newLayer('Base', 'override'), nod],
        };
        // A solo below mutes the nod.
        const counts = liveLayers(both.layers, both.groups).at(-1);
        const [pose, first, other] = [
          both,
          drawn,
          counts ? alone : { ...alone, layers: [baseOf(alone)] },
        ].map((project) => poseAt(project, frame, true));
        const n = drawn.rig.joints.length;
        const owners = [...topologyOf(rig).owners];
        expect([...pose.faces]).toEqual([...first.faces]);
        expect(owners).toEqual([...drawn.rig.joints.map(() => 0), ...second.joints.map(() => 1), -1]);
        const near = (a: Float64Array, b: Float64Array) => {
          for (const [k, value] of b.entries()) expect(a[k]).toBeCloseTo(value, 9);
        };
        near(pose.translations, first.translations);
        near(pose.rotations, first.rotations);
        near(pose.translations.subarray(3 * n), other.translations);
        near(pose.rotations.subarray(4 * n), other.rotations);
        expect([...pose.translations.subarray(-3)]).toEqual([1, 2, 3]);
      }),
      { numRuns: 150 },
    );
  });

  it('shares what does not hang on where props rest, and each stack has its own rests', () => {
    const at = fc.tuple(
      fc.integer({ min: -3, max: 3 }),
      fc.integer({ min: -3, max: 3 }),
      fc.integer({ min: -3, max: 3 }),
    );
    fc.assert(
      fc.property(anyProject, at, at, frames, (drawn, first, second, frame) => {
        const prop = (name: string, place: readonly [number, number, number]): Prop => ({
          name,
          shape: 'box',
          size: [1, 1, 1],
          at: place,
          turn: [0, 30 * place[0], 0],
        });
        const cart = { tx: { keys: [newKey(0, 1), newKey(20, 3)] }, ry: { keys: [newKey(5, 40)] } };
        const scene = addProp(addProp(drawn, prop('Cart', first)), prop('Lamp', [1, 2, 3]));
        const project: Project = {
          ...scene,
          layers: [...scene.layers, newLayer('Cart', 'additive', { content: keyed({ Cart: cart }) })],
        };
        const moved = changeProp(project, 'Cart', { at: second, turn: [0, 10, 5] });
        const poseOf = (stack: CompiledStack) => {
          const pose = restPose(stack.rig);
          evaluateStack(stack, frame, pose);
          return [...pose.translations, ...pose.rotations, ...pose.scales];
        };
        const stack = compileStack(project);
        const after = compileStack(moved, stack);
        expect(topologyOf(moved.rig)).toBe(topologyOf(project.rig));
        const before = poseOf(compileStack(project));
        // By turns, so that the one would find what the other has left behind.
        expect(poseOf(after)).toEqual(poseOf(compileStack(moved)));
        expect(poseOf(stack)).toEqual(before);
        expect(
          poseOf(compileStack(changeProp(moved, 'Cart', { at: first, turn: [0, 30 * first[0], 0] }), after)),
        ).toEqual(before);
      }),
      { numRuns: 150 },
    );
  });

  it('leaves every joint exactly as it was where a layer weighs 0', () => {
    fc.assert(
      fc.property(
        anyProject.chain((project) =>
          anyLayer(project.rig, project.parts, project.takes).map((layer) => ({ project, layer })),
        ),
        frames,
        fc.constantFrom<object>({ weight: 0 }, { muted: true }, { span: { start: 1000 } }, { mask: {} }),
        ({ project, layer }, frame, off) => {
          const more = { ...project, layers: [...project.layers, { ...layer, solo: false, ...off }] };
          expect(poseAt(more, frame)).toEqual(poseAt(project, frame));
        },
      ),
      { numRuns: 300 },
    );
  });

  it('an override layer at 1 with the base’s take is the base; an additive take that stands still is nothing', () => {
    const rig = rigOfSize(30);
    const base = takeOfSize(rig, 40, 1);
    const moving = { ...takeOfSize(rig, 40, 2), id: 'still' };
    const first = (values: Float64Array, size: number) => {
      const row = values.length / moving.count;
      return values.map((_, i) => values[i % row] + 0 * size);
    };
    const still = {
      ...moving,
      rotations: { ...moving.rotations, values: first(moving.rotations.values, 4) },
      translations: { ...moving.translations, values: first(moving.translations.values, 3) },
    };
    fc.assert(
      fc.property(frames, fc.double({ min: 0, max: 2, noNaN: true }), (frame, weight) => {
        const project = takeStack(base, [], 'override', 1);
        const same = takeStack(base, [{ ...base, id: 'copy' }], 'override', 1);
        const stands = takeStack(base, [still], 'additive', weight);
        const wanted = poseAt(project, frame);
        for (const shown of [poseAt(same, frame), poseAt(stands, frame)]) {
          for (let j = 0; j < 30; j++)
            expect(angleBetween(shown.rotations, 4 * j, wanted.rotations, 4 * j)).toBeLessThan(1e-6);
          for (const [i, value] of wanted.translations.entries())
            expect(shown.translations[i]).toBeCloseTo(value, 12);
        }
      }),
    );
  });

  it('a repeat is periodic, and a travel moves on by its gain', () => {
    const keys = (...values: [number, number][]) => ({ keys: values.map(([f, v]) => newKey(f, v)) });
    const rig = rigOfSize(4);
    const project = takeStack(takeOfSize(rig, 40, 1), [], 'override', 1);
    const layer = (loop: 'repeat' | 'travel') =>
      newLayer('Loop', 'additive', {
        time: { offset: 1.5, speed: 1, loop },
        content: keyed({
          joint0: { tz: keys([0, 0], [8, 3], [16, 5]), ry: keys([0, 0], [5, 40], [16, 0]) },
          joint2: { rx: keys([3, 10], [9, -20]) },
        }),
      });
    const shown = (loop: 'repeat' | 'travel', frame: number) => {
      const alone = { ...project, layers: [{ ...project.layers[0], weight: 0 }, layer(loop)] };
      return poseAt(alone, frame);
    };
    fc.assert(
      fc.property(
        fc.double({ min: -40, max: 40, noNaN: true }),
        fc.integer({ min: -3, max: 3 }),
        (frame, n) => {
          const a = shown('repeat', frame);
          const b = shown('repeat', frame + 16 * n);
          const c = shown('travel', frame);
          const d = shown('travel', frame + 16 * n);
          // On the seam itself rounding decides which end is read.
          fc.pre(Math.abs((((frame - 1.5) % 16) + 16) % 16) > 1e-4);
          for (let i = 0; i < a.rotations.length; i += 4)
            expect(angleBetween(a.rotations, i, b.rotations, i)).toBeLessThan(1e-7);
          expect(b.translations[2]).toBeCloseTo(a.translations[2], 7);
          expect(d.translations[2] - c.translations[2]).toBeCloseTo(5 * n, 7);
        },
      ),
    );
  });

  it('divides by no scale of 0, and ends whatever scales a file holds', () => {
    const rig = rigOfSize(4);
    for (const [reference, sample] of [
      [0, 1],
      [0, 0],
      [1e-300, 1e300],
      [1, -3],
    ]) {
      const flat: Take = {
        ...takeOfSize(rig, 2, 1),
        id: 'flat',
        scales: {
          joints: Int32Array.of(1),
          size: 3,
          values: Float64Array.of(reference, reference, reference, sample, sample, sample),
        },
      };
      const project = takeStack(takeOfSize(rig, 40, 1), [flat], 'additive', 1.5);
      const { scales } = poseAt(project, 1);
      const expected = Math.max(1e-6, Math.max(1e-6, sample / Math.max(1e-6, reference)) ** 1.5);
      expect(scales[3]).not.toBeNaN();
      if (expected < 1e300) expect(scales[3] / expected).toBeCloseTo(1, 9);
    }
  });
});
