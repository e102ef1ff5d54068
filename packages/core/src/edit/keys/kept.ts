import type { PickSet, Project, SavedView } from '../../layer/project.js';
import type { SavedPose } from '../../layer/saved-pose.js';
import type { LimbShape } from '../../rig/limbs.js';

/** Says what a limb is; null that there is none; undefined leaves it to what is found. */
export function setLimb(project: Project, name: string, limb: LimbShape | null | undefined): Project {
  const { [name]: _, ...others } = project.limbs;
  return { ...project, limbs: limb === undefined ? others : { ...others, [name]: limb } };
}

/** Adds poses to the pose book, the newest last. */
export const addPoses = (project: Project, poses: readonly SavedPose[]): Project => ({
  ...project,
  poses: [...project.poses, ...poses],
});

export const changeSavedPose = (
  project: Project,
  id: string,
  values: Partial<Pick<SavedPose, 'name' | 'tags'>>,
): Project => ({
  ...project,
  poses: project.poses.map((pose) => (pose.id === id ? { ...pose, ...values } : pose)),
});

export const deleteSavedPose = (project: Project, id: string): Project => ({
  ...project,
  poses: project.poses.filter((pose) => pose.id !== id),
});

/** Moves a pose of the pose book to the place of another one. */
export const moveSavedPose = (project: Project, id: string, onto: string): Project => ({
  ...project,
  poses: movedOnto(project.poses, id, onto),
});

/** A list in which the element `id` has come to the place of `onto`. */
export function movedOnto<T extends { readonly id: string }>(
  list: readonly T[],
  id: string,
  onto: string,
): readonly T[] {
  const [from, to] = [id, onto].map((one) => list.findIndex((element) => element.id === one));
  if (from < 0 || to < 0 || from === to) return list;
  return list.toSpliced(from, 1).toSpliced(to, 0, list[from]);
}

const named = <T extends { readonly name: string }>(list: readonly T[], one: T): readonly T[] =>
  list.some(({ name }) => name === one.name)
    ? list.map((other) => (other.name === one.name ? one : other))
    : [...list, one];

/** Keeps which joints are picked, under a name; one of that name is replaced. */
export const keepPickSet = (project: Project, set: PickSet): Project => ({
  ...project,
  sets: named(project.sets, set),
});

export const deletePickSet = (project: Project, name: string): Project => ({
  ...project,
  sets: project.sets.filter((set) => set.name !== name),
});

/** Keeps from where the view looks, under a name; one of that name is replaced. */
export const keepView = (project: Project, view: SavedView): Project => ({
  ...project,
  views: named(project.views, view),
});

export const deleteView = (project: Project, name: string): Project => ({
  ...project,
  views: project.views.filter((view) => view.name !== name),
});
