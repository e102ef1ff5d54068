import {
  addressesOf,
  addressKey,
  addressLabel,
  axisOf,
  type CurveAddress,
  curveAtAddress,
  isContent,
  type Layer,
  layerById,
  type Project,
} from '@evlay/core';

/** What a curve holds. Curves of one unit have one scale. */
export type Unit = 'angle' | 'length' | 'part';

/** A curve that is shown. */
export interface ShownCurve {
  readonly address: CurveAddress;
  readonly key: string;
  readonly label: string;
  readonly unit: Unit;
  /** Colour of an axis; undefined for what has the colour of the layer. */
  readonly color: string | undefined;
}

/** Axes have the colours of the handles in the view. */
const AXIS_COLORS = { x: '#F58A78', y: '#8BD17C', z: '#6FB4F0' } as const;

const shown = (address: CurveAddress): ShownCurve => {
  const channel = axisOf(address);
  return {
    address,
    key: addressKey(address),
    label: addressLabel(address),
    unit: channel?.[0] === 'r' ? 'angle' : channel?.[0] === 't' ? 'length' : 'part',
    color: channel && channel !== 'm' ? AXIS_COLORS[channel[1] as 'x'] : undefined,
  };
};

/**
 * The curves of a layer that are listed: of the picked joints and face channels, or of all where none is picked, the keyed channels; and
 * whatever else is keyed on the layer.
 */
export function curvesShown(
  project: Project,
  id: string,
  picked: readonly number[],
  faces: readonly string[],
): ShownCurve[] {
  const layer = layerById(project, id);
  if (!layer) return [];
  const names = new Set([...picked.flatMap((j) => project.rig.joints[j]?.name ?? []), ...faces]);
  const keyed = addressesOf(layer, project.parts).filter((address) => curveAtAddress(layer, address));
  const ofPicked = keyed.filter(
    (address) => (address.kind === 'channel' || address.kind === 'target') && names.has(address.joint),
  );
  const others = keyed.filter((address) => !isContent(address));
  const channels = keyed.filter(isContent);
  return [...(names.size > 0 ? ofPicked : channels), ...others].map(shown);
}

/** The weights of some layers that have keys, each under the name and in the colour of its layer. */
export const weightsShown = (project: Project, ids: readonly string[]): ShownCurve[] =>
  project.layers.flatMap((layer): ShownCurve[] => {
    const address: CurveAddress = { kind: 'weight', layer: layer.id };
    if (!ids.includes(layer.id) || !curveAtAddress(layer, address)) return [];
    return [{ ...shown(address), label: layer.name, color: layer.color ?? '#9DB5B2' }];
  });

/** How a number of a unit is shown: how much of what the file holds makes one of it. */
export function unitShape(
  unit: Unit,
  metresPerUnit: number,
): { factor: number; sign: string; decimals: number } {
  if (unit === 'angle') return { factor: 1, sign: '°', decimals: 1 };
  if (unit === 'length') return { factor: 0.01 / metresPerUnit, sign: 'cm', decimals: 1 };
  return { factor: 1, sign: '', decimals: 2 };
}

/** The values that a curve takes, with those of its handles: what has to be in sight. */
export function extentOf(layer: Layer, address: CurveAddress): readonly [number, number] | undefined {
  const curve = curveAtAddress(layer, address);
  if (!curve) return undefined;
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const { value } of curve.keys) {
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  return [low, high];
}
