import { channelsOf, keyed, targetsOf, withTargets } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import type { Prop } from '../../layer/prop.js';
import { rigOfScene } from '../../layer/scene.js';
import { entryOf } from '../../record.js';
import { memberNames } from '../../rig/members.js';
import { characterOf } from '../../rig/rig.js';
import { sameValue } from '../change.js';

/** A project with other props: joints and parts of the character stay. */
function withProps(project: Project, props: readonly Prop[]): Project {
  const scene = { ...project.scene, props };
  const rig = rigOfScene(scene, project.rig);
  const joints = project.rig.joints.length;
  const body = characterOf(rig).joints.length;
  // Face channels stand behind the props.
  const parts = [
    ...project.parts.slice(0, body),
    ...props.map(({ name }) => name),
    ...project.parts.slice(joints),
  ];
  return { ...project, scene, rig, parts: sameValue(parts, project.parts) ? project.parts : parts };
}

/** A name that no joint and no prop has: as it is, or with a number. */
export function freePropName(project: Project, stem: string): string {
  const taken = new Set([...memberNames(project.rig), ...project.parts]);
  if (!taken.has(stem)) return stem;
  let k = 2;
  while (taken.has(`${stem} ${k}`)) k++;
  return `${stem} ${k}`;
}

/** Puts a prop into the scene. Its name is made one that is free. */
export const addProp = (project: Project, prop: Prop): Project =>
  withProps(project, [...project.scene.props, { ...prop, name: freePropName(project, prop.name) }]);

/** Changes a prop but for its name. */
export function changeProp(project: Project, name: string, values: Partial<Omit<Prop, 'name'>>): Project {
  const index = project.scene.props.findIndex((prop) => prop.name === name);
  if (index < 0) return project;
  const before = project.scene.props[index];
  const after = { ...before, ...values };
  if (sameValue(before, after)) return project;
  const props = project.scene.props.with(index, after);
  // What only changes its looks leaves the rig as it is.
  return sameValue([before.at, before.turn], [after.at, after.turn])
    ? { ...project, scene: { ...project.scene, props } }
    : withProps(project, props);
}

/** Takes a prop out, with all that layers say of it: curves, weights, targets on it and in its space. */
export function removeProp(project: Project, name: string): Project {
  const props = project.scene.props.filter((prop) => prop.name !== name);
  if (props.length === project.scene.props.length) return project;
  return {
    ...withProps(project, props),
    layers: project.layers.map((layer) => withoutProp(layer, name)),
    sets: project.sets.map((set) => ({ ...set, joints: set.joints.filter((joint) => joint !== name) })),
  };
}

const without = <T>(record: Readonly<Record<string, T>>, name: string): Record<string, T> =>
  Object.fromEntries(Object.entries(record).filter(([key]) => key !== name));

function withoutProp(layer: Layer, name: string): Layer {
  const concerned =
    entryOf(channelsOf(layer), name) !== undefined ||
    targetsOf(layer).some(({ joint, space }) => joint === name || space === name);
  const limits = [layer.mask, layer.joints, layer.allows].some(
    (record) => record && entryOf(record as Record<string, unknown>, name) !== undefined,
  );
  if (!concerned && !limits) return layer;
  return {
    ...layer,
    ...(concerned && {
      content: keyed(
        without(channelsOf(layer), name),
        targetsOf(layer).filter(({ joint, space }) => joint !== name && space !== name),
      ),
    }),
    ...(layer.mask && { mask: without(layer.mask, name) }),
    ...(layer.joints && { joints: without(layer.joints, name) }),
    ...(layer.allows && { allows: without(layer.allows, name) }),
  };
}

const renamed = <T>(record: Readonly<Record<string, T>>, from: string, to: string): Record<string, T> =>
  Object.fromEntries(Object.entries(record).map(([key, value]) => [key === from ? to : key, value]));

/** Gives a prop another name, also where layers speak of it. An empty name, or one that is taken, changes nothing. */
export function renameProp(project: Project, from: string, wanted: string): Project {
  const to = wanted.trim();
  if (to === '' || to === from || freePropName(project, to) !== to) return project;
  const index = project.scene.props.findIndex((prop) => prop.name === from);
  if (index < 0) return project;
  const called = (name: string) => (name === from ? to : name);
  const layers = project.layers.map((layer): Layer => {
    const named = withTargets(
      layer,
      targetsOf(layer).map((target) => ({
        ...target,
        joint: called(target.joint),
        ...(target.space !== undefined && { space: called(target.space) }),
      })),
    );
    const next: Layer = {
      ...layer,
      ...(layer.content.kind === 'curves' && {
        content: keyed(renamed(channelsOf(named), from, to), targetsOf(named)),
      }),
      ...(layer.mask && { mask: renamed(layer.mask, from, to) }),
      ...(layer.joints && { joints: renamed(layer.joints, from, to) }),
      ...(layer.allows && { allows: renamed(layer.allows, from, to) }),
    };
    return sameValue(next, layer) ? layer : next;
  });
  return {
    ...withProps(project, project.scene.props.with(index, { ...project.scene.props[index], name: to })),
    layers,
    sets: project.sets.map((set) => ({ ...set, joints: set.joints.map(called) })),
  };
}
