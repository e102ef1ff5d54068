import {
  byContent,
  type Content,
  type ContentTable,
  channelsOf,
  holding,
  keyed,
  NO_CONTENT,
} from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { sameValue } from '../change.js';

/** What is called otherwise in a project, or is gone from it: undefined. */
export interface Renaming {
  /** Joints, face channels and props. */
  readonly member: (name: string) => string | undefined;
  readonly part: (name: string) => string | undefined;
  readonly limb: (name: string) => string | undefined;
  /** Characters, of which the first has no name. */
  readonly character: (name: string) => string | undefined;
}

const renamed = <T>(
  record: Readonly<Record<string, T>>,
  name: (one: string) => string | undefined,
): Record<string, T> =>
  Object.fromEntries(
    Object.entries(record).flatMap(([key, value]) => {
      const other = name(key);
      return other === undefined ? [] : [[other, value]];
    }),
  );

/** A field that names a joint, as it is called now; none where it names none or one that is gone. */
const named = <K extends string>(
  field: K,
  name: string | undefined,
  { member }: Renaming,
): { [F in K]?: string } => {
  const other = name === undefined ? undefined : member(name);
  return (other === undefined ? {} : { [field]: other }) as { [F in K]?: string };
};

/**
 * What becomes of each kind of content. Targets on what is gone, and in its space, go too; contacts that stood on it stand in the
 * world.
 */
const CONTENT: ContentTable<[Renaming], Content> = {
  nothing: (content) => content,
  take(content, { character }) {
    if (content.character === undefined) return content;
    const name = character(content.character);
    return name === undefined ? NO_CONTENT : { ...content, character: name };
  },
  curves: (content, renaming) =>
    keyed(
      renamed(channelsOf({ content }), renaming.member),
      content.targets.flatMap(({ space, ...target }) => {
        const joint = renaming.member(target.joint);
        const held = named('space', space, renaming);
        if (joint === undefined || (space !== undefined && held.space === undefined)) return [];
        return [{ ...target, joint, ...held }];
      }),
    ),
  contacts({ contacts: { space, ...contacts } }, renaming) {
    const limbs = Object.entries(renamed(contacts.limbs, renaming.limb)).flatMap(([limb, held]) => {
      const points = held.points.flatMap((point) => {
        const joint = renaming.member(point.joint);
        return joint === undefined ? [] : [{ ...point, joint }];
      });
      return points.length === 0 ? [] : [[limb, { ...held, points }] as const];
    });
    if (limbs.length === 0) return NO_CONTENT;
    return holding({ ...contacts, ...named('space', space, renaming), limbs: Object.fromEntries(limbs) });
  },
};

function layerRenamed(layer: Layer, renaming: Renaming): Layer {
  const { mask, joints, allows, placement, stands } = layer;
  const next: Layer = {
    ...layer,
    content: byContent(CONTENT, layer.content, renaming),
    ...(mask && { mask: renamed(mask, renaming.part) }),
    ...(joints && { joints: renamed(joints, renaming.member) }),
    ...(allows && { allows: renamed(allows, renaming.member) }),
    ...(stands && { stands: renamed(stands, renaming.limb) }),
  };
  if (placement?.space !== undefined) {
    const { space, ...rest } = placement;
    return settled({ ...next, placement: { ...rest, ...named('space', space, renaming) } }, layer);
  }
  return settled(next, layer);
}

const settled = (next: Layer, before: Layer): Layer => (sameValue(next, before) ? before : next);

/** A project of which layers, limbs and picked sets speak of things as they are called now, or not at all where they are gone. */
export const withNames = (project: Project, renaming: Renaming): Project => ({
  ...project,
  layers: project.layers.map((layer) => layerRenamed(layer, renaming)),
  limbs: Object.fromEntries(
    Object.entries(renamed(project.limbs, renaming.limb)).map(([limb, said]) => [
      limb,
      said && { ...said, chain: said.chain.flatMap((joint) => renaming.member(joint) ?? []) },
    ]),
  ),
  sets: project.sets.map((set) => ({
    ...set,
    joints: set.joints.flatMap((joint) => renaming.member(joint) ?? []),
  })),
});
