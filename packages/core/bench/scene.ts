import { existsSync, readFileSync } from 'node:fs';
import { addCharacter, keepContacts, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  compileStack,
  contactsOf,
  evaluateStack,
  holding,
  keyed,
  type Layer,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Rig,
  restPose,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { sceneName } from '../src/rig/index.js';
import { type Line, measureTogether } from './measure.js';
import { random } from './subject.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';
const JOINTS = 65;
const LAYERS = 25;
const [FIRST, LAST] = [60, 360];

/** The skeleton of the capture with chains on its hands, as fingers are, so that it has 65 joints. */
export function withFingers(rig: Rig, count = JOINTS): Rig {
  const joints = [...rig.joints];
  const hands = rig.joints.flatMap(({ name }, j) => (/Hand$/.test(name) ? [j] : []));
  while (joints.length < count) {
    const k = joints.length;
    const parent = k % 4 === 0 ? hands[(k >> 2) % hands.length] : k - 1;
    const { order } = joints[parent];
    joints.push({
      name: `finger ${k}`,
      parent: k === rig.joints.length ? hands[0] : parent,
      translation: [0.1, 0, 0],
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      order,
      ends: [],
      channels: [],
    });
  }
  return { ...rig, joints };
}

/** What moves a character over its performance: keyed layers on all its joints and three targets. */
function layersOf(character: string, rig: Rig, seed: number): Layer[] {
  const next = random(seed);
  const layers = Array.from({ length: LAYERS - 1 }, (_, k) =>
    newLayer(`${character} ${k}`, 'additive', {
      weight: 0.5,
      content: keyed(
        Object.fromEntries(
          rig.joints
            .filter((_, j) => j % 3 === k % 3)
            .map(({ name }) => [
              sceneName(character, name),
              { rx: { keys: [0, 100, 200, 300].map((frame) => newKey(frame, 6 * (next() - 0.5))) } },
            ]),
        ),
      ),
    }),
  );
  const named = (pattern: RegExp) =>
    sceneName(character, rig.joints.find(({ name }) => pattern.test(name))!.name);
  const held = newLayer(`${character} targets`, 'override', {
    weight: 0.7,
    content: keyed({}, [
      newTarget(named(/^LeftHand$/), {
        space: sceneName(character === '' ? 'Other' : '', rig.joints[0].name),
      }),
      newTarget(named(/^RightHand$/), { at: { tx: 1, ty: 20, tz: 4 } }),
      newTarget(named(/^LeftFoot$/), { at: { tx: 2, ty: 1, tz: 0 } }),
    ]),
  });
  return [...layers, held];
}

/** Two characters over one take each, with layers, targets across and the contacts of both; and the first of them alone. */
function subject(): { two: Project; one: Project } {
  const { take: bare } = readTake('01_01.bvh', readFileSync(CAPTURE));
  const rig = withFingers(bare.rig);
  const take = { ...bare, rig };
  const start = { ...projectFromTake(take), fps: 30, range: [FIRST, LAST] as const };
  const first = { ...start, takes: [{ ...take, contacts: findContacts(take, start.metresPerUnit) }] };
  const kept = contactsOf(keepContacts(first)!.project.layers.at(-1)!)!;
  const keptBy = (character: string) =>
    newLayer(`${character} feet`, 'override', {
      content: holding({
        fade: kept.fade,
        hips: kept.hips,
        limbs: Object.fromEntries(
          Object.entries(kept.limbs).map(([limb, { points, spans }]) => [
            sceneName(character, limb),
            {
              spans,
              points: points.map((point) => ({ ...point, joint: sceneName(character, point.joint) })),
            },
          ]),
        ),
      }),
    });
  const both = addCharacter(first, {
    name: 'Other',
    rig,
    takes: [{ ...take, id: 'of the other' }],
    metresPerUnit: first.metresPerUnit,
  }).project;
  const own = layersOf('', rig, 1);
  const alone = own.with(-1, {
    ...own[own.length - 1],
    content: keyed({}, targetsAlone(own[own.length - 1])),
  });
  return {
    two: {
      ...both,
      layers: [...both.layers, ...own, ...layersOf('Other', rig, 2), keptBy(''), keptBy('Other')],
    },
    one: { ...first, layers: [...first.layers, ...alone, keptBy('')] },
  };
}

/** The targets of a layer that need no other character. */
const targetsAlone = ({ content }: Layer) =>
  content.kind === 'curves' ? content.targets.map(({ space: _, ...target }) => target) : [];

/** What a scene of two costs against one of one. */
export function sceneLines(): Line[] {
  if (!existsSync(CAPTURE)) return [];
  const { two, one } = subject();
  const play = (project: Project) => {
    const stack = compileStack(project);
    const pose = restPose(project.rig);
    return () => {
      for (let frame = FIRST; frame <= LAST; frame++) evaluateStack(stack, frame, pose);
    };
  };
  const per = LAST - FIRST + 1;
  return measureTogether([
    {
      name: 'evaluate: 65 joints, 25 layers, contacts, 3 targets',
      unit: 'ms a frame',
      factor: 1e3,
      per,
      work: play(one),
    },
    {
      name: '… two characters of that, each reaching for the other',
      unit: 'ms a frame',
      factor: 1e3,
      per,
      work: play(two),
    },
  ]);
}
