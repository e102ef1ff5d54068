import type { Channel } from '../../layer/content.js';
import { channelsOfMember } from '../../layer/layer.js';
import { contactSpaceRefusal, placementSpaceRefusal } from '../../layer/space-refusal.js';
import { type TargetPath, ZERO_PLACE } from '../../layer/target.js';
import { targetRefusal } from '../../layer/target-refusal.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { type LimbCorrections, type LimbShape, limbRefusal, limbsOf } from '../../rig/limbs.js';
import { memberIndex, memberNames } from '../../rig/members.js';
import { COMMON_PARTS, findParts } from '../../rig/parts.js';
import { characterIndex, charactersOf, isWithin, jointIndex, type Rig, sceneName } from '../../rig/rig.js';
import { fallOnSamples } from '../../take/face-curve.js';
import { jointsPlayed, type Take } from '../../take/take.js';
import { FileError, quote } from '../error.js';
import { takeKey } from '../project-json.js';
import { pathText } from '../schema.js';
import { partsIn, saidLimbs } from './stack-said.js';
import type { StackFile, StackFileTarget } from './stack-schema.js';

/** What no schema can say of a stack: whether what it names is there, and whether what it says goes together. */

/** Refuses a base that adds: there is nothing below it. */
export function checkBase(file: StackFile): void {
  if (file.layers[0].mode === 'additive') {
    throw new FileError('layers[0].mode', 'the base is additive, expected "override"');
  }
}

/** Refuses props whose names are taken. `rig` is that of the characters. */
export function checkProps(file: StackFile, rig: Rig): void {
  const names = new Set(memberNames(rig));
  for (const [i, { name }] of (file.props ?? []).entries()) {
    if (names.has(name))
      throw new FileError(
        `props[${i}].name`,
        `${quote(name)} is the name of a joint, face channel or prop already`,
      );
    names.add(name);
  }
}

/**
 * Refuses a sample as reference of a take whose face has keys that are no even samples, and a placement in a space that hangs on
 * what is placed. `takes` are by `takeKey`.
 */
export function checkReferences(file: StackFile, takes: ReadonlyMap<string, Take>, rig: Rig): void {
  for (const [index, layer] of file.layers.entries()) {
    const { take, mode, placement, character } = layer;
    const space = placement && spaceOf(placement);
    if (space !== undefined) {
      const played = take && takes.get(takeKey(take));
      const content = played
        ? jointsPlayed(rig, played, characterIndex(rig, character))
        : Object.keys(layer.channels ?? {}).map((name) => jointIndex(rig, name));
      const reason = placementSpaceRefusal(rig, space, content);
      if (reason) throw new FileError(`layers[${index}].placement.space`, reason);
    }
    if (!take || mode !== 'additive' || typeof take.reference !== 'number') continue;
    const read = takes.get(takeKey(take));
    const uneven = read?.faceCurves?.find(({ times }) => !fallOnSamples(times, read.interval));
    if (uneven)
      throw new FileError(
        `layers[${index}].take.reference`,
        `sample ${take.reference}, but the keys of ${quote(uneven.channel)} are no even samples, expected "first" or "rest"`,
      );
  }
}

