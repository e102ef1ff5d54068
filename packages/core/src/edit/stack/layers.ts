import { type Curve, isCurve, newKey, type Scalar } from '../../curve/curve.js';
import { compileStack } from '../../evaluate/compile.js';
import { evaluateStack } from '../../evaluate/evaluate.js';
import { newId } from '../../id.js';
import {
  type Channels,
  contactsOf,
  type JointChannels,
  keyed,
  playing,
  type Reference,
  targetsOf,
} from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { channelsOfMember, type Layer, layerCurves, newLayer } from '../../layer/layer.js';
import { type Mode, maxWeight } from '../../layer/mode.js';
import { layerIndex, type Project } from '../../layer/project.js';
import { targetRefusal } from '../../layer/target-refusal.js';
import { entryOf } from '../../record.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { isFace, memberIndex, memberName } from '../../rig/members.js';
import { partNames } from '../../rig/parts.js';
import { restPose } from '../../rig/pose.js';
import { characterOf } from '../../rig/rig.js';
import { channelsOfPose } from '../../solve/solve.js';
import { changeLayer } from '../change.js';
import { mapPlacement } from '../keys/curves.js';
import { mapCurves } from '../keys/keys.js';
import { spanAround } from '../weights/span.js';
import { withoutLoose } from './order.js';

/** What a new layer is made from. */
export interface NewLayer {
  readonly mode: Mode;
  /** The layer that it lands above. */
  readonly above: string;
  /** Indices of the joints and face channels that it is limited to, among the members of the rig; all where empty. */
  readonly joints: readonly number[];
  /** The frame whose pose an override layer starts by holding. */
  readonly frame: number;
  /** Whether an override layer acts over the whole range; else its span follows its keys. */
  readonly whole?: boolean;
}

/** A project with a layer more, and the id of that layer. */
export interface Added {
  readonly project: Project;
  readonly id: string;
}

/**
 * Adds a layer above another. An override layer starts by holding the pose that is seen at the frame, and
 * lets go again on both sides of it; an additive layer starts as no change.
 */
export function addLayer(project: Project, { mode, above, joints, frame, whole = false }: NewLayer): Added {
  const picked = joints.length > 0 ? joints : characterOf(project.rig).joints.map((_, j) => j);
  const names = joints.map((j) => memberName(project.rig, j));
  const name = freeName(project, mode === 'additive' ? 'Additive' : 'Override');
  const layer = newLayer(name, mode, {
    color: freeColor(project),
    allows:
      joints.length > 0
        ? Object.fromEntries(names.map((name) => [name, channelsOfMember(project.rig, name)]))
        : undefined,
    ...(mode === 'override' && { content: keyed(poseSeen(project, picked, frame)) }),
    ...(mode === 'override' && !whole && { span: spanAround(project, frame), follows: true }),
  });
  return { project: insertLayer(project, layer, layerIndex(project, above) + 1), id: layer.id };
}

/** What a layer that plays a take is made from. */
export interface NewTakeLayer {
  readonly take: string;
  readonly mode: Mode;
  /** For an additive layer what it is a change from, the first sample where missing. */
  readonly reference?: Reference;
  /** The layer that it lands above. */
  readonly above: string;
  /** The id that it gets; a new one where missing. */
  readonly id?: string;
}

/** Adds a layer that plays a take of the project above another; an additive one adds the change from its start. */
export function addTakeLayer(
  project: Project,
  { take, mode, above, reference = 'first', id = newId() }: NewTakeLayer,
): Added {
  const { name } = project.takes.find((candidate) => candidate.id === take)!;
  const layer = newLayer(freeName(project, name, true), mode, {
    id,
    color: freeColor(project),
    content: playing(take, reference),
  });
  return { project: insertLayer(project, layer, layerIndex(project, above) + 1), id: layer.id };
}

function poseSeen(project: Project, joints: readonly number[], frame: number): Channels {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  evaluateStack(stack, frame, pose);
  const curve = (value: number): Curve => ({ keys: [newKey(frame, value)] });
  return Object.fromEntries(
    joints.map((j) => {
      if (isFace(project.rig, j))
        return [memberName(project.rig, j), { m: curve(pose.faces[j - project.rig.joints.length]) }];
      const { rx, ry, rz, tx, ty, tz } = channelsOfPose(stack, j, pose);
      const turned: JointChannels = { rx: curve(rx), ry: curve(ry), rz: curve(rz) };
      const root = project.rig.joints[j].parent < 0;
      return [
        project.rig.joints[j].name,
        root ? { tx: curve(tx), ty: curve(ty), tz: curve(tz), ...turned } : turned,
      ];
    }),
  );
}

