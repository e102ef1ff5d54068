import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { random } from '../bench/subject.js';
import { findingSteps, spansIn } from '../src/check/index.js';
import {
  addWalk,
  keepContacts,
  keepingRefusal,
  projectFromCharacter,
  projectFromTake,
  putWalk,
  walkAtEase,
} from '../src/edit/index.js';
import { motionBelow } from '../src/evaluate/motion-below.js';
import { readTake } from '../src/format/index.js';
import { contactsOf, finished, keyed, newKey, newLayer, type Project, type Rig } from '../src/index.js';
import { eventsOf } from '../src/kit/index.js';
import { findContacts } from '../src/make/index.js';
import { LEG_PHASES } from '../src/motion/index.js';
import { rigHeight } from '../src/rig/index.js';
import { captureBytes } from './capture.js';

const alone = (rig: Rig, fps: number, seconds: number): Project => ({
  ...projectFromCharacter({ name: 'x', rig, figure: { id: 'x', bytes: new Uint8Array() }, takes: [] }),
  fps,
  range: [0, seconds * fps],
});

describe('events of a motion', () => {
  it('are where feet come down and leave the floor: nine of ten within two frames, none invented, with noise of 5 mm', () => {
    const next = random(11);
    for (const rig of [WICK, BRINDLE])
      for (const fps of [24, 60, 120])
        for (const noise of [0, 0.005]) {
          const plain = alone(rig, fps, 5);
          const ease = walkAtEase(plain)!.walk;
          const walk = {
            ...ease,
            speed: ease.speed * (0.8 + 0.4 * next()),
            cadence: ease.cadence * (0.85 + 0.3 * next()),
            stance: ease.stance + 0.06 * (next() - 0.5),
            bounce: ease.bounce * (0.7 + 0.6 * next()),
          };
          const project = putWalk(addWalk(plain, plain.layers[0].id)!.project, plain.layers[0].id, walk);
          const motion = motionBelow(project);
          // The whole body shakes: a capture's noise at every sample.
          const { values } = motion.translations;
          for (let s = 0; s < motion.count; s++)
            for (let axis = 0; axis < 3; axis++)
              values[3 * rig.joints.length * s + axis] += 2 * noise * (next() - 0.5);
          // When feet are on the floor by the numbers that the walk was made of.
          const cycle = (120 / walk.cadence) * fps;
          const known = Object.entries(LEG_PHASES).flatMap(([leg, behind]) => {
            const limb = `${leg}Leg`;
            if (!project.parts.some((part) => part === limb)) return [];
            return Array.from({ length: 12 }, (_, k) => [
              { limb, what: 0, frame: (k - 1 + behind) * cycle },
              { limb, what: 1, frame: (k - 1 + behind + walk.stance) * cycle },
            ])
              .flat()
              .filter(({ frame }) => frame > 0.3 * fps && frame < 4.7 * fps);
          });
          expect(known.length).toBeGreaterThan(10);
          const found = [...spansIn(project, motion)].flatMap(([{ name: limb }, spans]) =>
            spans.flatMap(([from, to]) => [
              { limb, what: 0, frame: from },
              { limb, what: 1, frame: to },
            ]),
          );
          const near = (a: (typeof known)[number], b: (typeof known)[number], frames: number) =>
            a.limb === b.limb && a.what === b.what && Math.abs(a.frame - b.frame) <= frames;
          // Two frames of 30 a second, and at a lower rate two of its own.
          const frames = Math.max(2, (2 * fps) / 30);
          const met = known.filter((one) => found.some((other) => near(one, other, frames)));
          expect(met.length / known.length).toBeGreaterThanOrEqual(0.9);
          const inside = found.filter(({ frame }) => frame > 0.5 * fps && frame < 4.5 * fps);
          const invented = inside.filter((one) => !known.some((other) => near(one, other, 0.12 * fps)));
          expect(invented).toEqual([]);
        }
  });

  it('are of a keyed base that nobody has looked at, and of what lies below a layer', () => {
    const plain = alone(WICK, 30, 4);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    // Plain keys without the numbers that made them.
    const { applied: _, ...base } = walking.layers[0];
    const cycle = (120 / walkAtEase(plain)!.walk.cadence) * 30;
    const project: Project = {
      ...walking,
      layers: [
        base,
        newLayer('Lifted', 'additive', { content: keyed({ Hips: { ty: { keys: [newKey(0, 0.5)] } } }) }),
      ],
      marks: [{ id: 'm', name: 'lamp', frame: 40.5 }],
    };
    const below = eventsOf(project, 1);
    expect(below[0]).toEqual({ name: 'start', frame: 0 });
    expect(below.at(-1)).toEqual({ name: 'end', frame: 120 });
    expect(below).toContainEqual({ name: 'lamp', frame: 40.5 });
    const strikes = below.filter(({ name }) => name === 'leftLeg down').map(({ frame }) => frame);
    for (const [k, frame] of strikes.entries()) expect(Math.abs(frame - (k + 1) * cycle)).toBeLessThan(2);
    expect(strikes).toHaveLength(3);
    expect(below.map(({ frame }) => frame)).toEqual(
      [...below.map(({ frame }) => frame)].sort((a, b) => a - b),
    );
  });

  it('let feet of a keyed base be held, and tell that a keyed hips layer slides them', () => {
    const plain = alone(WICK, 30, 4);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    const { applied: _, ...base } = walking.layers[0];
    const keysOnly: Project = { ...walking, layers: [base] };
    const slides = (project: Project) =>
      finished(findingSteps(project)).filter(({ kind }) => kind === 'slide');
    expect(slides(keysOnly)).toEqual([]);
    const sway = keyed({
      Hips: { tx: { keys: [newKey(0, 0), newKey(15, 0.04), newKey(30, -0.04), newKey(60, 0.05)] } },
    });
    const swaying = { ...keysOnly, layers: [base, newLayer('Sway', 'additive', { content: sway })] };
    expect(slides(swaying).length).toBeGreaterThan(1);
    const kept = keepContacts(swaying)!.project;
    expect(slides(kept)).toEqual([]);
    expect(Object.keys(contactsOf(kept.layers.at(-1)!)!.limbs).sort()).toEqual(['leftLeg', 'rightLeg']);
    expect(keepingRefusal(alone(WICK, 30, 4))).toMatch(/nothing stands/);
  });

  it('have an apex in each jump, where the root is highest', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const metresPerUnit = 1.7 / rigHeight(take.rig);
    const project = {
      ...projectFromTake({ ...take, contacts: findContacts(take, metresPerUnit) }),
      metresPerUnit,
    };
    const events = eventsOf(project);
    const heights = Array.from({ length: take.count }, (_, s) => take.translations.values[3 * s + 1]);
    const apexes = events.filter(({ name }) => name === 'apex');
    // The subject jumps about ten times.
    expect(apexes.length).toBeGreaterThan(5);
    for (const { frame } of apexes) {
      const s = Math.round(frame);
      for (let k = -6; k <= 6; k++) expect(heights[s]).toBeGreaterThanOrEqual(heights[s + k] - 1e-9);
      // Nothing stands there.
      const stands = take.contacts ?? findContacts(take, metresPerUnit);
      expect(stands.spans.some(({ from, to }) => from < frame && frame < to)).toBe(false);
    }
  });
});
