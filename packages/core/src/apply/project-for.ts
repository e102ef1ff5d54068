import { projectFromCharacter, projectFromTake } from '../edit/scene/project.js';
import { takeOnRig, withFoundContacts } from '../edit/scene/take-on-rig.js';
import { setBaseTake } from '../edit/scene/takes.js';
import type { ReadCharacter } from '../format/gltf/character.js';
import { baseOf, type Project } from '../layer/project.js';
import { type Take, takeDuration } from '../take/take.js';

/** A character by itself: what its file brings but performances. */
export type Wearer = Omit<ReadCharacter, 'warnings'>;

/**
 * A project whose base plays a take, at a rate: on a character to which it is fitted where it does not play on it as it is, or on the
 * skeleton that it came with. The ids of its base and of what was fitted are always the same.
 */
export async function projectFor(take: Take, character: Wearer | undefined, fps: number): Promise<Project> {
  let project: Project;
  if (character) {
    const alone = projectFromCharacter({ ...character, takes: [] });
    const [own, fitted] = await takeOnRig(take, alone);
    const takes = fitted ? [own, { ...fitted, id: 'fitted' }] : [own];
    project = setBaseTake({ ...alone, name: take.name, takes }, takes[takes.length - 1].id);
  } else {
    const plain = projectFromTake(take);
    project = { ...plain, takes: [withFoundContacts(take, plain)] };
  }
  const [base, ...above] = project.layers;
  return {
    ...project,
    fps,
    range: [0, Math.max(0, Math.floor(takeDuration(playedBy(project)) * fps + 1e-6))],
    layers: [{ ...base, id: 'base', name: 'Base' }, ...above],
  };
}

const playedBy = (project: Project): Take => {
  const { content } = baseOf(project);
  return project.takes.find(({ id }) => content.kind === 'take' && id === content.take) ?? project.takes[0];
};