/** Copies a layer, with ids and colour of its own, above it. The copy of an additive layer starts muted. */
export function duplicateLayer(project: Project, id: string): Added {
  const index = layerIndex(project, id);
  const source = project.layers[index];
  const fresh = (curve: Curve): Curve => ({ keys: curve.keys.map((key) => ({ ...key, id: newId() })) });
  const scalar = (value: Scalar): Scalar => (isCurve(value) ? fresh(value) : value);
  const scalars = (record: Readonly<Record<string, Scalar>> | undefined) =>
    record && Object.fromEntries(Object.entries(record).map(([name, value]) => [name, scalar(value)]));
  const copy: Layer = {
    ...mapCurves(source, fresh),
    id: newId(),
    name: freeName(project, source.name.replace(/ \d+$/, '')),
    color: freeColor(project),
    muted: source.mode === 'additive' || source.muted,
    weight: scalar(source.weight),
    mask: scalars(source.mask),
    joints: scalars(source.joints),
    placement: source.placement && {
      ...source.placement,
      ...mapPlacement((channel) => scalar(source.placement![channel])),
    },
  };
  return { project: insertLayer(project, copy, index + 1), id: copy.id };
}

/** Takes layers out, with groups that are left empty and what variants say of them. The base stays. */
export function deleteLayers(project: Project, ids: readonly string[]): Project {
  const layers = project.layers.filter(({ id }, index) => index === 0 || !ids.includes(id));
  return layers.length === project.layers.length ? project : withoutLoose({ ...project, layers });
}

/** Sets name, colour, mute, solo, lock, or the axes in which an additive layer means its change. */
export function setLayer(
  project: Project,
  id: string,
  values: Partial<Pick<Layer, 'name' | 'color' | 'muted' | 'solo' | 'locked' | 'axes'>>,
): Project {
  return changeLayer(project, id, (layer) => ({ ...layer, ...values }));
}

/**
 * Switches a layer's mode. Its keys stay as numbers; a weight past what the new mode takes is held there.
 * The base stays an override layer.
 */
export function setMode(project: Project, id: string, mode: Mode): Project {
  if (layerIndex(project, id) === 0) return project;
  const limit = (value: number) => Math.min(value, maxWeight(mode));
  return changeLayer(project, id, (layer) => ({
    ...layer,
    mode,
    weight: isCurve(layer.weight)
      ? { keys: layer.weight.keys.map((key) => ({ ...key, value: limit(key.value) })) }
      : limit(layer.weight),
  }));
}

/** Why a layer cannot be of a mode with what it holds, in words for people; undefined where it can. */
export function modeRefusal({ rig, limbs, layers }: Project, id: string, mode: Mode): string | undefined {
  const layer = layers.find((one) => one.id === id);
  if (!layer || mode === layer.mode) return undefined;
  if (contactsOf(layer)) return `${layer.name} holds contacts over what is below: make keys of them first`;
  for (const target of targetsOf(layer)) {
    const found = targetRefusal(rig, compiledLimbs(rig, limbs), target, mode);
    if (found) return `The target of ${target.joint} in ${layer.name}: ${found.reason}`;
  }
  return undefined;
}

/**
 * What limits a layer, in a few words for people: the parts in which it counts and, where it is keyed, has keys; joints,
 * channels. Span and mode are shown elsewhere.
 */
export function actsOn(
  project: Project,
  layer: Layer,
): { parts: string[]; joints: string[]; channels: string[] } {
  const curves = layerCurves(layer);
  const joints = [...new Set(curves.map((entry) => entry.joint))];
  const kinds = new Set(curves.map(({ channel }) => channel[0]));
  const channels = [
    kinds.has('r') && 'rotation',
    kinds.has('t') && 'translation',
    kinds.has('s') && 'scale',
    kinds.has('m') && 'face channels',
  ].filter((word): word is string => !!word);
  const keyed = new Set(joints.map((name) => project.parts[memberIndex(project.rig, name)]));
  const parts = partNames(project.parts).filter((part) => {
    const counts = layer.mask ? (entryOf(layer.mask, part) ?? 0) : 1;
    return (isCurve(counts) || counts > 0) && (keyed.size === 0 || keyed.has(part));
  });
  const all = parts.length === new Set(project.parts).size;
  return { parts: all ? ['the whole body'] : parts, joints, channels };
}
