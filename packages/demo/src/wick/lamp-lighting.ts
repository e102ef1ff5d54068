import {
  channelsOf,
  compileStack,
  evaluateStack,
  type JointChannels,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newLayer,
  type Project,
  playing,
  restPose,
  sceneOf,
  type Take,
} from '@evlay/core';
import { takeUnit } from '@evlay/core/check';
import { bvhText, makeSamples, readTake, writtenTake } from '@evlay/core/format';
import { findContacts } from '@evlay/core/make';
import { mappingOf, matchRigs, rigSignature } from '@evlay/core/match';
import { quaternionToEuler } from '@evlay/core/math';
import { findParts } from '@evlay/core/rig';
import { curve } from '../curve.js';
import { suitCapture } from './capture.js';
import { idle, idleFace } from './idle.js';
import { wickPoses } from './poses.js';
import { WICK } from './skeleton.js';
import { FPS, FRAMES, hangLantern, walk } from './walk.js';

/** Curves for the three angles of a joint, in degrees at each of the frames. */
export function turns(
  frames: readonly number[],
  ...angles: readonly (readonly [number, number, number])[]
): JointChannels {
  const axis = (k: number) => curve(...frames.map((frame, i) => [frame, angles[i][k]] as const));
  return { rx: axis(0), ry: axis(1), rz: axis(2) };
}

const nod = (frames: readonly number[], ...values: readonly number[]): JointChannels => ({
  rx: curve(...frames.map((frame, i) => [frame, values[i]] as const)),
});

const layer = (id: string, name: string, color: string | undefined, more: Partial<Layer>): Layer =>
  newLayer(name, more.mode ?? 'additive', { id, color, ...more });

const LEAN = [0, 34, 62, 92, 120];
const LIFT = [16, 40, 58, 78, 104];
const GLANCE = [50, 62, 70, 84];

export const fist = (finger: string) =>
  Object.fromEntries([1, 2, 3].map((bone) => [`Right${finger}${bone}`, turns([40], [0, 0, 62 - 6 * bone])]));

/** A take of Wick with the contacts of his feet. */
export function takeFrom(name: string, bvh: string): Take {
  const { take } = readTake(`${name}.bvh`, new TextEncoder().encode(bvh));
  return { ...take, contacts: findContacts(take, takeUnit({ rig: WICK, metresPerUnit: 1 }, take)) };
}

/** Wick as he waits, with his face. */
function idleTake(): Take {
  const motion = { ...idle(), faces: idleFace(), rig: WICK };
  const take = writtenTake(motion, { name: 'idle', file: 'idle.glb', metresPerUnit: 1 });
  return { ...take, contacts: findContacts(take, takeUnit({ rig: WICK, metresPerUnit: 1 }, take)) };
}

/** The project "Lamp-lighting": Wick walks the quay, weary, and holds up his lantern. */
export async function lampLighting(figure: Uint8Array): Promise<Project> {
  const take = takeFrom('walk', bvhText(WICK, walk()));
  const waiting = idleTake();
  const suit = takeFrom('suit-walk', suitCapture());
  const mapping = mappingOf(suit.rig, WICK, matchRigs(suit.rig, WICK));
  const fitting = { id: 'suit-fitted', name: `${suit.name}, fitted`, made: { from: suit.id, mapping } };
  const made = await makeSamples(fitting, suit, { rig: WICK, metresPerUnit: 1 });
  const fitted: Take = { ...fitting, ...made };
  const base = layer('base', 'Walk', undefined, {
    mode: 'override',
    content: playing(take.id),
  });
  const lean = layer('weary-lean', 'Weary lean', '#009E73', {
    weight: 0.8,
    content: keyed({
      // Above the hips alone: the feet stay where they stand.
      Spine: nod(LEAN, 8, 11, 8, 11, 8),
      Chest: nod(LEAN, 7, 8, 7, 9, 7),
      UpperChest: nod(LEAN, 5, 7, 5, 7, 5),
      Neck: nod(LEAN, 5, 8, 5, 7, 5),
      Head: nod(LEAN, -8, -3, -8, -4, -8),
      LeftShoulder: turns([0], [0, 8, 6]),
      RightShoulder: turns([0], [0, -8, -6]),
    }),
  });
  const arm = layer('lantern-arm', 'Lantern arm', '#D55E00', {
    mode: 'override',
    weight: curve([14, 0], [38, 1], [82, 1], [108, 0]),
    mask: Object.fromEntries(
      findParts(WICK).map((part) => [part, part === 'rightArm' || part === 'rightHand' ? 1 : 0]),
    ),
    content: keyed({
      RightShoulder: turns([16], [0, 6, -8]),
      RightUpperArm: turns(
        LIFT,
        [-32, -22, 28],
        [-62, -34, 24],
        [-70, -38, 22],
        [-60, -28, 24],
        [-32, -22, 28],
      ),
      RightForearm: turns(LIFT, [-18, 20, 0], [-34, 42, 0], [-30, 36, 0], [-36, 44, 0], [-18, 20, 0]),
      RightHand: turns([16], [0, 0, 10]),
      ...fist('Index'),
      ...fist('Middle'),
      ...fist('Ring'),
      ...fist('Little'),
    }),
  });
  const glance = layer('glance', 'Glance at the gulls', '#F0E442', {
    span: { start: 44, end: 96, fadeIn: 12, fadeOut: 16 },
    mask: Object.fromEntries(
      findParts(WICK).map((part) => [part, part === 'head' || part === 'neck' ? 1 : 0]),
    ),
    content: keyed({
      Neck: turns(GLANCE, [-6, 14, -2], [-10, 22, -4], [-9, 18, -3], [-9, 20, -3]),
      Head: turns(GLANCE, [-8, 20, -3], [-15, 30, -7], [-11, 24, -4], [-14, 28, -6]),
    }),
  });
  const project: Project = {
    name: 'Lamp-lighting',
    fps: FPS,
    range: [0, FRAMES - 1],
    metresPerUnit: 1,
    place: 'harbour',
    scene: sceneOf(WICK, { id: 'wick', bytes: figure }, 'Wick'),
    rig: WICK,
    parts: findParts(WICK),
    takes: [take, waiting, suit, fitted],
    mappings: [{ source: rigSignature(suit.rig), joints: mapping }],
    ...NOTHING_KEPT,
    poses: wickPoses(),
    layers: [base, lean, arm, glance],
  };
  return { ...project, layers: project.layers.with(2, withHangingLantern(project, arm)) };
}

/** Keys the lantern on a layer so that it hangs down where the arm holds it, swaying a little. */
function withHangingLantern(project: Project, arm: Layer): Layer {
  const stack = compileStack(project);
  const pose = restPose(WICK);
  const frames = Array.from({ length: 9 }, (_, k) => 16 + 11 * k);
  const angles = frames.map((frame, k) => {
    evaluateStack(stack, frame, pose);
    const out = [0, 0, 0];
    quaternionToEuler(out, 0, 'XYZ', hangLantern(pose, k % 2 === 0 ? 6 : -5), 0);
    return out.map((angle) => Math.round((angle * 18000) / Math.PI) / 100) as [number, number, number];
  });
  return { ...arm, content: keyed({ ...channelsOf(arm), Lantern: turns(frames, ...angles) }) };
}
