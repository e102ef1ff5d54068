import fc from 'fast-check';
import { validateBytes } from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { bakeBlock, planBake } from '../src/bake/index.js';
import { addCharacter, addProp, hangAsRope, standCharacter } from '../src/edit/index.js';
import { readCharacter, readProject, ropeFile, writeGlb, writeProject } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Prop,
  restPose,
  targetRefusal,
  withTargets,
} from '../src/index.js';
import { hangingChain } from '../src/math/index.js';
import { compiledLimbs, jointIndex, type Placed, placePose } from '../src/rig/index.js';

const LINKS = 28;
let wick: Project;
let rope: Awaited<ReturnType<typeof readCharacter>>;
const ropeOf = async (kind: 'rope' | 'chain', links = LINKS) =>
  readCharacter('Rope.glb', ropeFile({ kind, length: 2, thickness: 0.03, links, across: 1.2, up: 0.1 }));

const peg = (name: string, at: Prop['at']): Prop => ({
  name,
  shape: 'ball',
  size: [0.1, 0.1, 0.1],
  at,
  turn: [0, 0, 0],
});

beforeAll(async () => {
  wick = await lampLighting(new Uint8Array());
  wick = { ...wick, scene: { ...wick.scene, characters: [{ name: 'Wick', rig: WICK }] } };
  rope = await ropeOf('rope');
});

/** A scene with a rope that is tied at both ends. */
function tied(from: string, to: string, base = wick): Project {
  const { rig, figure, takes } = rope;
  const { project, character } = addCharacter(base, { name: 'Rope', rig, figure, takes, metresPerUnit: 1 });
  return hangAsRope(project, character, { from, to }).project;
}

function seen(project: Project, frame: number): Placed {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return placePose(project.rig, pose);
}

const at = ({ rig, matrices }: Placed, joint: string): [number, number, number] => {
  const o = 16 * jointIndex(rig, joint) + 12;
  return [matrices[o], matrices[o + 1], matrices[o + 2]];
};
const apart = (a: readonly number[], b: readonly number[]) =>
  Math.hypot(...a.map((value, k) => value - b[k]));
const JOINTS = [...Array.from({ length: LINKS }, (_, k) => `Rope/Link${k + 1}`), 'Rope/End'];
const lengthOf = (placed: Placed, k: number) => apart(at(placed, JOINTS[k]), at(placed, JOINTS[k + 1]));

/**
 * The catenary of a length between two points, by bisection of `a` in `√(L² - up²) = 2a·sinh(across/(2a))`: gives the height above
 * the start at a place across.
 */
function catenary(length: number, across: number, up: number): (x: number) => number {
  let [low, high] = [1e-3 * across, 1e6 * across];
  for (let k = 0; k < 200; k++) {
    const a = Math.sqrt(low * high);
    if (2 * a * Math.sinh(across / (2 * a)) > Math.sqrt(length ** 2 - up ** 2)) low = a;
    else high = a;
  }
  const lowest = across / 2 - low * Math.asinh(up / (2 * low * Math.sinh(across / (2 * low))));
  return (x) => low * (Math.cosh((x - lowest) / low) - Math.cosh(lowest / low));
}