/** Refuses names that the rig (with its props) or the stack does not have. */
export function checkNames(file: StackFile, rig: Rig): void {
  const names = new Set(rig.joints.map((joint) => joint.name));
  const check = (joint: string, path: PropertyKey[]) => {
    if (!names.has(joint))
      throw new FileError(pathText(path), `unknown joint ${quote(joint)}, expected a joint of the rig`);
  };
  const checkMember = (name: string, path: PropertyKey[]) => {
    if (memberIndex(rig, name) < 0)
      throw new FileError(
        pathText(path),
        `unknown joint ${quote(name)}, expected a joint or face channel of the rig`,
      );
  };
  for (const { members, path } of partsIn(file))
    for (const [i, member] of members.entries()) checkMember(member, [...path, i]);
  const said = saidLimbs(file);
  for (const [name, limb] of Object.entries(said)) if (limb) checkLimb(rig, name, limb, check);
  const ids = new Set<string>();
  const characters = charactersOf(rig);
  const parts = new Set([
    ...characters.flatMap(({ name }) => COMMON_PARTS.map((part) => sceneName(name, part))),
    ...findParts(rig),
    ...partsIn(file).map(({ part }) => part),
    ...(file.props ?? []).map(({ name }) => name),
  ]);
  const limbs = limbsOf(rig, said);
  for (const [index, layer] of file.layers.entries()) {
    for (const field of ['channels', 'joints', 'allows'] as const) {
      for (const joint of Object.keys(layer[field] ?? {}))
        checkMember(joint, ['layers', index, field, joint]);
    }
    checkChannels(layer, index, rig);
    checkTargets(layer, index, rig, said, check);
    const { character, placement, contacts } = layer;
    if (character !== undefined && (index === 0 || characterIndex(rig, character) < 1))
      throw new FileError(
        `layers[${index}].character`,
        index === 0
          ? 'the base is that of the rig, expected no character'
          : `unknown character ${quote(character)}, expected one of “characters”`,
      );
    const place = placement && spaceOf(placement);
    if (place !== undefined) check(place, ['layers', index, 'placement', 'space', 'joint']);
    const stage = contacts && spaceOf(contacts);
    if (stage !== undefined) {
      check(stage, ['layers', index, 'contacts', 'space', 'joint']);
      const reason = contactSpaceRefusal(rig, limbs, stage, Object.keys(contacts!.limbs));
      if (reason) throw new FileError(`layers[${index}].contacts.space`, reason);
    }
    const { like } = layer.contacts ?? {};
    if (like !== undefined && !file.layers.slice(0, index).some(({ id }) => id === like))
      throw new FileError(
        `layers[${index}].contacts.like`,
        `there is no layer ${quote(like)} below, expected the id of one`,
      );
    for (const [limb, { points }] of Object.entries(layer.contacts?.limbs ?? {})) {
      const path = ['layers', index, 'contacts', 'limbs', limb];
      if (!limbs.some(({ name }) => name === limb))
        throw new FileError(pathText(path), `unknown limb ${quote(limb)}, expected a limb of the rig`);
      for (const [i, { joint, end }] of points.entries()) {
        check(joint, [...path, 'points', i, 'joint']);
        const { ends } = rig.joints[jointIndex(rig, joint)];
        if (end !== undefined && end >= ends.length)
          throw new FileError(
            pathText([...path, 'points', i, 'end']),
            `${quote(joint)} has ${ends.length} end sites, expected one of them, counted from 0`,
          );
      }
    }
    for (const part of Object.keys(layer.mask ?? {})) {
      if (!parts.has(part)) {
        throw new FileError(
          pathText(['layers', index, 'mask', part]),
          `unknown part ${quote(part)}, expected a part of the rig`,
        );
      }
    }
    if (layer.id === undefined) continue;
    if (ids.has(layer.id))
      throw new FileError(`layers[${index}].id`, `two layers have the id ${quote(layer.id)}`);
    ids.add(layer.id);
  }
  checkGroupsAndVariants(file, ids);
}

/** Refuses channels that a joint or a face channel does not have. */
function checkChannels({ channels, allows }: StackFile['layers'][number], index: number, rig: Rig): void {
  const check = (name: string, channel: string, path: PropertyKey[]) => {
    const has = channelsOfMember(rig, name);
    if (has.includes(channel as Channel)) return;
    const what = has.length === 1 ? `the face channel ${quote(name)}` : `the joint ${quote(name)}`;
    throw new FileError(
      pathText(['layers', index, ...path]),
      `${what} has no channel ${quote(channel)}, expected ${has.length === 1 ? '' : 'one of '}${has.join(' ')}`,
    );
  };
  for (const [name, own] of Object.entries(channels ?? {}))
    for (const channel of Object.keys(own)) check(name, channel, ['channels', name, channel]);
  for (const [name, list] of Object.entries(allows ?? {}))
    for (const [i, channel] of list.entries()) check(name, channel, ['allows', name, i]);
}

