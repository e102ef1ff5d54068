import { describe, expect, it } from 'vitest';
import { easeContacts, keepContacts, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  compileStack,
  contactsOf,
  evaluateStack,
  finished,
  keyed,
  layerById,
  newKey,
  newLayer,
  type Project,
  restPose,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { captureBytes } from './capture.js';

const METRES = 0.0564;
const LEGS = ['LeftLeg', 'LeftFoot', 'LeftToeBase', 'RightLeg', 'RightFoot', 'RightToeBase'];

/** Part of the capture, walking, under a layer that swings the hips and lowers them by some centimetres. */
function swinging(rate: number, sideways: number): Project {
  const { take } = readTake('01_01.bvh', captureBytes());
  const known = { ...take, contacts: findContacts(take, METRES) };
  const key = (frame: number, value: number) => newKey((frame * rate) / 120, value / METRES);
  const swing = newLayer('Swing', 'additive', {
    content: keyed({
      Hips: {
        tx: { keys: [0, 70, 140, 230, 300, 390].map((f, k) => key(f, k % 2 === 0 ? sideways : -sideways)) },
        ty: { keys: [key(0, 0), key(200, -0.04), key(390, 0)] },
      },
    }),
  });
  const plain = { ...projectFromTake(known), metresPerUnit: METRES, fps: rate };
  return { ...plain, range: [0, (400 * rate) / 120], layers: [...plain.layers, swing] };
}

/** Accelerations of the joints of the legs by frame, in m/s², by plain differences of where they are. */
function accelerations(project: Project): number[][] {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  const matrices = new Float64Array(16 * project.rig.joints.length);
  const places = Array.from({ length: project.range[1] + 1 }, (_, frame) => {
    evaluateStack(stack, frame, pose);
    globalMatrices(project.rig, pose, matrices);
    return LEGS.map((name) => {
      const j = project.rig.joints.findIndex((joint) => joint.name === name);
      return [...matrices.subarray(16 * j + 12, 16 * j + 15)];
    });
  });
  return LEGS.map((_, l) =>
    places.map((row, f) => {
      if (f === 0 || f + 1 === places.length) return 0;
      const [a, b] = [places[f - 1][l], places[f + 1][l]];
      return Math.hypot(...row[l].map((v, c) => a[c] - 2 * v + b[c])) * project.fps ** 2 * METRES;
    }),
  );
}

/** How much faster than without contacts the legs are where these come and go, at most: 1 is a quarter more, or 8 m/s². */
function worst(project: Project, kept: Project, id: string): number {
  const [without, seen] = [accelerations(project), accelerations(kept)];
  const { fade, limbs } = contactsOf(layerById(kept, id)!)!;
  const near = Math.ceil(0.2 * project.fps);
  let most = 0;
  for (const [name, { spans }] of Object.entries(limbs))
    for (const [from, to] of spans)
      for (const [a, b] of [
        [from - fade, from],
        [to, to + fade],
      ])
        for (const [l, leg] of LEGS.entries()) {
          if (!leg.toLowerCase().startsWith(name.replace('Leg', ''))) continue;
          const part = (all: number[][], more: number) =>
            Math.max(0, ...all[l].slice(Math.max(0, Math.floor(a - more)), Math.ceil(b + more) + 1));
          most = Math.max(most, part(seen, 0) / Math.max(8, 1.25 * part(without, near)));
        }
  return most;
}

describe('contacts that are kept', () => {
  it.each([
    [30, 0.03],
    [60, 0.05],
    [120, 0.03],
  ])(
    'come and go so that nothing is faster by more than a quarter, at %i a second with hips %d m aside',
    (rate, aside) => {
      const project = swinging(rate, aside);
      const { project: kept, id } = keepContacts(project)!;
      const eased = finished(easeContacts(kept, id));
      const [before, after] = [worst(project, kept, id), worst(project, eased, id)];
      expect(before).toBeGreaterThan(1.2);
      expect(after).toBeLessThan(1.01);
      // What stands, stands nearly as long.
      const length = (p: Project) =>
        Object.values(contactsOf(layerById(p, id)!)!.limbs)
          .flatMap(({ spans }) => spans)
          .reduce((sum, [from, to]) => sum + to - from, 0);
      expect(length(eased)).toBeGreaterThan(0.8 * length(kept));
      // Once more changes nothing.
      expect(finished(easeContacts(eased, id))).toBe(eased);
    },
  );
});
