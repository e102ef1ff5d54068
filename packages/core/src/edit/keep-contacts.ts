import { isCurve, newKey } from '../curve/curve.js';
import { compileStack } from '../evaluate/compile.js';
import { spanCounts } from '../evaluate/contact-step.js';
import { contactStepOf } from '../evaluate/step.js';
import type { HeldContacts, HeldLimb, StandingPoint, StandingSpan } from '../layer/held-contacts.js';
import { contactsOf, holding, inFull, keyed, type Layer, newLayer, takeOf } from '../layer/layer.js';
import { layerById, layerIndex, type Project } from '../layer/project.js';
import { newTarget, type Target } from '../layer/target.js';
import { keyMarks, ownTime } from '../layer/time.js';
import { emptyRecord } from '../record.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { pointInWorld } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import { changeLayer } from './change.js';
import { type Added, freeColor, freeName, insertLayer } from './layers.js';
import { placedBelow } from './targets.js';

/** Seconds over which a correction comes and goes. */
const FADE = 0.13;
/** Of all heights of a point while its foot stands so many lie below its floor: the odd one that dips does not count. */
const LOW = 0.05;

/** The limb that stands on a foot: the one whose chain has it. */
const limbOn = (limbs: readonly CompiledLimb[], foot: number): CompiledLimb | undefined =>
  limbs.find(({ name, chain }) => name !== 'trunk' && chain.slice(1).includes(foot));

/** The frames of the project, within its range, in which the feet of a layer's take stand, by limb. */
function spansOf(project: Project, layer: Layer, take: Take): Map<CompiledLimb, StandingSpan[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const time = ownTime(layer, take, project.fps);
  const [first, last] = project.range;
  const rate = take.interval * project.fps;
  const found = new Map<CompiledLimb, StandingSpan[]>();
  for (const { joint, from, to } of take.contacts?.spans ?? []) {
    const limb = limbOn(limbs, jointIndex(project.rig, joint));
    if (!limb) continue;
    // A span comes as often as its first sample is played.
    for (const { frame } of keyMarks(time, [from * rate], first - (to - from) * rate, last)) {
      const length = ((to - from) * rate) / time.speed;
      const [a, b] = [Math.min(frame, frame + length), Math.max(frame, frame + length)];
      if (b < first || a > last) continue;
      const span: StandingSpan = [Math.max(first, a), Math.min(last, b)];
      found.set(limb, [...(found.get(limb) ?? []), span]);
    }
  }
  for (const [limb, spans] of found) found.set(limb, tidySpans(spans));
  return found;
}

