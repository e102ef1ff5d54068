import {
  type Channels,
  type Curve,
  type Key,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Prop,
  playing,
  type Rig,
  rigOfScene,
  sceneOf,
} from '@evlay/core';
import { addTarget, keepContacts } from '@evlay/core/edit';
import { bvhText } from '@evlay/core/format';
import { findParts } from '@evlay/core/rig';
import type { Samples, Track } from '@evlay/core/take';
import { curve } from '../curve.js';
import { type Place, rigAt } from '../places.js';
import type { Solid } from '../solid.js';
import { SOLIDS } from './body.js';
import { FACES } from './face.js';
import { idle } from './idle.js';
import { fist, takeFrom } from './lamp-lighting.js';
import { PLACES, WICK } from './skeleton.js';
import { FPS } from './walk.js';

/** Wick with empty hands: his lantern is a prop. */
export const BARE_PLACES: readonly Place[] = PLACES.filter(({ name }) => name !== 'Lantern');
export const BARE_SOLIDS: readonly Solid[] = SOLIDS.filter(({ bones }) => !bones.includes('Lantern'));
export const BARE: Rig = { ...rigAt(BARE_PLACES), faces: FACES };

/** A motion of Wick without the lantern that he has in his hand there. */
function bare(samples: Samples): Samples {
  const n = WICK.joints.length;
  const left = WICK.joints.findIndex(({ name }) => name === 'Lantern');
  const track = ({ size, values }: Track): Track => ({
    size,
    joints: Int32Array.from(BARE.joints.keys()),
    values: values.filter((_, i) => Math.floor(i / size) % n !== left),
  });
  const { translations, rotations, scales } = samples;
  return {
    ...samples,
    translations: track(translations),
    rotations: track(rotations),
    scales: track(scales),
  };
}

/** Frames at which the hand is at the hook, first to take the lantern and then to hang it back. */
const TAKES = 60;
const HANGS = 150;
/** The hook, and where the ring of the lantern hangs on it. Metres. */
const HOOK = [-0.42, 1.33, 0.36] as const;

/** A key with handles, so that what falls and rolls does so as bodies do: parabolas in time. */
const bent = (
  frame: number,
  value: number,
  into?: readonly [number, number],
  out?: readonly [number, number],
): Key => ({
  ...newKey(frame, value, 'bezier'),
  ...(into && { in: into }),
  ...(out && { out }),
});

/** From one value to another, ever faster, and then ever slower to a third: rolling down and coming to rest. */
function rolled([a, b, c]: readonly number[], [start, turn, end]: readonly number[]): Curve {
  const [down, along] = [turn - start, end - turn];
  return {
    keys: [
      bent(start, a, undefined, [down / 3, 0]),
      bent(turn, b, [-down / 3, (-2 * (b - a)) / 3], [along / 3, (2 * (c - b)) / 3]),
      bent(end, c, [-along / 3, 0]),
    ],
  };
}

/** A hop from a frame on: up and down again on a parabola. */
function hop(frame: number, frames: number, height: number): Key[] {
  const h = frames / 2;
  return [
    bent(frame, 0, [-h / 3, (2 * height) / 3], [h / 3, (2 * height) / 3]),
    bent(frame + h, height, [-h / 3, 0], [h / 3, 0]),
  ];
}

const RADIUS = 0.24;
const SLOPE = 14;
/** Frames over which the barrel rolls down the ramp, and until it lies still. */
const ROLLS = [12, 70, 128] as const;

/** Where the middle of the barrel is: at the top of the ramp, at its end, and where it comes to rest. */
function barrelPath(): { tx: number[]; ty: number[] } {
  const tan = Math.tan((SLOPE * Math.PI) / 180);
  const lift = (0.04 + RADIUS) / Math.cos((SLOPE * Math.PI) / 180);
  const height = (x: number) => 0.26 + (x - 1.9) * tan + lift;
  const [top, foot] = [2.5, 1.2];
  return { tx: [top, foot, -0.1], ty: [height(top), height(foot), RADIUS] };
}

function barrelRolls(): Layer {
  const { tx, ty } = barrelPath();
  const [start, turn] = ROLLS;
  const turned = tx.map((x) => ((tx[0] - x) / RADIUS) * (180 / Math.PI));
  const drop = turn + 4;
  const channels: Channels = {
    Barrel: {
      tx: rolled(tx, ROLLS),
      // It follows the ramp and falls from its end.
      ty: {
        keys: [
          bent(start, ty[0], undefined, [(turn - start) / 3, 0]),
          bent(turn, ty[1], [-(turn - start) / 3, (-2 * (ty[1] - ty[0])) / 3], [4 / 3, 0]),
          bent(drop, ty[2], [-4 / 3, (2 * (ty[1] - ty[2])) / 3]),
        ],
      },
      tz: curve([0, -0.95]),
      rx: curve([0, 90]),
      ry: rolled(turned, ROLLS),
      rz: curve([0, 0]),
    },
  };
  return newLayer('Barrel rolls', 'override', { id: 'barrel', color: '#E69F00', content: keyed(channels) });
}

/** What the barrel does beside rolling, over whatever path it takes. */
const barrelBounces = (): Layer =>
  newLayer('Barrel bounces', 'additive', {
    id: 'bounces',
    color: '#F0E442',
    axes: 'world',
    content: keyed({
      Barrel: { ty: { keys: [...hop(74, 8, 0.087), ...hop(82, 5, 0.034), bent(87, 0)] } },
    }),
  });

