import type { Project } from '../../layer/project.js';
import type { Prop } from '../../layer/prop.js';
import { memberNames } from '../../rig/members.js';
import { sameValue } from '../change.js';
import { type Renaming, withNames } from './names.js';
import { withScene } from './with-scene.js';

/** A project with other props: joints and parts of the characters stay. */
const withProps = (project: Project, props: readonly Prop[]): Project =>
  withScene(project, { ...project.scene, props });

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
  return withProps(
    withNames(
      project,
      propsCalled((one) => (one === name ? undefined : one)),
    ),
    props,
  );
}

/** What only props are called: they are members, and parts of their own. */
const propsCalled = (called: (name: string) => string | undefined): Renaming => ({
  member: called,
  part: called,
  limb: (name) => name,
  character: (name) => name,
});

/** Gives a prop another name, also where layers speak of it. An empty name, or one that is taken, changes nothing. */
export function renameProp(project: Project, from: string, wanted: string): Project {
  const to = wanted.trim();
  if (to === '' || to === from || freePropName(project, to) !== to) return project;
  const index = project.scene.props.findIndex((prop) => prop.name === from);
  if (index < 0) return project;
  const props = project.scene.props.with(index, { ...project.scene.props[index], name: to });
  const next = withNames(
    project,
    propsCalled((one) => (one === from ? to : one)),
  );
  return withScene(
    next,
    { ...project.scene, props },
    (name) => (name === to ? from : name),
    (part) => (part === from ? to : part),
  );
}
