import { contactsOf, holding, isEmpty, NO_CONTENT, takeOf } from '../../layer/content.js';
import { freeName, insertLayer } from '../../layer/insert.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { memberIndex, memberName } from '../../rig/members.js';
import { partnerOf } from '../../rig/mirror.js';
import { changeLayer } from '../change.js';
import { type LeftOut, layerOntoCharacter } from '../kits/onto-rig.js';
import { duplicateLayer } from '../stack/layers.js';
import { mirrorMotion } from '../stack/mirror-motion.js';
import { charactersOfLayer } from './characters.js';

/** The character whose part in a layer can be given to another; undefined where it has none but that. */
const giverOf = (project: Project, id: string, to: number): number | undefined =>
  [...charactersOfLayer(project, id)].sort((a, b) => a - b).find((character) => character !== to);

/** Why layers cannot be copied onto a character, in words for people; undefined where they can. */
export function copyOntoRefusal(project: Project, ids: readonly string[], to: number): string | undefined {
  const layers = ids.flatMap((id) => layerById(project, id) ?? []);
  if (layers.length === 0) return 'No layer is picked';
  const playing = layers.find((layer) => takeOf(layer));
  if (playing) return `${playing.name} plays a take: bring the take in for that character, which fits it`;
  return layers.some(({ id }) => giverOf(project, id, to) !== undefined)
    ? undefined
    : 'The picked layers do nothing with another character';
}

/** A layer without the limbs of its contacts that stand on no point there. */
function standingOnPoints(layer: Layer, leave: (left: LeftOut) => void): Layer {
  const contacts = contactsOf(layer);
  if (!contacts) return layer;
  const limbs = Object.entries(contacts.limbs).filter(([name, { points }]) => {
    if (points.length === 0) leave({ layer: layer.name, what: 'limb', name });
    return points.length > 0;
  });
  const content = limbs.length > 0 ? holding({ ...contacts, limbs: Object.fromEntries(limbs) }) : NO_CONTENT;
  return { ...layer, content };
}

/** A layer whose weights of parts and of joints are those of the other side. */
function weighedOnOtherSide({ rig, parts }: Project, layer: Layer): Layer {
  const partner = (name: string) => {
    const other = partnerOf(rig, memberIndex(rig, name));
    return other < 0 ? name : memberName(rig, other);
  };
  const partOf = (part: string) =>
    parts[memberIndex(rig, partner(memberName(rig, parts.indexOf(part))))] ?? part;
  const { mask, joints } = layer;
  const moved = <T>(record: Readonly<Record<string, T>>, name: (one: string) => string) =>
    Object.fromEntries(Object.entries(record).map(([one, value]) => [name(one), value]));
  return {
    ...layer,
    ...(mask && { mask: moved(mask, partOf) }),
    ...(joints && { joints: moved(joints, partner) }),
  };
}

/**
 * Copies what layers do with other characters onto one, by the names and roles of joints, in its axes and at its size; mirrored, with the
 * sides of its keys and weights exchanged; targets stay on their side. Places in the world and on others stay where they are. The copies come above the topmost of the
 * layers, in their order. What the character has not is left out and told.
 */
export function copyLayersOnto(
  project: Project,
  ids: readonly string[],
  to: number,
  { mirrored = false }: { readonly mirrored?: boolean } = {},
): { readonly project: Project; readonly layers: readonly string[]; readonly leftOut: readonly LeftOut[] } {
  const leftOut: LeftOut[] = [];
  const made: string[] = [];
  const picked = project.layers.filter(
    ({ id }) => ids.includes(id) && giverOf(project, id, to) !== undefined,
  );
  let next = project;
  let at = Math.max(-1, ...picked.map(({ id }) => layerIndex(project, id))) + 1;
  for (const source of picked) {
    const from = giverOf(project, source.id, to)!;
    const copied = duplicateLayer(next, source.id);
    const copy = layerById(copied.project, copied.id)!;
    const leave = (left: LeftOut) => leftOut.push({ ...left, layer: source.name });
    const layer = standingOnPoints(layerOntoCharacter(project, copy, [from, to], leave), leave);
    // What finds nothing on the other leaves no empty layer behind.
    if (isEmpty(layer)) continue;
    const name = freeName(
      next,
      `${source.name} on ${project.scene.characters[to].name || project.name}`,
      true,
    );
    next = insertLayer(next, { ...layer, name, muted: source.muted }, at++);
    if (mirrored)
      next = changeLayer(mirrorMotion(next, layer.id, { shift: 0 }), layer.id, (one) =>
        weighedOnOtherSide(next, one),
      );
    made.push(layer.id);
  }
  return { project: next, layers: made, leftOut };
}
