import { isCurve, type Scalar } from '../../curve/curve.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { partNames } from '../../rig/parts.js';
import { changeLayer } from '../change.js';

/** Takes the mask off a layer: every joint counts again. */
export function clearMask(project: Project, id: string): Project {
  return changeLayer(project, id, (layer) => ({ ...layer, mask: undefined }));
}

/** Limits a layer to some parts: those count as they did, with their keys, or 1 where they did not; all others nothing. */
export function limitToParts(project: Project, id: string, parts: readonly string[]): Project {
  return changeLayer(project, id, (layer) => {
    const counted = (part: string): Scalar => {
      const before = layer.mask ? (entryOf(layer.mask, part) ?? 0) : 1;
      return isCurve(before) || before > 0 ? before : 1;
    };
    const mask = Object.fromEntries(
      partNames(project.parts).map((part) => [part, parts.includes(part) ? counted(part) : 0]),
    );
    return { ...layer, mask };
  });
}
