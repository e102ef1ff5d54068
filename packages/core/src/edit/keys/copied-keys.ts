import { type Key, mergedKeys } from '../../curve/curve.js';
import { newId } from '../../id.js';
import { type CurveAddress, curveAtAddress, type KeyPick, rangeOfAddress } from '../../layer/address.js';
import { ownerById, type Project } from '../../layer/project.js';
import { frameOfAddress, writeScalar } from './curves.js';

/** Keys that were copied, with the address from which they come. */
export interface CopiedKeys {
  readonly address: CurveAddress;
  readonly keys: readonly Key[];
}

/** Copies of picked keys. */
export const copyPicked = (project: Project, picks: readonly KeyPick[]): CopiedKeys[] =>
  picks.flatMap(({ address, keys }) => {
    const layer = ownerById(project, address.layer);
    const found = (layer && curveAtAddress(layer, address))?.keys.filter(({ id }) => keys.includes(id)) ?? [];
    return found.length > 0 ? [{ address, keys: found }] : [];
  });

/**
 * Puts copied keys in at a frame of the project: the first of them there, the others as far behind it as they were.
 * Keys on which one lands give way. With `layer`, they go to that one. Brings which keys they are.
 */
export function pasteKeys(
  project: Project,
  copied: readonly CopiedKeys[],
  frame: number,
  layer?: string,
): { project: Project; picks: KeyPick[] } {
  const first = Math.min(...copied.flatMap(({ keys }) => keys.map((key) => key.frame)));
  const picks: KeyPick[] = [];
  const pasted = copied.reduce((current, { address: from, keys }) => {
    const address: CurveAddress = layer === undefined ? from : { ...from, layer };
    const own = frameOfAddress(current, address, frame);
    const added = keys.map((key) => ({ ...key, id: newId(), frame: own + key.frame - first }));
    picks.push({ address, keys: added.map(({ id }) => id) });
    const target = ownerById(current, address.layer);
    if (!target) return current;
    const [low, high] = rangeOfAddress(target, address);
    const clamped = added.map((key) => ({ ...key, value: Math.min(high, Math.max(low, key.value)) }));
    return writeScalar(current, address, {
      keys: mergedKeys(curveAtAddress(target, address)?.keys ?? [], clamped),
    });
  }, project);
  return { project: pasted, picks };
}
