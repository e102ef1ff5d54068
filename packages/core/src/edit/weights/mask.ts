import type { Project } from '../../layer/project.js';
import { partNames } from '../../rig/parts.js';
import { changeLayer } from '../change.js';

/** Takes the mask off a layer: every joint counts again. */
export function clearMask(project: Project, id: string): Project {
  return changeLayer(project, id, (layer) => ({ ...layer, mask: undefined }));
}

/** Limits a layer to some parts: those count 1, all others nothing. */
export function limitToParts(project: Project, id: string, parts: readonly string[]): Project {
  const mask = Object.fromEntries(
    partNames(project.parts).map((part) => [part, parts.includes(part) ? 1 : 0]),
  );
  return changeLayer(project, id, (layer) => ({ ...layer, mask }));
}
