import { beyondBones } from '../format/gltf/beside.js';
import type { WrittenKind } from '../format/kinds/index.js';
import { channelsOf, takeOf } from '../layer/content.js';
import { liveLayers } from '../layer/group.js';
import type { Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { facesOf } from '../rig/members.js';
import { characterIndex, characterOf, charactersOf, sceneName } from '../rig/rig.js';
import { faceEntries, type Take } from '../take/take.js';

/** A few names, and how many there are beside them. */
const few = (names: readonly string[]): string =>
  names.length <= 4 ? names.join(', ') : `${names.slice(0, 3).join(', ')} and ${names.length - 3} more`;

/**
 * What a bake of a character of a project to a kind of file will not have of what it has, in sentences for people: told before it
 * is baked. `props` is whether the props go along.
 */
export function lostInBake(
  project: Project,
  { name, writes }: WrittenKind,
  props = false,
  character = 0,
): string[] {
  const { layers, groups, takes, scene } = project;
  const rig = characterOf(project.rig, character);
  const called = charactersOf(project.rig)[character].name;
  const live = liveLayers(layers, groups);
  const playing = layers.filter((_, k) => live[k]);
  const played = (layer: Layer): Take | undefined => {
    const content = takeOf(layer);
    if (!content || characterIndex(project.rig, content.character) !== character) return undefined;
    return takes.find(({ id }) => id === content.take);
  };
  const lost: string[] = [];

  const faces = facesOf(rig).filter(({ name: face }, f) =>
    playing.some((layer) => {
      const take = played(layer);
      return (
        channelsOf(layer)[sceneName(called, face)]?.m !== undefined ||
        (take && faceEntries(rig, take)[f] >= 0)
      );
    }),
  );
  if (!writes.faces && faces.length > 0)
    lost.push(`A ${name} holds no face channels: ${few(faces.map((face) => face.name))}`);

  const scaled = new Set<string>();
  for (const layer of playing) {
    for (const [joint, { sx, sy, sz }] of Object.entries(channelsOf(layer)))
      if (sx ?? sy ?? sz) scaled.add(joint);
    const take = played(layer);
    for (const j of take?.scales.joints ?? [])
      if (!isStill(take!, j)) scaled.add(sceneName(called, take!.rig.joints[j].name));
  }
  const own = rig.joints.map((joint) => joint.name);
  const shrunk = own.filter((joint) => scaled.has(sceneName(called, joint)));
  if (!writes.scales && shrunk.length > 0) lost.push(`A ${name} holds no scale: ${few(shrunk)}`);

  lost.push(...(writes.loses?.(rig) ?? []));

  if (!props && scene.props.length > 0)
    lost.push(
      writes.props === true
        ? `Props are left out unless they are asked for: ${few(scene.props.map((prop) => prop.name))}`
        : `${writes.props}: ${few(scene.props.map((prop) => prop.name))}`,
    );

  const { figure } = scene.characters[character];
  if (figure && !writes.onCharacter) {
    const beyond = beyondBones(figure.bytes);
    if (beyond.length > 0) lost.push(`A ${name} has the skeleton alone, without ${few(beyond)}`);
  }
  for (const take of new Set(playing.map(played))) {
    if (!take?.left) continue;
    // On the character's own file its animations stay as they are.
    const stays = writes.onCharacter && take.source.id === figure?.id;
    if (!stays) lost.push(`The take “${take.name}” also has ${few(take.left)}, which no bake has`);
  }
  return lost;
}

/** Whether a take holds one scale of a joint throughout. */
function isStill({ scales: { joints, values }, count }: Take, joint: number): boolean {
  const entry = joints.indexOf(joint);
  for (let s = 1; s < count; s++)
    for (let c = 0; c < 3; c++)
      if (Math.abs(values[3 * (s * joints.length + entry) + c] - values[3 * entry + c]) > 1e-6) return false;
  return true;
}
