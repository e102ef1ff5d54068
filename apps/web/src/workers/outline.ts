import type { Project, Take } from '@evlay/core';

/** A project without its takes, which a worker holds already, and without what no bake needs. */
export type ProjectOutline = Omit<Project, 'takes' | 'character'> & { readonly takes: readonly string[] };

export function outlineOf({ character: _, ...project }: Project): ProjectOutline {
  return { ...project, takes: project.takes.map((take) => take.id) };
}

export const withTakes = (outline: ProjectOutline, takes: ReadonlyMap<string, Take>): Project => ({
  ...outline,
  takes: outline.takes.map((id) => takes.get(id)!),
});
