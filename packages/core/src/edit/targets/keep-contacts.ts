import { tidySpans } from '../../check/stances.js';
import { placedBelow, type Standing, standingsOf } from '../../check/standing.js';
import { isCurve, newKey } from '../../curve/curve.js';
import { compileStack } from '../../evaluate/compile.js';
import { spanCounts } from '../../evaluate/contacts/contact-step.js';
import { contactStepOf } from '../../evaluate/steps/step.js';
import { walkOf } from '../../layer/applied-walk.js';
import { contactsOf, holding, isKeyed, keyed, takeOf } from '../../layer/content.js';
import type { HeldContacts, HeldLimb, StandingSpan, Stands } from '../../layer/held-contacts.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { inFull, type Layer, newLayer } from '../../layer/layer.js';
import { baseOf, layerIndex, type Project } from '../../layer/project.js';
import { newTarget, type Target } from '../../layer/target.js';
import { DEGREES, quaternionToEuler, unwindEuler } from '../../math/euler.js';
import { multiply, multiplyByInverse, power } from '../../math/quaternion.js';
import { emptyRecord } from '../../record.js';
import type { Placed } from '../../rig/placed.js';
import { changeLayer } from '../change.js';
import type { Added } from '../stack/layers.js';

/** Seconds over which a correction comes and goes. */
const FADE = 0.13;
/** What stands in a project by takes, walks and the keys of its base, whatever other layers hold. */
const standings = (project: Project): Standing[] => standingsOf(project, compileStack(project), false);

/** Why no contacts can be kept, in words for people; undefined where they can. */
export function keepingRefusal(project: Project): string | undefined {
  const takes = project.takes.filter(({ id }) => project.layers.some((layer) => takeOf(layer)?.take === id));
  const keys = isKeyed(baseOf(project)) || project.layers.some((layer) => walkOf(layer));
  if (!keys && takes.length === 0)
    return 'No layer plays a take and the base holds no keys, so nothing stands';
  if (!keys && takes.every(({ contacts }) => !contacts?.spans.length))
    return `No contacts are known of ${takes[0].name}: find them on the screen Takes`;
  return standings(project).length === 0
    ? 'No limb of the character stands on a foot within the range'
    : undefined;
}

/**
 * What limbs stand in a project by its takes, walks and the keys of its base, whatever layers hold: their points with the heights of
 * the floor, and the whole frames over which they do, by limb.
 */
export function limbsStanding(project: Project): Record<string, HeldLimb> {
  const limbs = emptyRecord<HeldLimb>();
  for (const { limb, points, spans } of standings(project)) {
    const before = limbs[limb.name] as HeldLimb | undefined;
    // Of several takes the one that drives the limb the longest says how high its points stand.
    const longer = before && lengthOf(before.spans) >= lengthOf(spans) ? before.points : points;
    const whole = spans.flatMap(wholeFrames);
    limbs[limb.name] = { points: longer, spans: tidySpans([...(before?.spans ?? []), ...whole]) };
  }
  return limbs;
}

/**
 * Adds a layer at the top that keeps the contacts of the takes that layers play, in their own time and each over the frames
 * in which it drives the limb, whatever the other layers do. Points and heights of the floor are found from the rig and
 * from the take, while its feet stand.
 */
export function keepContacts(project: Project): Added | undefined {
  if (keepingRefusal(project)) return undefined;
  const limbs = limbsStanding(project);
  const kept = newLayer(freeName(project, 'Contacts', true), 'override', {
    color: freeColor(project),
    content: holding({ fade: Math.max(1, Math.round(FADE * project.fps)), hips: true, limbs }),
  });
  return { project: insertLayer(project, kept, project.layers.length), id: kept.id };
}

/**
 * The whole frames within a span: those are played and baked, and what is below is then seen at few others. A span too
 * short to have two stays as it is.
 */
function wholeFrames(span: StandingSpan): StandingSpan[] {
  const [from, to] = [Math.ceil(span[0] - 1e-6), Math.floor(span[1] + 1e-6)];
  return [to > from ? [from, to] : span];
}

const lengthOf = (spans: readonly StandingSpan[]): number =>
  spans.reduce((sum, [from, to]) => sum + to - from, 0);

/**
 * Finds the contacts of a layer anew in what is below it: when each of its limbs stands, and which points of it do, how high. A limb that
 * stands nowhere there has no spans; limbs that it does not hold stay out.
 */
