import type { Group } from '../../layer/group.js';
import { type Layer, type LayerTime, PLACEMENT_CHANNELS, type Placement } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import type { Prop } from '../../layer/prop.js';
import { rigTake, takeWithRig } from '../../layer/rig-take.js';
import { AT_ORIGIN, characterIn } from '../../layer/scene.js';
import type { Variant } from '../../layer/variant.js';
import { emptyRecord } from '../../record.js';
import type { LimbCorrections } from '../../rig/limbs.js';
import { memberName } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import { charactersOf, type Rig } from '../../rig/rig.js';
import { ownerOfMember } from '../../rig/topology.js';
import type { Take } from '../../take/take.js';
import { contentIn } from './stack-content.js';
import type {
  StackFile,
  StackFileCharacter,
  StackFileGroup,
  StackFileLayer,
  StackFileProp,
  StackFileVariant,
} from './stack-schema.js';
import { mapScalars, scalarOf } from './stack-values.js';

/** Name of the character's file beside a stack. */
export const RIG_FILE = 'rig.glb';

/** The stack file of a project. `fileOf` names the file of a take or of a prop's model, by its id. */
export const stackOf = (project: Project, fileOf: (id: string) => string): StackFile => ({
  ...headOf(project, fileOf),
  layers: project.layers.map((layer) => layerOf(layer, project.takes, fileOf)),
});

/** What a stack file has in front of its layers. */
export function headOf(project: Project, fileOf: (id: string) => string): Omit<StackFile, 'layers'> {
  const further = project.scene.characters.slice(1);
  return {
    format: 'evlay-stack',
    version: 1,
    fps: project.fps,
    ...(project.first !== undefined && { first: project.first }),
    range: [...project.range],
    metresPerUnit: project.metresPerUnit,
    ...rigIn(project, fileOf),
    ...saidOf(project, 0),
    ...(further.length > 0 && { characters: further.map((_, k) => characterOf(project, k + 1, fileOf)) }),
    ...(project.scene.props.length > 0 && { props: project.scene.props.map((prop) => propOf(prop, fileOf)) }),
    ...(project.groups.length > 0 && { groups: project.groups.map(groupOf) }),
    ...(project.variants.length > 0 && { variants: project.variants.map(variantOf) }),
  };
}

/** What was said of the parts and limbs of a character, by its own names. What is a prop's stands with the first. */
function saidOf(project: Project, character: number): Pick<StackFile, 'parts' | 'limbs'> {
  const { rig, scene } = project;
  const { name } = scene.characters[character];
  const own = (one: string) => (character === 0 ? one : one.slice(name.length + 1));
  const found = findParts(rig);
  const parts = emptyRecord<string[]>();
  for (const [member, part] of project.parts.entries()) {
    if (part === found[member] || Math.max(0, ownerOfMember(rig, member)) !== character) continue;
    const called = own(part);
    parts[called] ??= [];
    parts[called].push(own(memberName(rig, member)));
  }
  const said = Object.entries(project.limbs).filter(([limb]) => ownerOfLimb(rig, limb) === character);
  const limbs = limbsIn(Object.fromEntries(said), own);
  return {
    ...(Object.keys(parts).length > 0 && { parts }),
    ...(Object.keys(limbs).length > 0 && { limbs }),
  };
}

/** A further character, with its file. */
function characterOf(project: Project, k: number, fileOf: (id: string) => string): StackFileCharacter {
  const { name, rig, figure, stand = AT_ORIGIN } = project.scene.characters[k];
  const { at, heading, scale } = stand;
  const file = figure?.id ?? takeWithRig(project, rig)?.id;
  return {
    name,
    rig: file === undefined ? '' : fileOf(file),
    at: [at[0], at[1], at[2]],
    heading,
    scale,
    ...saidOf(project, k),
  };
}

/** Where the rig is: the character's file; where there is none and the base plays no take, a take that has the rig. */
function rigIn(project: Project, fileOf: (id: string) => string): Pick<StackFile, 'rig'> {
  if (characterIn(project.scene).figure) return { rig: RIG_FILE };
  const take = rigTake(project);
  return take ? { rig: fileOf(take.id) } : {};
}

/** Limbs as a stack file has them, by their own names; `own` gives those. */
export const limbsIn = (
  limbs: LimbCorrections,
  own: (name: string) => string = (name) => name,
): NonNullable<StackFile['limbs']> =>
  Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(limbs).map(([name, limb]) => [
        own(name),
        limb && {
          chain: limb.chain.map(own),
          ...(limb.hangs ? { hangs: limb.hangs } : { bend: [...limb.bend] as [number, number, number] }),
        },
      ]),
    ),
  );

/** The character that a limb is of, by its name in the scene. */
const ownerOfLimb = (rig: Rig, limb: string): number =>
  Math.max(
    0,
    charactersOf(rig).findIndex(({ name }) => name !== '' && limb.startsWith(`${name}/`)),
  );

export const propOf = (
  { name, model, at, turn, camera }: Prop,
  fileOf: (id: string) => string,
): StackFileProp => ({
  name,
  ...(model && { file: fileOf(model.id) }),
  at: [at[0], at[1], at[2]],
  turn: [turn[0], turn[1], turn[2]],
  ...(camera && { camera: { ...camera } }),
});

export const groupOf = ({ id, name, muted, solo, weight }: Group): StackFileGroup => ({
  id,
  name,
  ...(muted && { muted }),
  ...(solo && { solo }),
  weight: scalarOf(weight),
});

export const variantOf = ({ name, layers, range }: Variant): StackFileVariant => ({
  name,
  layers: Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(layers).map(([id, { muted, weight }]) => [
        id,
        { ...(muted !== undefined && { muted }), ...(weight !== undefined && { weight: scalarOf(weight) }) },
      ]),
    ),
  ),
  ...(range && { range: [range[0], range[1]] as [number, number] }),
});

/** A layer as a stack file has it. `fileOf` names the file of a take, by its id. */
export function layerOf(
  layer: Layer,
  takes: readonly Take[],
  fileOf: (takeId: string) => string,
): StackFileLayer {
  return {
    id: layer.id,
    name: layer.name,
    ...(layer.color && { color: layer.color }),
    mode: layer.mode,
    ...(layer.axes !== 'joint' && { axes: layer.axes }),
    ...(layer.muted && { muted: true }),
    ...(layer.solo && { solo: true }),
    ...(layer.locked && { locked: true }),
    ...(layer.group !== undefined && { group: layer.group }),
    weight: scalarOf(layer.weight),
    ...(layer.mask && { mask: mapScalars(layer.mask) }),
    ...(layer.joints && { joints: mapScalars(layer.joints) }),
    ...(layer.span && { span: { ...layer.span } }),
    ...(layer.time && { time: timeOf(layer.time) }),
    ...(layer.placement && { placement: placementOf(layer.placement) }),
    ...(layer.allows && {
      allows: Object.fromEntries(Object.entries(layer.allows).map(([joint, list]) => [joint, [...list]])),
    }),
    ...contentIn(layer, { takes, fileOf }),
  };
}

const timeOf = ({ cycle, ...time }: LayerTime): StackFileLayer['time'] => ({
  ...time,
  ...(cycle && { cycle: [...cycle] }),
});

function placementOf(placement: Placement): StackFileLayer['placement'] {
  const values = PLACEMENT_CHANNELS.map((channel) => [channel, scalarOf(placement[channel])]);
  return {
    pivot: [...placement.pivot],
    ...(placement.space !== undefined && { space: { joint: placement.space } }),
    ...Object.fromEntries(values),
  };
}
