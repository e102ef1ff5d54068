import { type CurveAddress, curveAtAddress, type KeyPick, ownerById, type Project } from '@evlay/core';
import { shapeOf } from '@evlay/core/curve';

/** All keys of a curve. */
export function keysOfCurve(project: Project, address: CurveAddress): KeyPick[] {
  const layer = ownerById(project, address.layer);
  const keys = (layer && curveAtAddress(layer, address))?.keys ?? [];
  return keys.length > 0 ? [{ address, keys: keys.map(({ id }) => id) }] : [];
}

/** What the shapes of picked keys are called, each once. */
export function shapesOfPicked(project: Project, picks: readonly KeyPick[]): string[] {
  const found = new Set<string>();
  for (const { address, keys: ids } of picks) {
    const layer = ownerById(project, address.layer);
    const keys = (layer && curveAtAddress(layer, address))?.keys ?? [];
    const wanted = new Set(ids);
    for (const [i, key] of keys.entries()) if (wanted.has(key.id)) found.add(shapeOf(keys, i));
  }
  return [...found];
}

/** Mean of the values of picked keys, about which they are scaled. */
export function meanOfPicked(project: Project, picks: readonly KeyPick[]): number {
  let [sum, count] = [0, 0];
  for (const { address, keys: ids } of picks) {
    const layer = ownerById(project, address.layer);
    const wanted = new Set(ids);
    for (const key of (layer && curveAtAddress(layer, address))?.keys ?? [])
      if (wanted.has(key.id)) {
        sum += key.value;
        count++;
      }
  }
  return count > 0 ? sum / count : 0;
}
