import type { Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';

/** Replaces one layer by what `change` makes of it. The same project comes back where nothing changed. */
export function changeLayer(project: Project, id: string, change: (layer: Layer) => Layer): Project {
  const index = project.layers.findIndex((layer) => layer.id === id);
  if (index < 0) return project;
  const changed = change(project.layers[index]);
  return changed === project.layers[index]
    ? project
    : { ...project, layers: project.layers.with(index, changed) };
}
