import {
  type Curve,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newLayer,
  type Project,
  playing,
  sceneOf,
  type Take,
} from '@evlay/core';
import { bvhText, readTake } from '@evlay/core/format';
import { findParts } from '@evlay/core/rig';
import type { Samples } from '@evlay/core/take';
import { curve } from '../curve.js';
import { beatLoop, FAST, FPS, FRAMES, glide, SLOW } from './flight.js';
import { SKERRY } from './skeleton.js';

const takeOf = (name: string, samples: Samples): Take =>
  readTake(`${name}.bvh`, new TextEncoder().encode(bvhText(SKERRY, samples))).take;

/** Wings that beat are added to the glide, round after round. */
const beats = (id: string, name: string, color: string, take: Take, weight: Curve): Layer =>
  newLayer(name, 'additive', {
    id,
    color,
    weight,
    content: playing(take.id, 'rest'),
    time: { offset: 0, speed: 1, loop: 'repeat' },
  });

/** She leans into a curve: the body rolls, the tail steers, neck and head stay level. */
const bank = (): Layer =>
  newLayer('Bank', 'additive', {
    id: 'bank',
    color: '#CC79A7',
    weight: curve([78, 0], [96, 1], [120, 1], [144, 0]),
    content: keyed({
      Hips: { rz: curve([78, -34]), ry: curve([78, 0], [110, 14], [150, 20]) },
      Neck1: { rz: curve([78, 12]) },
      Neck2: { rz: curve([78, 10]), ry: curve([78, 10]) },
      Head: { rz: curve([78, 8]), ry: curve([78, 8]) },
      Tail1: { rz: curve([78, -10]) },
      Tail2: { rz: curve([78, -14]) },
      LeftWing1: { rz: curve([78, 5]) },
      RightWing1: { rz: curve([78, 8]) },
    }),
  });

/** The project "Gull over the quay": she rows along, climbs, then hangs in the wind and leans into a curve. */
export function gullFlight(figure: Uint8Array): Project {
  const [glides, slow, fast] = [
    takeOf('gull-glide', glide()),
    takeOf('gull-slow-flap', beatLoop(SLOW)),
    takeOf('gull-fast-flap', beatLoop(FAST)),
  ];
  return {
    name: 'Gull over the quay',
    fps: FPS,
    range: [0, FRAMES - 1],
    metresPerUnit: 1,
    place: 'harbour',
    scene: sceneOf(SKERRY, { id: 'skerry', bytes: figure }, 'Skerry'),
    rig: SKERRY,
    parts: findParts(SKERRY),
    takes: [glides, slow, fast],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [
      newLayer('Glide', 'override', { id: 'base', content: playing(glides.id) }),
      beats('slow-flap', 'Slow flap', '#009E73', slow, curve([0, 1], [34, 1], [48, 0])),
      beats('fast-flap', 'Fast flap', '#D55E00', fast, curve([34, 0], [46, 1], [64, 1], [80, 0])),
      bank(),
    ],
  };
}
