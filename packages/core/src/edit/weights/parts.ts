import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import type { Part } from '../../rig/parts.js';
import { isWithin } from '../../rig/rig.js';

/** A mask in which a part weighs what another one does. */
const weighed = (layer: Layer, part: Part, like: Part): Layer => {
  const weight = layer.mask && entryOf(layer.mask, like);
  return weight === undefined ? layer : { ...layer, mask: { ...layer.mask, [part]: weight } };
};

/** The project with other parts; masks say nothing more of parts that have no joint. */
function withParts(project: Project, parts: readonly Part[]): Project {
  if (parts.every((part, j) => part === project.parts[j])) return project;
  const present = new Set(parts);
  const layers = project.layers.map((layer) => {
    if (!layer.mask || Object.keys(layer.mask).every((part) => present.has(part))) return layer;
    const mask = Object.fromEntries(Object.entries(layer.mask).filter(([part]) => present.has(part)));
    return { ...layer, mask };
  });
  return { ...project, parts, layers };
}

/**
 * Puts joints into a part. One that is new weighs on every layer what the part of the first joint weighs there, so that
 * what is seen stays; one that is there brings its own weight.
 */
export function moveToPart(project: Project, joints: readonly number[], part: Part): Project {
  const name = part.trim();
  if (joints.length === 0 || name === '') return project;
  const known = project.parts.includes(name);
  const source = project.parts[joints[0]];
  const from = known
    ? project
    : { ...project, layers: project.layers.map((layer) => weighed(layer, name, source)) };
  return withParts(
    from,
    from.parts.map((own, j) => (joints.includes(j) ? name : own)),
  );
}

/** The joints of a part that a joint of it carries, itself among them: what a split there takes off. */
export const carriedInPart = ({ rig, parts }: Project, joint: number): number[] =>
  rig.joints.flatMap((_, j) => (parts[j] === parts[joint] && isWithin(rig, j, joint) ? [j] : []));

/** Puts all joints of a part into another one, which brings its weight. */
export const mergeParts = (project: Project, from: Part, into: Part): Project =>
  moveToPart(
    project,
    project.parts.flatMap((part, j) => (part === from ? [j] : [])),
    into,
  );

/** Renames a part; masks go along. A name that is empty or taken changes nothing. */
export function renamePart(project: Project, from: Part, to: Part): Project {
  const name = to.trim();
  if (name === '' || project.parts.includes(name)) return project;
  return mergeParts(project, from, name);
}