function props(lanternGlb: Uint8Array): Prop[] {
  const box = (name: string, size: Prop['size'], at: Prop['at'], turn: Prop['turn'] = [0, 0, 0]): Prop => ({
    name,
    shape: 'box',
    size,
    at,
    turn,
  });
  const [x, y, z] = HOOK;
  return [
    {
      name: 'Lantern',
      model: { id: 'lantern', file: 'lantern.glb', bytes: lanternGlb },
      shape: 'box',
      size: [0.15, 0.3, 0.15],
      at: [x, y, z],
      turn: [0, 0, 0],
    },
    box('Post', [0.09, 1.9, 0.09], [x - 0.3, 0.95, z]),
    box('Hook', [0.3, 0.03, 0.03], [x - 0.14, y + 0.02, z]),
    box('Ramp', [1.6, 0.08, 1], [1.9, 0.26, -0.95], [0, 0, SLOPE]),
    {
      name: 'Barrel',
      shape: 'cylinder',
      size: [2 * RADIUS, 0.7, 2 * RADIUS],
      at: [2.5, 0.8, -0.95],
      turn: [90, 0, 0],
    },
  ];
}

/** The project "The lantern on its hook": Wick takes it and hangs it back, while a barrel rolls down the quay ramp. */
export function lanternOnHook(figure: Uint8Array, lanternGlb: Uint8Array): Project {
  const take = takeFrom('idle', bvhText(BARE, bare(idle())));
  const scene = { ...sceneOf(BARE, { id: 'bare', bytes: figure }, 'Wick'), props: props(lanternGlb) };
  const rig = rigOfScene(scene);
  const parts = findParts(rig);
  const only = (...names: readonly string[]) =>
    Object.fromEntries(parts.map((part) => [part, names.includes(part) ? 1 : 0]));
  const [x, y, z] = HOOK;
  // The palm lies behind the ring, and so does the wrist.
  const reach = newTarget('RightHand', {
    at: { tx: x + 0.035, ty: y + 0.03, tz: z - 0.085 },
    // The arm that hangs half down at rest points ahead, the palm down.
    turn: { rx: 0, ry: 66, rz: -52 },
    toward: { tx: -0.7, ty: 0.7, tz: -0.6 },
  });
  const start: Project = {
    name: 'The lantern on its hook',
    fps: FPS,
    range: [0, 200],
    metresPerUnit: 1,
    place: 'harbour',
    scene,
    rig,
    parts,
    takes: [take],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [
      newLayer('Idle', 'override', {
        id: 'base',
        content: playing(take.id),
        time: { offset: 0, speed: 1, loop: 'repeat' },
      }),
      newLayer('Lean to the hook', 'additive', {
        id: 'lean',
        color: '#009E73',
        axes: 'world',
        weight: curve([24, 0], [52, 1], [68, 1], [98, 0], [114, 0], [142, 1], [158, 1], [188, 0]),
        content: keyed({
          Hips: { tx: curve([0, -0.05]), tz: curve([0, 0.03]), ty: curve([0, -0.02]), ry: curve([0, -10]) },
          // Feet stay as they stand while the hips turn.
          LeftFoot: { ry: curve([0, 10]) },
          RightFoot: { ry: curve([0, 10]) },
          Spine: { rx: curve([0, 4]), rz: curve([0, 3]) },
          Chest: { rx: curve([0, 4]), ry: curve([0, -6]), rz: curve([0, 3]) },
        }),
      }),
      newLayer('Reach for the hook', 'override', {
        id: 'reach',
        color: '#56B4E9',
        weight: curve([28, 0], [54, 1], [68, 1], [100, 0], [118, 0], [144, 1], [158, 1], [190, 0]),
        content: keyed({}, [reach]),
      }),
      newLayer('Grip', 'override', {
        id: 'grip',
        color: '#CC79A7',
        mask: only('rightHand'),
        weight: curve([50, 0], [TAKES, 1], [HANGS, 1], [HANGS + 10, 0]),
        content: keyed(
          Object.fromEntries(
            ['Index', 'Middle', 'Ring', 'Little'].flatMap((finger) => Object.entries(fist(finger))),
          ),
        ),
      }),
      barrelRolls(),
      barrelBounces(),
    ],
  };
  // In the hand it hangs where it hung when the hand took it.
  const held = addTarget(
    start,
    { joint: 'Lantern', space: 'RightHand', frame: TAKES },
    { above: start.layers[start.layers.length - 1].id },
  );
  const hanging = held.project.layers.map(
    (layer): Layer =>
      layer.id === held.id && layer.content.kind === 'curves'
        ? {
            ...layer,
            id: 'in-hand',
            name: 'Lantern in the hand',
            color: '#D55E00',
            span: undefined,
            weight: curve([TAKES - 2, 0], [TAKES + 4, 1]),
            // It hangs down, whichever way the hand turns.
            content: keyed(
              {},
              layer.content.targets.map(({ turn: _, ...target }) => target),
            ),
          }
        : layer,
  );
  const back = newLayer('Lantern on the hook', 'override', {
    id: 'on-hook',
    color: '#0072B2',
    weight: curve([HANGS - 4, 0], [HANGS + 4, 1]),
    content: keyed({}, [newTarget('Lantern', { at: { tx: x, ty: y, tz: z } })]),
  });
  const whole = { ...held.project, layers: [...hanging, back] };
  return keepContacts(whole)?.project ?? whole;
}
