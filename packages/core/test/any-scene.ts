import fc from 'fast-check';
import {
  contactsOf,
  holding,
  isKeyed,
  type Layer,
  newLayer,
  newTarget,
  type Project,
  playing,
  rigOfScene,
  takeOf,
  targetsOf,
  withTargets,
} from '../src/index.js';
import { findParts } from '../src/rig/index.js';
import { anyGroundedProject, calmScalar } from './any-ground.js';
import { anyCurve, between } from './any-stack.js';

/** Scenes of two characters and a prop, drawn for property tests: each with layers of its own, tied to one another. */

const OTHER = 'Brindle';
const PROP = 'Crate';
const called = (name: string): string => (name === PROP ? name : `${OTHER}/${name}`);
const PARTS = /^(leftLeg|leftFoot|rightLeg|rightFoot|hips)$/;

/** A layer of a character as it is on the other. */
function onOther(layer: Layer): Layer {
  const renamed = <T>(record: Readonly<Record<string, T>>, name: (one: string) => string) =>
    Object.fromEntries(Object.entries(record).map(([key, value]) => [name(key), value]));
  const { content, mask } = layer;
  return {
    ...layer,
    id: `other ${layer.id}`,
    ...(mask && { mask: renamed(mask, (part) => (PARTS.test(part) ? `${OTHER}/${part}` : part)) }),
    content:
      content.kind === 'take'
        ? playing(content.take, content.reference, OTHER)
        : content.kind === 'contacts'
          ? holding({
              ...content.contacts,
              ...(content.contacts.like !== undefined && { like: `other ${content.contacts.like}` }),
              limbs: Object.fromEntries(
                Object.entries(content.contacts.limbs).map(([limb, held]) => [
                  `${OTHER}/${limb}`,
                  { ...held, points: held.points.map((point) => ({ ...point, joint: called(point.joint) })) },
                ]),
              ),
            })
          : content.kind === 'curves'
            ? {
                ...content,
                channels: renamed(content.channels, called),
                targets: content.targets.map((target) => ({
                  ...target,
                  joint: called(target.joint),
                  ...(target.space !== undefined && { space: called(target.space) }),
                })),
              }
            : content,
  };
}

/** How the layers of the two are tied to one another. */
const anyTies = fc.record({
  across: fc.boolean(),
  stage: fc.constantFrom(undefined, undefined, PROP, 'LeftHand'),
  place: fc.constantFrom(undefined, PROP, 'Spine'),
});

/** The layers of one character, tied to joints of the other, which `theirs` names. */
function tied(
  layer: Layer,
  { across, stage, place }: { across: boolean; stage?: string; place?: string },
  theirs: (joint: string) => string,
): Layer {
  const held = contactsOf(layer);
  if (held)
    return stage === undefined ? layer : { ...layer, content: holding({ ...held, space: theirs(stage) }) };
  if (takeOf(layer) && layer.placement && place !== undefined)
    return { ...layer, placement: { ...layer.placement, space: theirs(place) } };
  if (!across || !isKeyed(layer) || layer.mode === 'additive') return layer;
  return withTargets(
    layer,
    targetsOf(layer).map((target) =>
      target.space === PROP ? { ...target, space: theirs('LeftHand') } : target,
    ),
  );
}

const anyPath = fc.record({
  points: fc
    .array(fc.tuple(between(-1, 1), between(0, 0.8), between(-1, 1)), { minLength: 2, maxLength: 5 })
    .filter((points) =>
      points.every(
        (point, k) => Math.hypot(...point.map((v, axis) => v - points[(k + 1) % points.length][axis])) > 0.2,
      ),
    ),
  closed: fc.boolean(),
  heading: fc.boolean(),
  along: fc.oneof(calmScalar(-0.3, 1.4), anyCurve(0, 1)),
});

const goesAlong: fc.Arbitrary<Layer> = fc
  .record({
    path: anyPath,
    space: fc.constantFrom(undefined, 'RightThigh', called('LeftHand')),
    weight: fc.oneof(fc.constant(1), calmScalar(0, 1)),
    root: fc.boolean(),
  })
  .map(({ path, space, weight, root }) =>
    newLayer('path', 'override', {
      weight,
      content: {
        kind: 'curves',
        channels: {},
        targets: [newTarget(root ? 'Hips' : PROP, { path, ...(space !== undefined && !root && { space }) })],
      },
    }),
  );

/** A change of the other in axes that are not its joints', with lengths. */
const changes: fc.Arbitrary<Layer> = fc
  .record({
    axes: fc.constantFrom('world' as const, 'character' as const),
    turn: anyCurve(-30, 30),
    move: anyCurve(-0.1, 0.1),
    joint: fc.constantFrom('Hips', 'Spine', 'LeftHand'),
  })
  .map(({ axes, turn, move, joint }) =>
    newLayer('change', 'additive', {
      axes,
      content: { kind: 'curves', channels: { [called(joint)]: { rx: turn, tz: move } }, targets: [] },
    }),
  );

/** Two characters of one body, of which the other stands somewhere, turned and of another size. */
export const anyScene: fc.Arbitrary<Project> = fc
  .record({
    first: anyGroundedProject,
    second: anyGroundedProject,
    stand: fc.record({
      at: fc.tuple(between(-1, 1), between(-0.2, 0.3), between(-1, 1)),
      heading: between(-180, 180),
      scale: fc.constantFrom(1, 0.7, 1.4),
    }),
    firstTies: anyTies,
    secondTies: anyTies,
    path: fc.option(goesAlong, { nil: undefined }),
    change: changes,
  })
  .map(({ first, second, stand, firstTies, secondTies, path, change }): Project => {
    const takes = [...first.takes, ...second.takes.map((take) => ({ ...take, id: `other ${take.id}` }))];
    const scene = {
      ...first.scene,
      characters: [...first.scene.characters, { name: OTHER, rig: first.scene.characters[0].rig, stand }],
    };
    const rig = rigOfScene(scene);
    const limbs = {
      ...first.limbs,
      ...Object.fromEntries(
        Object.entries(first.limbs).map(([name, limb]) => [
          `${OTHER}/${name}`,
          limb && { ...limb, chain: limb.chain.map(called) },
        ]),
      ),
    };
    const others = second.layers
      .map(onOther)
      .map(
        (layer): Layer =>
          layer.content.kind === 'take'
            ? { ...layer, content: { ...layer.content, take: `other ${layer.content.take}` } }
            : layer,
      )
      .map((layer) => tied(layer, secondTies, (joint) => joint));
    const own = first.layers.map((layer, k) => (k === 0 ? layer : tied(layer, firstTies, called)));
    const tops = [change, ...(path ? [path] : [])];
    return {
      ...first,
      name: 'scene',
      scene,
      rig,
      parts: findParts(rig),
      limbs,
      takes,
      // One after the other, so that each follows what the other does below.
      layers: [
        own[0],
        others[0],
        ...tops,
        ...own.slice(1).flatMap((layer, k) => [layer, ...(others[k + 1] ? [others[k + 1]] : [])]),
        ...others.slice(own.length),
      ],
    };
  });
