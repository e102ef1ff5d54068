import { FRAME_TOLERANCE } from '../curve/curve.js';
import { motionBelow } from '../evaluate/motion-below.js';
import { walkOf } from '../layer/applied-walk.js';
import { takeOf } from '../layer/content.js';
import type { StandingSpan, Stands } from '../layer/held-contacts.js';
import { inFull, type Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { keyMarks, type OwnTime, ownTime } from '../layer/time.js';
import { feetOf, findContacts } from '../make/contacts.js';
import { isWalkingLeg, standsFrom } from '../motion/gait.js';
import { emptyRecord } from '../record.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import type { CompiledLimb } from '../rig/reach.js';
import { characterOf, jointIndex, ownName, sceneName } from '../rig/rig.js';
import type { Motion } from '../take/reshape.js';
import type { Take } from '../take/take.js';

/** When limbs stand by what one layer plays: its take, the numbers by which it walks, or its keys. */

/** The limb that stands on a foot: the one whose chain has it. */
export const limbOn = (limbs: readonly CompiledLimb[], foot: number): CompiledLimb | undefined =>
  limbs.find(({ name, chain }) => ownName(name) !== 'trunk' && chain.slice(1).includes(foot));

/** The frames of the project, within its range, in which the feet of a layer's take stand, by limb. */
export function standingSpans(project: Project, layer: Layer, take: Take): Map<CompiledLimb, StandingSpan[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const rate = take.interval * project.fps;
  const player = takeOf(layer)?.character ?? '';
  return spansByTime(
    project,
    ownTime(layer, take, project.fps),
    (take.contacts?.spans ?? []).flatMap(({ joint, from, to }) => {
      const limb = limbOn(limbs, jointIndex(project.rig, sceneName(player, joint)));
      return limb ? [{ limb, from: from * rate, to: to * rate }] : [];
    }),
  );
}

/** When legs stand by the walk of a layer, in its own frames; never where it does not walk along. */
function walkStands(project: Project, layer: Layer): Stands {
  const walk = walkOf(layer);
  const { start, length } = ownTime(layer, undefined, project.fps);
  const out = emptyRecord<Stands[string]>();
  // In place the floor goes by below the feet.
  for (const { name } of walk?.travels ? compiledLimbs(project.rig, project.limbs) : []) {
    const leg = name.replace(/Leg$/, '');
    if (!isWalkingLeg(leg)) continue;
    const [from, to] = standsFrom(leg, walk!);
    out[name] = [[start + from * length, start + to * length]];
  }
  return out;
}

/** The frames in which limbs stand in samples that begin with the range of a project: its feet, found by height and speed. */
export function spansIn(project: Project, motion: Motion): Map<CompiledLimb, StandingSpan[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const [first] = project.range;
  const frames = motion.interval * project.fps;
  const found = new Map<CompiledLimb, StandingSpan[]>();
  for (const { joint, from, to } of findContacts(motion, project.metresPerUnit).spans) {
    const limb = limbOn(limbs, jointIndex(project.rig, joint));
    if (!limb) continue;
    found.set(limb, [...(found.get(limb) ?? []), [first + from * frames, first + to * frames]]);
  }
  for (const [limb, spans] of found) found.set(limb, tidySpans(spans));
  return found;
}

/** When limbs stand by what a layer says of its keys, or by the numbers by which it walks, in its own frames; undefined where neither is there. */
export const standsSaid = (project: Project, layer: Layer): Stands | undefined =>
  layer.stands ?? (walkOf(layer) && walkStands(project, layer));

/** With the limbs of all feet of the first character, also those that stand nowhere. */
export function withAllFeet({ rig, limbs }: Project, stands: Stands): Stands {
  const own = characterOf(rig);
  const compiled = compiledLimbs(rig, limbs);
  const out = emptyRecord<Stands[string]>();
  for (const foot of feetOf(own)) {
    const limb = limbOn(compiled, jointIndex(rig, foot));
    if (limb) out[limb.name] = [];
  }
  return Object.assign(out, stands);
}

/**
 * When limbs stand by the keys of a layer, in its own frames: as it is said, or else found in what it shows alone over the range of
 * the project. Of a loop that is one cycle; a span may go on beyond its end, into the next.
 */
export function standsOf(project: Project, layer: Layer): Stands {
  const said = standsSaid(project, layer);
  if (said) return said;
  const time = ownTime(layer, undefined, project.fps);
  const range = ownRange(project, time);
  const { time: own, ...plain } = inFull(layer);
  const alone: Project = {
    ...project,
    groups: [],
    range,
    layers: [time.loop === 'none' ? plain : { ...plain, time: { ...own!, offset: 0, speed: 1 } }],
  };
  const out = emptyRecord<Stands[string]>();
  for (const [{ name }, spans] of spansIn(alone, motionBelow(alone)))
    out[name] = time.loop === 'none' ? spans : ofOneCycle(spans, time);
  return out;
}

/** The frames of a layer's own that a project plays, of a loop two cycles. */
function ownRange({ range }: Project, { offset, speed, loop, start, length }: OwnTime): [number, number] {
  if (loop !== 'none') return [start, start + 2 * length];
  const [a, b] = range.map((frame) => (frame - offset) * speed);
  return [Math.min(a, b), Math.max(a, b)];
}

/** Of spans over two cycles those that begin in the first; what goes on from the cycle before begins there, once. */
function ofOneCycle(spans: readonly StandingSpan[], { start, length }: OwnTime): StandingSpan[] {
  const end = start + length;
  const first = spans.filter(([from]) => from < end - FRAME_TOLERANCE);
  const overSeam = first.some(([from, to]) => from > start && to > end);
  return first
    .filter(([from]) => from > start || !overSeam)
    .map(([from, to]): StandingSpan => [from, Math.min(to, from + length)]);
}

/** The frames of the project, within its range, in which limbs stand by the keys of a layer, by limb. */
export const keyedSpans = (project: Project, layer: Layer): Map<CompiledLimb, StandingSpan[]> => {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const stands = Object.entries(standsOf(project, layer)).flatMap(([name, spans]) => {
    const limb = limbs.find((one) => one.name === name);
    return limb ? spans.map(([from, to]) => ({ limb, from, to })) : [];
  });
  return spansByTime(project, ownTime(layer, undefined, project.fps), stands);
};

/** The frames of the project, within its range, in which limbs stand over frames of a layer's own, by limb. */
function spansByTime(
  { range: [first, last] }: Project,
  time: OwnTime,
  stances: readonly { readonly limb: CompiledLimb; readonly from: number; readonly to: number }[],
): Map<CompiledLimb, StandingSpan[]> {
  const found = new Map<CompiledLimb, StandingSpan[]>();
  for (const { limb, from, to } of stances) {
    // A span comes as often as its first frame is played.
    for (const { frame } of keyMarks(time, [from], first - (to - from), last)) {
      const length = (to - from) / time.speed;
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
  const sorted = spans.map(([a, b]) => [Math.min(a, b), Math.max(a, b)] as const).sort((a, b) => a[0] - b[0]);
  for (const [from, to] of sorted) {
    const last = out[out.length - 1];
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}