/** Spans in order; those that meet or overlap are one. */
export function tidySpans(spans: readonly StandingSpan[]): StandingSpan[] {
  const out: [number, number][] = [];
  for (const [from, to] of [...spans]
    .map(([a, b]) => [Math.min(a, b), Math.max(a, b)] as const)
    .sort((a, b) => a[0] - b[0])) {
    const last = out[out.length - 1];
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}

/** The points of a limb's end that can stand: the end, what hangs on it, and their end sites. */
function pointsOf(rig: Rig, { chain }: CompiledLimb): Omit<StandingPoint, 'floor'>[] {
  const end = chain[chain.length - 1];
  return rig.joints.flatMap(({ name, ends }, j) =>
    isWithin(rig, j, end) ? [{ joint: name }, ...ends.map((_, k) => ({ joint: name, end: k }))] : [],
  );
}

/** How high points of a limb are while it stands, by a layer alone. */
function withFloors(
  project: Project,
  layer: Layer,
  points: readonly Omit<StandingPoint, 'floor'>[],
  spans: readonly StandingSpan[],
): StandingPoint[] {
  const stack = compileStack({ ...project, groups: [], layers: [{ ...inFull(layer), mode: 'override' }] });
  const heights = points.map((): number[] => []);
  for (const [from, to] of spans)
    for (let frame = Math.ceil(from); frame <= to; frame++) {
      const { matrices } = placedBelow(stack, frame, 1);
      for (const [p, { joint, end }] of points.entries()) {
        const j = jointIndex(project.rig, joint);
        const offset = end === undefined ? [0, 0, 0] : project.rig.joints[j].ends[end];
        heights[p].push(pointInWorld(matrices, j, offset)[1]);
      }
    }
  return points.map((point, p) => {
    const sorted = heights[p].sort((a, b) => a - b);
    return { ...point, floor: sorted[Math.floor(LOW * (sorted.length - 1))] ?? 0 };
  });
}

/** Why no contacts can be kept of a layer, in words for people; undefined where they can. */
export function keepingFault(project: Project, from: string): string | undefined {
  const layer = layerById(project, from);
  const take = project.takes.find(({ id }) => layer && id === takeOf(layer)?.take);
  if (!layer || !take)
    return `${layer?.name ?? 'The layer'} plays no take, so nobody has found when its feet stand`;
  if (!take.contacts?.spans.length)
    return `No contacts are known of ${take.name}: find them on the screen Takes`;
  if (spansOf(project, layer, take).size === 0)
    return `No limb of the character stands on a foot of ${take.name} within the range`;
  return undefined;
}

/**
 * Adds a layer at the top that keeps the contacts of the take which a layer plays, in its own time, whatever the layers
 * between do. Points and heights of the floor are found from the rig and from the take while its feet stand.
 */
export function keepContacts(project: Project, from: string): Added | undefined {
  const layer = layerById(project, from);
  const take = project.takes.find(({ id }) => layer && id === takeOf(layer)?.take);
  if (!layer || !take || keepingFault(project, from)) return undefined;
  const limbs = emptyRecord<HeldLimb>();
  for (const [limb, spans] of spansOf(project, layer, take)) {
    const points = withFloors(project, layer, pointsOf(project.rig, limb), spans);
    limbs[limb.name] = { points, spans };
  }
  const kept = newLayer(freeName(project, 'Contacts', true), 'override', {
    color: freeColor(project),
    content: holding({ fade: Math.max(1, Math.round(FADE * project.fps)), hips: true, limbs }),
  });
  return { project: insertLayer(project, kept, project.layers.length), id: kept.id };
}

/** Changes what a layer holds of contacts. */
export const changeContactsHeld = (
  project: Project,
  id: string,
  change: (held: HeldContacts) => HeldContacts,
): Project =>
  changeLayer(project, id, (layer) => {
    const held = contactsOf(layer);
    return held ? { ...layer, content: holding(change(held)) } : layer;
  });

/** Sets the spans over which a limb stands; they are put in order and joined where they overlap. */
export const setStandingSpans = (
  project: Project,
  id: string,
  limb: string,
  spans: readonly StandingSpan[],
): Project =>
  changeContactsHeld(project, id, (held) => ({
    ...held,
    limbs: { ...held.limbs, [limb]: { ...held.limbs[limb], spans: tidySpans(spans) } },
  }));

/**
 * Makes targets of contacts, on the same layer: the root where it came down, and the end of each limb where it was held,
 * with keys at the whole frames over which the contacts act. How much they count there is keyed by joint, so that outside
 * of contacts what is below shows. At whole frames what is seen stays.
 */
export function contactsToTargets(project: Project, id: string): Project {
  const index = layerIndex(project, id);
  const layer = project.layers[index];
  const stack = compileStack({
    ...project,
    layers: [...project.layers.slice(0, index), inFull(layer)],
  });
  const step = contactStepOf(stack.layers[index].steps);
  if (!step) return project;
  const targets: Target[] = [];
  const joints: Record<string, NonNullable<Layer['joints']>[string]> = { ...layer.joints };
  const { rig } = project;
  const frames: number[] = [];
  for (let frame = Math.ceil(project.range[0]); frame <= project.range[1]; frame++) frames.push(frame);
  const below = frames.map((frame) => placedBelow(stack, frame, index));
  const after = frames.map((frame) => placedBelow(stack, frame, index + 1));
  const keyed3 = (at: (k: number) => ArrayLike<number>, some: readonly number[]) => {
    const curve = (axis: number) => ({ keys: some.map((k) => newKey(frames[k], at(k)[axis], 'linear')) });
    return { tx: curve(0), ty: curve(1), tz: curve(2) };
  };
  const placeIn = (matrices: Float64Array, j: number) => matrices.subarray(16 * j + 12, 16 * j + 15);
  const all = frames.map((_, k) => k);
  if (step.hips)
    targets.push(newTarget(rig.joints[0].name, { at: keyed3((k) => placeIn(after[k].matrices, 0), all) }));
  for (const held of step.limbs) {
    const { chain } = held.limb;
    const end = chain[chain.length - 1];
    const share = frames.map((frame) => Math.max(0, ...held.spans.map((_, k) => spanCounts(held, k, frame))));
    const some = all.filter((k) => share[k] > 1e-3);
    if (some.length === 0) continue;
    // What is seen is the place below and the one that is held, blended: the held one is found backwards.
    const place = (k: number) => {
      const [was, is] = [below[k], after[k]].map(({ matrices }) => placeIn(matrices, end));
      return [0, 1, 2].map((axis) => was[axis] + (is[axis] - was[axis]) / share[k]);
    };
    targets.push(newTarget(rig.joints[end].name, { at: keyed3(place, some) }));
    const inner = rig.joints[held.counts].name;
    const curve = { keys: frames.map((frame, k) => newKey(frame, share[k], 'linear')) };
    const own = layer.joints?.[inner];
    joints[inner] =
      own === undefined || isCurve(own)
        ? curve
        : { keys: curve.keys.map((key) => ({ ...key, value: key.value * own })) };
  }
  return changeLayer(project, id, (one) => ({ ...one, joints, content: keyed(emptyRecord(), targets) }));
}

/** A span of frames at the playhead in which a limb stands, as it is added by hand: half a second, between its neighbours. */
export function spanAt(project: Project, { spans }: HeldLimb, frame: number): StandingSpan | undefined {
  if (spans.some(([from, to]) => frame >= from && frame <= to)) return undefined;
  const next = spans.find(([from]) => from > frame)?.[0] ?? Number.POSITIVE_INFINITY;
  return [frame, Math.min(next - 1, project.range[1], frame + Math.round(project.fps / 2))];
}
