import {
  type Curve,
  finished,
  keyed,
  NOTHING_KEPT,
  newKey,
  newLayer,
  type Project,
  playing,
  sceneOf,
  type Take,
} from '@evlay/core';
import { easeContacts, keepContacts } from '@evlay/core/edit';
import { bvhText, readTake } from '@evlay/core/format';
import { findContacts } from '@evlay/core/make';
import { findParts } from '@evlay/core/rig';
import { FPS, type Gait, gaitLoop, TROT, WALK } from './gaits.js';
import { BRINDLE } from './skeleton.js';

/** Frames at which each leg begins to trot: chosen so that feet are in the air meanwhile, and land softly. */
const CHANGES: Record<string, number> = {
  rightHindLeg: 68,
  rightForeLeg: 78,
  leftForeLeg: 73,
  leftHindLeg: 58,
  hips: 72,
  torso: 72,
  tail: 74,
  neck: 74,
  head: 76,
  face: 76,
};
/** Frames over which a part changes, and the frame at which both gaits have come as far. */
const CHANGE = 10;
const MEETING = 73;

function loop(name: string, gait: Gait): Take {
  const bytes = new TextEncoder().encode(bvhText(BRINDLE, gaitLoop(gait)));
  const { take } = readTake(`${name}.bvh`, bytes);
  return { ...take, contacts: findContacts(take, 1) };
}

const change = (from: number): Curve => ({ keys: [newKey(from, 0), newKey(from + CHANGE, 1)] });

/** The project "Quay run": Brindle walks along the quay and breaks into a trot, leg by leg. */
export function quayRun(figure: Uint8Array): Project {
  const [walk, trot] = [loop('brindle-walk', WALK), loop('brindle-trot', TROT)];
  const parts = findParts(BRINDLE);
  const startOf = (part: string) => CHANGES[part] ?? CHANGES[part.replace('Foot', 'Leg')] ?? CHANGES.torso;
  const travelled = (gait: Gait, frame: number) => (gait.stride * frame) / gait.frames;
  const still = { tx: 0, ty: 0, rx: 0, ry: 0, rz: 0 };
  const time = { offset: 0, speed: 1, loop: 'travel' } as const;
  const run: Project = {
    name: 'Quay run',
    fps: FPS,
    range: [0, 150],
    metresPerUnit: 1,
    place: 'harbour',
    scene: sceneOf(BRINDLE, { id: 'brindle', bytes: figure }, 'Brindle'),
    rig: BRINDLE,
    parts,
    takes: [walk, trot],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [
      newLayer('Walk', 'override', { id: 'base', content: playing(walk.id), time }),
      newLayer('Trot', 'override', {
        id: 'trot',
        color: '#56B4E9',
        content: playing(trot.id),
        time,
        mask: Object.fromEntries([...new Set(parts)].map((part) => [part, change(startOf(part))])),
        placement: {
          pivot: [0, 0, 0],
          ...still,
          tz: travelled(WALK, MEETING) - travelled(TROT, MEETING),
        },
      }),
      newLayer('Sniff the ropes', 'additive', {
        id: 'sniff',
        color: '#009E73',
        span: { start: 14, end: 62, fadeIn: 14, fadeOut: 14 },
        content: keyed({
          // She turns down and to the ropes with neck and head; her feet are held where they stand.
          Hips: { tx: { keys: [newKey(14, 0), newKey(38, 0.025), newKey(62, 0)] } },
          Spine2: {
            ry: { keys: [newKey(14, 3), newKey(38, -4), newKey(62, 2)] },
          },
          Neck1: {
            rx: { keys: [newKey(0, 24)] },
            ry: { keys: [newKey(14, 8), newKey(38, -10), newKey(62, 4)] },
          },
          Neck2: { rx: { keys: [newKey(0, 20)] } },
          Head: {
            rx: { keys: [newKey(20, -4), newKey(34, 6), newKey(48, -4)] },
            ry: { keys: [newKey(14, 10), newKey(38, -14), newKey(62, 6)] },
          },
        }),
      }),
    ],
  };
  const kept = keepContacts(run);
  return kept ? finished(easeContacts(kept.project, kept.id)) : run;
}