describe('a rope', () => {
  it('hangs between two props as y = a·cosh(x/a), its links as long as they were', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.15, max: 0.97, noNaN: true }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 6.2, noNaN: true }),
        fc.constantFrom(1, 0.01, 30),
        (far, slope, heading, scale) => {
          const length = 2 * scale;
          const [across, up] = [far * Math.cos(slope), far * Math.sin(slope)].map((value) => value * length);
          const end: Prop['at'] = [across * Math.cos(heading), 1 + up, across * Math.sin(heading)];
          const pegs = addProp(addProp(wick, peg('A', [0, 1, 0])), peg('B', end));
          const placed = seen(standCharacter(tied('A', 'B', pegs), 1, { heading: 77, scale }), 3);
          expect(apart(at(placed, JOINTS[0]), [0, 1, 0])).toBeLessThan(1e-9 * length);
          expect(apart(at(placed, 'Rope/End'), end)).toBeLessThan(1e-9 * length);
          const curve = catenary(length, across, up);
          for (let k = 0; k < LINKS; k++) {
            expect(Math.abs(lengthOf(placed, k) / (length / LINKS) - 1)).toBeLessThan(1e-6);
            const [x, y, z] = at(placed, JOINTS[k]);
            const along = x * Math.cos(heading) + z * Math.sin(heading);
            expect(Math.hypot(x - along * Math.cos(heading), z - along * Math.sin(heading))).toBeLessThan(
              1e-6 * length,
            );
            // Its links are straight: the catenary of the length is met as they become short (see below).
            if (far * Math.cos(slope) > 0.2)
              expect(Math.abs(y - 1 - curve(along))).toBeLessThan(0.003 * length);
          }
        },
      ),
      { numRuns: 60, endOnFailure: true },
    );
  });

  it('comes to the catenary with the square of its links, and meets both ends wherever they are', () => {
    const far = (links: number) => {
      const ways = new Float64Array(2 * links);
      hangingChain(new Float64Array(links).fill(1 / links), 0.5, 0.2, ways);
      const curve = catenary(1, 0.5, 0.2);
      let [x, y, most] = [0, 0, 0];
      for (let k = 0; k < links; k++) {
        x += ways[2 * k] / links;
        y += ways[2 * k + 1] / links;
        most = Math.max(most, Math.abs(y - curve(x)));
      }
      return most;
    };
    expect(far(20) / far(40)).toBeGreaterThan(3.5);
    expect(far(160)).toBeLessThan(2e-5);
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.3, max: 1, noNaN: true }), { minLength: 8, maxLength: 40 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.double({ min: -1.5708, max: 1.5708, noNaN: true }),
        (links, part, slope) => {
          const lengths = Float64Array.from(links);
          const whole = lengths.reduce((a, b) => a + b);
          const ways = new Float64Array(2 * lengths.length);
          const [across, up] = [part * whole * Math.max(0, Math.cos(slope)), part * whole * Math.sin(slope)];
          hangingChain(lengths, across, up, ways);
          const sum = (axis: number) => lengths.reduce((total, l, k) => total + l * ways[2 * k + axis], 0);
          expect(Math.hypot(sum(0) - across, sum(1) - up)).toBeLessThan(1e-8 * whole);
          for (let k = 0; k < lengths.length; k++)
            expect(Math.abs(Math.hypot(ways[2 * k], ways[2 * k + 1]) - 1)).toBeLessThan(1e-9);
        },
      ),
      { numRuns: 400, endOnFailure: true },
    );
  });

  it('goes between two hands in every order of frames, is straight where it is too short, and never jumps as it comes', () => {
    const held = tied('LeftHand', 'RightHand');
    const frames = [0, 12, 12.5, 60, 33];
    const placed = frames.map((frame) => seen(held, frame));
    for (const one of placed) {
      expect(apart(at(one, 'Rope/End'), at(one, 'RightHand'))).toBeLessThan(1e-6);
      for (let k = 0; k < LINKS; k++) expect(Math.abs(lengthOf(one, k) / (2 / LINKS) - 1)).toBeLessThan(1e-6);
    }
    const compiled = compileStack(held);
    for (const k of [3, 0, 4, 2, 1]) {
      const pose = restPose(held.rig);
      evaluateStack(compiled, frames[k], pose);
      expect(pose.rotations).toEqual(placed[k].pose.rotations);
    }
    const wide = addProp(addProp(wick, peg('A', [0, 1, 0])), peg('B', [3, 1, 0]));
    const tight = seen(tied('A', 'B', wide), 0);
    expect(apart(at(tight, 'Rope/End'), [2, 1, 0])).toBeLessThan(1e-6);
    // A second layer takes the end over to another peg.
    const three = addProp(
      addProp(addProp(wick, peg('A', [0, 2, 0])), peg('B', [1, 2, 0])),
      peg('C', [0.2, 2.5, 1]),
    );
    const taken = withTargets(
      newLayer('Over', 'override', { weight: { keys: [newKey(0, 0), newKey(40, 1)] } }),
      [newTarget('Rope/End', { space: 'C' })],
    );
    const passed = tied('A', 'B', three);
    const over = { ...passed, layers: [...passed.layers, taken] };
    const steps = Array.from({ length: 161 }, (_, k) => seen(over, k / 4));
    const moves = steps
      .slice(1)
      .map((one, k) => Math.max(...JOINTS.map((joint) => apart(at(one, joint), at(steps[k], joint)))));
    expect(Math.max(...moves)).toBeLessThan(0.05);
    // From a keyed pose that hangs nowhere, by a weight that comes slowly.
    const stiff = newLayer('Stiff', 'override', {
      content: keyed({ 'Rope/Link4': { rz: { keys: [newKey(0, 70)] } } }),
    });
    const last = passed.layers.length - 1;
    const faded = { ...passed.layers[last], weight: { keys: [newKey(0, 0), newKey(400, 1)] } };
    const coming = { ...passed, layers: [...passed.layers.slice(0, last), stiff, faded] };
    const slow = Array.from({ length: 400 }, (_, k) => seen(coming, k / 4));
    for (let k = 1; k < slow.length; k++)
      expect(
        Math.max(...JOINTS.map((joint) => apart(at(slow[k], joint), at(slow[k - 1], joint)))),
      ).toBeLessThan(0.08);
  });

  it('is a file without faults, stays a rope in a project file, and refuses what it cannot do', async () => {
    for (const kind of ['rope', 'chain'] as const) {
      const { issues } = await validateBytes(
        ropeFile({ kind, length: 2, thickness: 0.03, links: 12, across: 1, up: 0 }),
      );
      expect([issues.numErrors, issues.numWarnings]).toEqual([0, 0]);
    }
    const plan = planBake(wick, { range: [0, 0] });
    const bytes = writeGlb(WICK, bakeBlock(compileStack(wick), plan, 0, 1), {
      name: 'rest',
      metresPerUnit: 1,
    });
    const named = { name: 'Wick', rig: WICK, figure: { id: 'w', bytes } };
    const held = tied('LeftHand', 'RightHand', { ...wick, scene: { ...wick.scene, characters: [named] } });
    const { project: back } = await readProject(writeProject(held), 'rope.evlay');
    expect(back.limbs['Rope/rope']).toEqual(held.limbs['Rope/rope']);
    const refusal = (joint: string, more: object = {}) =>
      targetRefusal(held.rig, compiledLimbs(held.rig, held.limbs), { joint, ...more }, 'override')?.reason;
    expect(refusal('Rope/Start', { space: 'Hips' })).toBeUndefined();
    expect(refusal('Rope/Link5')).toMatch(/within the limb/);
    expect(refusal('Rope/End', { space: 'Rope/Link3' })).toMatch(/hangs on/);
    expect(refusal('Rope/End', { toward: { tx: 0, ty: 0, tz: 0 } })).toMatch(/hangs/);
  });
});