/** Refuses targets on joints that are not there or that no target can move. */
function checkTargets(
  layer: StackFile['layers'][number],
  index: number,
  rig: Rig,
  limbs: LimbCorrections,
  check: (joint: string, path: PropertyKey[]) => void,
): void {
  for (const [i, target] of (layer.targets ?? []).entries()) {
    const path = ['layers', index, 'targets', i];
    check(target.joint, [...path, 'joint']);
    if (typeof target.space === 'object') check(target.space.joint, [...path, 'space', 'joint']);
    const found = targetRefusal(
      rig,
      compiledLimbs(rig, limbs),
      {
        joint: target.joint,
        space: spaceOf(target),
        toward: target.toward && ZERO_PLACE,
        path: target.path && NO_PATH,
      },
      layer.mode ?? 'override',
    );
    if (found) throw new FileError(pathText([...path, found.field]), found.reason);
  }
}

const NO_PATH: TargetPath = { points: [], closed: false, heading: false, along: 0 };

/** The joint in whose space something is; undefined for the world. */
export const spaceOf = ({ space }: Pick<StackFileTarget, 'space'>): string | undefined =>
  typeof space === 'object' ? space.joint : undefined;

/** Refuses a limb whose joints do not hang below each other, or that could not bend. */
function checkLimb(
  rig: Rig,
  name: string,
  limb: LimbShape,
  check: (joint: string, path: PropertyKey[]) => void,
): void {
  for (const [i, joint] of limb.chain.entries()) {
    check(joint, ['limbs', name, 'chain', i]);
    if (i === 0) continue;
    const [above, below] = [limb.chain[i - 1], joint].map((one) => jointIndex(rig, one));
    if (below === above || !isWithin(rig, below, above))
      throw new FileError(
        pathText(['limbs', name, 'chain', i]),
        `${quote(joint)} does not hang below ${quote(limb.chain[i - 1])}, expected a chain from the top to the end`,
      );
  }
  const reason = limbRefusal(rig, limb);
  if (reason) throw new FileError(pathText(['limbs', name]), reason);
}

/** Refuses groups that are not there or that other layers interrupt, and variants that name what is not there. */
export function checkGroupsAndVariants(
  file: Pick<StackFile, 'groups' | 'variants'> & { readonly layers: readonly { readonly group?: string }[] },
  layerIds: ReadonlySet<string>,
): void {
  const groups = new Set<string>();
  for (const [index, { id }] of (file.groups ?? []).entries()) {
    if (groups.has(id)) throw new FileError(`groups[${index}].id`, `two groups have the id ${quote(id)}`);
    groups.add(id);
  }
  const left = new Set<string>();
  for (const [index, { group }] of file.layers.entries()) {
    const before = file.layers[index - 1]?.group;
    if (before !== undefined && before !== group) left.add(before);
    if (group === undefined) continue;
    const path = `layers[${index}].group`;
    if (!groups.has(group))
      throw new FileError(path, `unknown group ${quote(group)}, expected one of “groups”`);
    if (left.has(group))
      throw new FileError(path, `${quote(group)} is interrupted, expected its layers to follow one another`);
  }
  const names = new Set<string>();
  for (const [index, { name, layers }] of (file.variants ?? []).entries()) {
    if (names.has(name))
      throw new FileError(`variants[${index}].name`, `two variants have the name ${quote(name)}`);
    names.add(name);
    for (const id of Object.keys(layers ?? {}))
      if (!layerIds.has(id))
        throw new FileError(
          pathText(['variants', index, 'layers', id]),
          `unknown layer ${quote(id)}, expected the id of a layer`,
        );
  }
}
