import type { Ease, Handle, Key } from '../../curve/curve.js';
import { type HandleKind, type HandleSide, insertKey, setHandle, setHandles } from '../../curve/handles.js';
import { type Shape, withShape } from '../../curve/shapes.js';
import { flattened, scaledValues, simplified, unwound } from '../../curve/tidy.js';
import { axisOf, type CurveAddress, curveAtAddress, type KeyPick } from '../../layer/address.js';
import { ownerById, type Project } from '../../layer/project.js';
import { changeLayer } from '../change.js';
import { frameOfAddress, type Written, writeScalars } from './curves.js';
import { mapCurves } from './keys.js';
import { type CurvesBefore, changePicked, curvesOf } from './picked-keys.js';

/** Sets a key at a frame of the project on each curve, which stays as it is. What is not keyed is left alone. */
export const insertKeys = (project: Project, addresses: readonly CurveAddress[], frame: number): Project =>
  writeScalars(
    project,
    addresses.flatMap((address): Written[] => {
      const layer = ownerById(project, address.layer);
      const curve = layer && curveAtAddress(layer, address);
      return curve ? [[address, insertKey(curve, frameOfAddress(project, address, frame))]] : [];
    }),
  );

/** Shapes how picked keys are met and left. */
export const shapePicked = (project: Project, picks: readonly KeyPick[], shape: Shape): Project =>
  changePicked(project, picks, curvesOf(project, picks), (curve, isPicked) =>
    withShape(curve, isPicked, shape),
  );

/** Gives picked keys other handles. */
export const setPickedHandles = (project: Project, picks: readonly KeyPick[], kind: HandleKind): Project =>
  changePicked(project, picks, curvesOf(project, picks), (curve, isPicked) =>
    setHandles(curve, isPicked, kind),
  );

/** A handle of one key: what it is dragged to, in frames of the layer's own and values, as an offset from its key. */
export interface HandleAt {
  readonly address: CurveAddress;
  readonly key: string;
  readonly side: HandleSide;
  readonly handle: Handle;
  /** Whether the other handle of the key turns along. */
  readonly joined: boolean;
}

/** Sets a handle of a key. */
export function setHandleAt(project: Project, { address, key, side, handle, joined }: HandleAt): Project {
  const layer = ownerById(project, address.layer);
  const curve = layer && curveAtAddress(layer, address);
  const i = curve?.keys.findIndex(({ id }) => id === key) ?? -1;
  return curve && i >= 0
    ? writeScalars(project, [[address, setHandle(curve, i, side, handle, joined)]])
    : project;
}

/** How far a curve may pass from what it was, by what it holds: degrees, units of the rig, or parts of a whole. */
export interface Tolerances {
  readonly angle: number;
  readonly length: number;
  readonly weight: number;
}

const toleranceOf = (address: CurveAddress, { angle, length, weight }: Tolerances): number => {
  const kind = axisOf(address)?.[0] ?? 'w';
  return kind === 'r' ? angle : kind === 't' ? length : weight;
};

/** Takes out picked keys that a curve can do without, no further off than the tolerances. */
export const simplifyPicked = (
  project: Project,
  picks: readonly KeyPick[],
  tolerances: Tolerances,
): Project =>
  changePicked(project, picks, curvesOf(project, picks), (curve, isPicked, address) =>
    simplified(curve, isPicked, toleranceOf(address, tolerances)),
  );

/** Takes needless whole turns out of the picked keys of angles. */
export const unwindPicked = (project: Project, picks: readonly KeyPick[]): Project =>
  changePicked(project, picks, curvesOf(project, picks), (curve, isPicked, address) =>
    axisOf(address)?.[0] === 'r' ? unwound(curve, isPicked) : curve,
  );

/** Scales the values of picked keys about a value. */
export const scalePickedValues = (
  project: Project,
  picks: readonly KeyPick[],
  factor: number,
  about: number,
  before: CurvesBefore = curvesOf(project, picks),
): Project =>
  changePicked(project, picks, before, (curve, isPicked) => scaledValues(curve, isPicked, factor, about));

/** Brings picked keys towards the mean of those on their curve: 0 leaves them, 1 puts them on it. */
export const flattenPicked = (
  project: Project,
  picks: readonly KeyPick[],
  amount: number,
  before: CurvesBefore = curvesOf(project, picks),
): Project => changePicked(project, picks, before, (curve, isPicked) => flattened(curve, isPicked, amount));

/** Turns holds into smooth ways, of the picked keys, or of all keys of some layers. */
export function smoothHolds(project: Project, where: readonly KeyPick[] | readonly string[]): Project {
  const smooth = (key: Key): Key => (key.ease === 'hold' ? { ...key, ease: 'smooth' } : key);
  const layers = where.filter((one): one is string => typeof one === 'string');
  const picks = where.filter((one): one is KeyPick => typeof one !== 'string');
  const ofPicks = changePicked(project, picks, curvesOf(project, picks), (curve, isPicked) => ({
    keys: curve.keys.map((key) => (isPicked(key) ? smooth(key) : key)),
  }));
  return layers.reduce(
    (current, id) =>
      changeLayer(current, id, (layer) => mapCurves(layer, (curve) => ({ keys: curve.keys.map(smooth) }))),
    ofPicks,
  );
}

/** Sets the ease that new keys of a layer get; smooth where nothing is said. */
export const setLayerEase = (project: Project, id: string, ease: Ease): Project =>
  changeLayer(project, id, ({ ease: _, ...layer }) => (ease === 'smooth' ? layer : { ...layer, ease }));
