import type { Kit } from '../../kit/kit.js';
import { NO_CONTENT, takeOf } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerIndex, type Project } from '../../layer/project.js';
import type { Prop } from '../../layer/prop.js';
import { frameOfStand, rigOfScene, type Stand } from '../../layer/scene.js';
import { moveIn } from '../../rig/frame.js';
import { memberName, memberNames } from '../../rig/members.js';
import { sceneName, type Vector3 } from '../../rig/rig.js';
import { charactersOfLayer } from '../scene/characters.js';
import { withNames } from '../scene/names.js';
import { addProp, freePropName } from '../scene/props.js';
import { makeKit, type NewKit } from './make-kit.js';
import { type KitPut, type PutOptions, putKit } from './put-kit.js';

/**
 * Kits of one of several characters. A kit knows one body: so it is made of, and put on, a project in which a further character
 * is the only one, with its joints by their own names and in its own space, and what came of it is brought back to the scene.
 */

/** A project in which a further character is alone with the props. Layers keep their places; what they do with others is left out. */
export function projectOfCharacter(project: Project, character: number): Project {
  if (character === 0) return project;
  const { scene } = project;
  const { name, rig: own, figure } = scene.characters[character];
  const prefix = `${name}/`;
  const props = new Set(scene.props.map((prop) => prop.name));
  const stripped = (one: string) => (one.startsWith(prefix) ? one.slice(prefix.length) : undefined);
  const known = (one: string) => stripped(one) ?? (props.has(one) ? one : undefined);
  const renamed = withNames(project, {
    member: known,
    part: known,
    limb: stripped,
    character: (one) => (one === name ? one : undefined),
  });
  const alone = {
    characters: [{ name: '', rig: own, ...(figure && { figure }) }],
    props: scene.props,
  };
  const rig = rigOfScene(alone);
  const partOf = new Map(memberNames(project.rig).map((one, m) => [one, project.parts[m]]));
  return {
    ...renamed,
    scene: alone,
    rig,
    parts: memberNames(rig).map((one) => {
      const part = partOf.get(props.has(one) ? one : prefix + one)!;
      return stripped(part) ?? part;
    }),
    layers: renamed.layers.map(alonePlaying),
  };
}

/** A layer whose take is of the character, or of none. */
function alonePlaying(layer: Layer): Layer {
  if (layer.content.kind !== 'take') return layer;
  const { character, ...content } = layer.content;
  return { ...layer, content: character === undefined ? NO_CONTENT : content };
}

/** The character of whose body a kit of some layers is: the one that is wanted, where one of them is of it. */
export function kitCharacter(project: Project, layers: readonly string[], wanted: number): number {
  const owners = layers.flatMap((id) => [...charactersOfLayer(project, id)]);
  return owners.length === 0 || owners.includes(wanted) ? wanted : Math.min(...owners);
}

/** {@link makeKit} of what layers do with one character of a scene. */
export const makeKitOf = (project: Project, kit: NewKit, character: number): Kit =>
  makeKit(projectOfCharacter(project, character), kit);

/** {@link putKit} on one character of a scene. */
export function putKitOn(project: Project, kit: Kit, options: PutOptions, character: number): KitPut {
  if (character === 0) return putKit(project, kit, options);
  const alone = projectOfCharacter(project, character);
  const put = putKit(alone, kit, options);
  const { name, stand } = project.scene.characters[character];
  const known = new Set(alone.scene.props.map((prop) => prop.name));
  const propNames = new Map([...known].map((one) => [one, one]));
  let current = project;
  for (const prop of put.project.scene.props) {
    if (known.has(prop.name)) continue;
    const called = freePropName(current, prop.name);
    propNames.set(prop.name, called);
    current = addProp(current, inScene({ ...prop, name: called }, stand));
  }
  const inTheScene = (one: string) => propNames.get(one) ?? sceneName(name, one);
  const back = withNames(
    { ...put.project, layers: put.project.layers.filter(({ id }) => put.layers.includes(id)) },
    { member: inTheScene, part: inTheScene, limb: (limb) => sceneName(name, limb), character: (one) => one },
  );
  const layers = back.layers.map((layer): Layer => {
    const content = takeOf(layer);
    return content ? { ...layer, content: { ...content, character: name } } : layer;
  });
  const at = layerIndex(put.project, put.layers[0] ?? '');
  const oldParts = new Map(memberNames(alone.rig).map((one, m) => [one, alone.parts[m]]));
  const newParts = new Map(
    memberNames(put.project.rig).flatMap((one, m) =>
      oldParts.has(one) && oldParts.get(one) !== put.project.parts[m]
        ? [[inTheScene(one), inTheScene(put.project.parts[m])] as const]
        : [],
    ),
  );
  const newLimbs = Object.fromEntries(
    Object.entries(back.limbs).filter(([limb]) => !Object.hasOwn(project.limbs, limb)),
  );
  return {
    ...put,
    project: {
      ...current,
      limbs: { ...current.limbs, ...newLimbs },
      parts: current.parts.map((part, m) => newParts.get(memberName(current.rig, m)) ?? part),
      takes: put.project.takes,
      groups: put.project.groups,
      variants: put.project.variants,
      layers: at < 0 ? current.layers : current.layers.toSpliced(at, 0, ...layers),
    },
  };
}

/** A prop that stands in the space of a character, where that is in the scene. */
function inScene(prop: Prop, stand: Stand | undefined): Prop {
  if (!stand) return prop;
  const at = [...prop.at];
  moveIn(frameOfStand(stand), at, 0);
  const [x, y, z] = prop.size.map((value) => value * stand.scale);
  return {
    ...prop,
    at: at as unknown as Vector3,
    turn: [prop.turn[0], prop.turn[1] + stand.heading, prop.turn[2]],
    size: [x, y, z],
  };
}
