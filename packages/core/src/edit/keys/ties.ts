import { FRAME_TOLERANCE } from '../../curve/curve.js';
import { eventsOf, type MotionEvent } from '../../kit/events.js';
import { addressesOf, curveAtAddress, type KeyPick, ownAddressKey } from '../../layer/address.js';
import type { Layer, Tie } from '../../layer/layer.js';
import { layerIndex, type Project } from '../../layer/project.js';
import { changeLayer } from '../change.js';
import { frameOfAddress, timeOf } from './curves.js';
import { curvesOf, framesOfPicked, movePicked } from './picked-keys.js';

/** The events on which keys of a layer can hang: those of what is below it, without the ends of the range. */
export const eventsBelow = (project: Project, layer: string): MotionEvent[] =>
  eventsOf(project, layerIndex(project, layer)).filter(({ name }) => name !== 'start' && name !== 'end');

/** Some events that are near to picked keys of one layer, the nearest first; none where the keys are of several, or of the base. */
export function eventsNear(project: Project, picks: readonly KeyPick[], count: number): MotionEvent[] {
  const layers = new Set(picks.map(({ address }) => address.layer));
  const [layer] = layers;
  const frames = framesOfPicked(project, picks);
  if (layers.size !== 1 || !frames || layerIndex(project, layer) < 1) return [];
  const near = ({ frame }: MotionEvent) => Math.abs(frame - frames[0]);
  return eventsBelow(project, layer)
    .sort((a, b) => near(a) - near(b))
    .slice(0, count);
}

/** Lets picked keys hang on an event, as far from it as they are; what they hung on before they let go of. */
export function tieKeys(
  project: Project,
  picks: readonly KeyPick[],
  { name, frame: at }: MotionEvent,
): Project {
  return eachTied(project, picks, (layer, curve, frames) =>
    frames.map((frame): Tie => ({ curve, frame, event: name, at, after: layer(frame) - at })),
  );
}

/** Lets picked keys hang on nothing. */
export const untieKeys = (project: Project, picks: readonly KeyPick[]): Project =>
  eachTied(project, picks, () => []);

/** Puts other ties of picked keys in place of those that they have. The first argument of `ties` brings a frame of the curve to the project. */
function eachTied(
  project: Project,
  picks: readonly KeyPick[],
  ties: (toProject: (frame: number) => number, curve: string, frames: readonly number[]) => readonly Tie[],
): Project {
  return picks.reduce((current, { address, keys: ids }) => {
    return changeLayer(current, address.layer, (layer) => {
      const curve = curveAtAddress(layer, address);
      if (!curve) return layer;
      const own = ownAddressKey(address);
      const frames = curve.keys.flatMap(({ id, frame }) => (ids.includes(id) ? [frame] : []));
      const time = timeOf(current, layer, address);
      const toProject = (frame: number) => (time.speed === 0 ? frame : time.offset + frame / time.speed);
      const kept = (layer.ties ?? []).filter(
        (tie) => tie.curve !== own || !frames.some((frame) => isOn(tie, frame)),
      );
      return withTies(layer, [...kept, ...ties(toProject, own, frames)]);
    });
  }, project);
}

const isOn = (tie: Tie, frame: number): boolean => Math.abs(tie.frame - frame) <= FRAME_TOLERANCE;

function withTies(layer: Layer, ties: readonly Tie[]): Layer {
  const { ties: _, ...plain } = layer;
  return ties.length > 0 ? { ...plain, ties } : plain;
}

/** On what picked keys hang, each event once, with the frames behind it. */
export function tiesOf(project: Project, picks: readonly KeyPick[]): Pick<Tie, 'event' | 'after'>[] {
  const found = new Map<string, Pick<Tie, 'event' | 'after'>>();
  for (const { address, keys: ids } of picks) {
    const layer = project.layers.find(({ id }) => id === address.layer);
    const curve = layer && curveAtAddress(layer, address);
    const own = ownAddressKey(address);
    for (const { id, frame } of curve?.keys ?? [])
      if (ids.includes(id))
        for (const { event, after, ...tie } of layer?.ties ?? [])
          if (tie.curve === own && isOn({ event, after, ...tie }, frame))
            found.set(`${event} ${after}`, { event, after });
  }
  return [...found.values()];
}

/**
 * Moves keys that hang on events to where these are now. An event is the one of its name that is nearest to where it was; where
 * none of its name is left the keys stay. Keys that were moved by hand hang on nothing any more.
 */
export function followEvents(project: Project): Project {
  let current = project;
  for (const { id, ties } of project.layers) {
    if (!ties) continue;
    const events = eventsBelow(current, id);
    const moved: Tie[] = [];
    for (const tie of ties) {
      const layer = current.layers[layerIndex(current, id)];
      const address = addressesOf(layer, current.parts).find((one) => ownAddressKey(one) === tie.curve);
      const key = address && curveAtAddress(layer, address)?.keys.find(({ frame }) => isOn(tie, frame));
      if (!address || !key) continue;
      const near = nearest(events, tie);
      const by = near === undefined ? 0 : near - tie.at;
      if (near === undefined || Math.abs(by) <= FRAME_TOLERANCE) {
        moved.push(tie);
        continue;
      }
      const picks: KeyPick[] = [{ address, keys: [key.id] }];
      current = movePicked(current, picks, { by, before: curvesOf(current, picks) });
      moved.push({ ...tie, at: near, frame: frameOfAddress(current, address, near + tie.after) });
    }
    if (moved.length !== ties.length || moved.some((tie, k) => tie !== ties[k]))
      current = changeLayer(current, id, (layer) => withTies(layer, moved));
  }
  return current;
}

/** Where the event of a tie lies now. */
function nearest(events: readonly MotionEvent[], { event, at }: Tie): number | undefined {
  const frames = events.flatMap(({ name, frame }) => (name === event ? [frame] : []));
  return frames.length === 0
    ? undefined
    : frames.reduce((best, frame) => (Math.abs(frame - at) < Math.abs(best - at) ? frame : best));
}
