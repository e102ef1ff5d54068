import type { Project, Take } from '@evlay/core';
import { projectFromCharacter, projectFromTake } from '@evlay/core/edit';
import { kindOf, readAnyTake } from '@evlay/core/format';
import { findContacts } from '@evlay/core/make';
import { besideGltf, openStack, readFile } from './files.js';

/** The project that a file is, or one for each animation of a motion. */
export async function projectsIn(
  path: string,
  root: string | undefined,
): Promise<{ projects: Project[]; warnings: readonly string[] }> {
  const kind = kindOf(path);
  if (kind?.readCharacter) {
    const read = await kind.readCharacter(path, readFile(path), besideGltf(path));
    const projects = read.takes.map((take) =>
      withContacts(projectFromCharacter({ ...read, takes: [take] }), [take]),
    );
    return { projects, warnings: read.warnings };
  }
  if (kind?.readTake) {
    const { take, warnings } = await readAnyTake(path, readFile(path));
    return { projects: [withContacts(projectFromTake(take), [take])], warnings };
  }
  const { project, warnings } = await openStack(path, root);
  return { projects: [withContacts(project)], warnings };
}

/** A project whose takes have contacts: those that nobody has looked for are found. */
export const withContacts = (project: Project, takes: readonly Take[] = project.takes): Project => ({
  ...project,
  takes: takes.map((take) =>
    take.contacts ? take : { ...take, contacts: findContacts(take, project.metresPerUnit) },
  ),
});
