import { newId } from '../../id.js';
import type { Project, TimeMark } from '../../layer/project.js';

const inOrder = (marks: readonly TimeMark[]): readonly TimeMark[] =>
  [...marks].sort((a, b) => a.frame - b.frame);

/** Marks a frame; one that is marked already stays as it is. */
export const addMark = (project: Project, frame: number, name: string): Project =>
  project.marks.some((mark) => mark.frame === frame)
    ? project
    : { ...project, marks: inOrder([...project.marks, { id: newId(), name, frame }]) };

/** Renames or moves a mark. */
export const changeMark = (
  project: Project,
  id: string,
  values: Partial<Pick<TimeMark, 'name' | 'frame'>>,
): Project => ({
  ...project,
  marks: inOrder(project.marks.map((mark) => (mark.id === id ? { ...mark, ...values } : mark))),
});

export const deleteMark = (project: Project, id: string): Project => ({
  ...project,
  marks: project.marks.filter((mark) => mark.id !== id),
});