export function findHeldAnew(project: Project, id: string): Project {
  const index = layerIndex(project, id);
  const standing = limbsStanding({ ...project, layers: project.layers.slice(0, index) });
  return changeContactsHeld(project, id, (held) => {
    const limbs = emptyRecord<HeldLimb>();
    for (const [name, { points }] of Object.entries(held.limbs))
      limbs[name] = standing[name] ?? { points, spans: [] };
    return { ...held, limbs };
  });
}

/** Layers whose contacts are not those of what is below them, by id: they were found on another performance, or corrected by hand. */
export const contactsOfOthers = (project: Project): string[] =>
  project.layers.flatMap(({ id, content }, index) => {
    if (content.kind !== 'contacts') return [];
    const standing = limbsStanding({ ...project, layers: project.layers.slice(0, index) });
    const same = Object.entries(content.contacts.limbs).every(
      ([name, { spans }]) => JSON.stringify(standing[name]?.spans ?? []) === JSON.stringify(spans),
    );
    return same ? [] : [id];
  });

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

/** Says when limbs stand by the keys of a layer, in its own frames; with undefined it is found in what the keys show from then on. */
export const setStands = (project: Project, id: string, stands: Stands | undefined): Project =>
  changeLayer(project, id, ({ stands: _, ...layer }) =>
    stands && isKeyed(layer)
      ? {
          ...layer,
          stands: Object.fromEntries(Object.entries(stands).map(([limb, spans]) => [limb, tidySpans(spans)])),
        }
      : layer,
  );

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
  for (const root of step.lowered)
    targets.push(
      newTarget(rig.joints[root].name, { at: keyed3((k) => placeIn(after[k].matrices, root), all) }),
    );
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
    const turnIn = ({ orientations }: Placed) => orientations.subarray(4 * end, 4 * end + 4);
    const turns = turnsHeld(
      some.map((k) => turnIn(below[k])),
      some.map((k) => turnIn(after[k])),
      some.map((k) => share[k]),
    );
    const angle = (axis: number) => ({
      keys: some.map((k, n) => newKey(frames[k], turns[n][axis], 'linear')),
    });
    const turnsBack = contactsOf(layer)?.turn !== undefined;
    targets.push(
      newTarget(rig.joints[end].name, {
        at: keyed3(place, some),
        ...(turnsBack && { turn: { rx: angle(0), ry: angle(1), rz: angle(2) } }),
      }),
    );
    const curve = { keys: frames.map((frame, k) => newKey(frame, share[k], 'linear')) };
    for (const counts of turnsBack ? [held.counts, end] : [held.counts]) {
      const own = layer.joints?.[rig.joints[counts].name];
      joints[rig.joints[counts].name] =
        own === undefined || isCurve(own)
          ? curve
          : { keys: curve.keys.map((key) => ({ ...key, value: key.value * own })) };
    }
  }
  return changeLayer(project, id, (one) => ({ ...one, joints, content: keyed(emptyRecord(), targets) }));
}

/**
 * The turns of targets that count by shares, in degrees: those that bring orientations below to what they are after, found
 * backwards, and each near the one before.
 */
function turnsHeld(
  below: readonly Float64Array[],
  after: readonly Float64Array[],
  shares: readonly number[],
): number[][] {
  const turn = new Float64Array(4);
  const near = [0, 0, 0];
  return shares.map((share, k) => {
    multiplyByInverse(turn, 0, after[k], 0, below[k], 0);
    power(turn, 0, turn, 0, 1 / share);
    multiply(turn, 0, turn, 0, below[k], 0);
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, 'YXZ', turn, 0);
    unwindEuler(angles, 0, 'YXZ', near, 0);
    for (let axis = 0; axis < 3; axis++) near[axis] = angles[axis];
    return angles.map((radians) => radians * DEGREES);
  });
}

/** A span of frames at the playhead in which a limb stands, as it is added by hand: half a second, between its neighbours. */
export function spanAt(project: Project, { spans }: HeldLimb, frame: number): StandingSpan | undefined {
  if (spans.some(([from, to]) => frame >= from && frame <= to)) return undefined;
  const next = spans.find(([from]) => from > frame)?.[0] ?? Number.POSITIVE_INFINITY;
  return [frame, Math.min(next - 1, project.range[1], frame + Math.round(project.fps / 2))];
}
