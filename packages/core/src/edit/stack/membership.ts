import { CHANNELS, type Channel } from '../../layer/content.js';
import { allowsChannel, channelsOfMember, type Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { limbsOf } from '../../rig/limbs.js';
import { memberNames } from '../../rig/members.js';
import { ownName } from '../../rig/rig.js';
import { changeLayer } from '../change.js';

/** What may receive keys on a layer, by joint. */
type Allowed = Readonly<Record<string, readonly Channel[]>>;

/** Whether a joint may receive any key on a layer. */
export const allowsJoint = ({ allows }: Pick<Layer, 'allows'>, joint: string): boolean =>
  !allows || (entryOf(allows, joint)?.length ?? 0) > 0;

/** The joints with the whole limbs of those that are an end: a hand is not posed without its arm. */
function withLimbs({ rig, limbs }: Project, joints: readonly string[]): string[] {
  const whole = limbsOf(rig, limbs).filter(
    ({ name, chain }) => ownName(name) !== 'trunk' && joints.includes(chain[chain.length - 1]),
  );
  return [...new Set([...joints, ...whole.flatMap(({ chain }) => chain)])];
}

/** What lets members of a rig, joints and face channels, be keyed: in all their channels, or in those of `channels` that they have. */
const allowing = (
  { rig }: Pick<Project, 'rig'>,
  names: readonly string[],
  channels: readonly Channel[] = CHANNELS,
): Allowed =>
  Object.fromEntries(
    names.map((name) => [name, channelsOfMember(rig, name).filter((channel) => channels.includes(channel))]),
  );

/** Lets a layer key some joints and no others. The limb of an end that is among them comes whole. */
export const limitToJoints = (project: Project, id: string, joints: readonly string[]): Project =>
  changeLayer(project, id, (layer) => ({ ...layer, allows: allowing(project, withLimbs(project, joints)) }));

/** Lets a layer that is limited key some joints more. */
export const allowJoints = (project: Project, id: string, joints: readonly string[]): Project =>
  changeLayer(project, id, (layer) =>
    layer.allows
      ? { ...layer, allows: { ...layer.allows, ...allowing(project, withLimbs(project, joints)) } }
      : layer,
  );

/** Keeps a layer from keying some joints. Keys that they have stay. */
export const refuseJoints = (project: Project, id: string, joints: readonly string[]): Project =>
  changeLayer(project, id, (layer) => {
    const before = layer.allows ?? allowing(project, memberNames(project.rig));
    return {
      ...layer,
      allows: Object.fromEntries(Object.entries(before).filter(([joint]) => !joints.includes(joint))),
    };
  });

/** Sets which channels of some joints may be keyed. */
export const allowChannels = (
  project: Project,
  id: string,
  joints: readonly string[],
  channels: readonly Channel[],
): Project =>
  changeLayer(project, id, (layer) => ({
    ...layer,
    allows: {
      ...(layer.allows ?? allowing(project, memberNames(project.rig))),
      ...allowing(project, joints, channels),
    },
  }));

/** Lets a layer key every joint. */
export const allowAll = (project: Project, id: string): Project =>
  changeLayer(project, id, (layer) => ({ ...layer, allows: undefined }));

/** A limb of which a layer may turn some joints and not all: it can pose it, and not bring its end anywhere. */
export interface BrokenLimb {
  readonly name: string;
  /** The joints that it may not turn about every axis. */
  readonly lacking: readonly string[];
}

/** The limbs that a layer may key in part. */
export function brokenLimbs({ rig, limbs }: Pick<Project, 'rig' | 'limbs'>, layer: Layer): BrokenLimb[] {
  if (!layer.allows) return [];
  const turns = (joint: string) =>
    (['rx', 'ry', 'rz'] as const).every((channel) => allowsChannel(layer, joint, channel));
  return limbsOf(rig, limbs).flatMap(({ name, chain }) => {
    if (ownName(name) === 'trunk') return [];
    const lacking = chain.filter((joint) => !turns(joint));
    const some = chain.some((joint) => allowsJoint(layer, joint));
    return some && lacking.length > 0 ? [{ name, lacking }] : [];
  });
}
