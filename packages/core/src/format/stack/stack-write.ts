import type { Group } from '../../layer/group.js';
import { type Layer, type LayerTime, PLACEMENT_CHANNELS, type Placement } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import type { Prop } from '../../layer/prop.js';
import { rigTake } from '../../layer/rig-take.js';
import { characterIn } from '../../layer/scene.js';
import type { Variant } from '../../layer/variant.js';
import { emptyRecord } from '../../record.js';
import { memberName } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import type { Take } from '../../take/take.js';
import { contentIn } from './stack-content.js';
import type {
  StackFile,
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
  const found = findParts(project.rig);
  const parts = emptyRecord<string[]>();
  for (const [j, part] of project.parts.entries()) {
    if (part === found[j]) continue;
    parts[part] ??= [];
    parts[part].push(memberName(project.rig, j));
  }
  return {
    format: 'evlay-stack',
    version: 1,
    fps: project.fps,
    ...(project.first !== undefined && { first: project.first }),
    range: [...project.range],
    metresPerUnit: project.metresPerUnit,
    ...rigIn(project, fileOf),
    ...(Object.keys(parts).length > 0 && { parts }),
    ...(Object.keys(project.limbs).length > 0 && { limbs: limbsIn(project) }),
    ...(project.scene.props.length > 0 && { props: project.scene.props.map((prop) => propOf(prop, fileOf)) }),
    ...(project.groups.length > 0 && { groups: project.groups.map(groupOf) }),
    ...(project.variants.length > 0 && { variants: project.variants.map(variantOf) }),
  };
}

/** Where the rig is: the character's file; where there is none and the base plays no take, a take that has the rig. */
function rigIn(project: Project, fileOf: (id: string) => string): Pick<StackFile, 'rig'> {
  if (characterIn(project.scene).figure) return { rig: RIG_FILE };
  const take = rigTake(project);
  return take ? { rig: fileOf(take.id) } : {};
}

export const limbsIn = ({ limbs }: Pick<Project, 'limbs'>): NonNullable<StackFile['limbs']> =>
  Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(limbs).map(([name, limb]) => [
        name,
        limb && { chain: [...limb.chain], bend: [...limb.bend] as [number, number, number] },
      ]),
    ),
  );

export const propOf = ({ name, model, at, turn }: Prop, fileOf: (id: string) => string): StackFileProp => ({
  name,
  ...(model && { file: fileOf(model.id) }),
  at: [at[0], at[1], at[2]],
  turn: [turn[0], turn[1], turn[2]],
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
  return { pivot: [...placement.pivot], ...Object.fromEntries(values) };
}
