import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { loopGap } from '../evaluate/loop-gap.js';
import type { Steps } from '../job/steps.js';
import { addressesOf, curveAtAddress, timeOfAddress } from '../layer/address.js';
import { takeOf } from '../layer/content.js';
import { isLive } from '../layer/group.js';
import type { Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { memberName } from '../rig/members.js';
import { jointIndex } from '../rig/rig.js';
import { topologyOf } from '../rig/topology.js';
import { takeDuration } from '../take/take.js';
import { faceProbes } from './face-probes.js';
import { FINDING_LIMITS, type Finding, type FindingLimits, GRADES, gradedBy, gradeOf } from './finding.js';
import { coveredLayers, idleLayers } from './idle.js';
import { rangeProbes, snapProbes, stretchProbes } from './limb-probes.js';
import { popProbes, popStep } from './pop-probes.js';
import type { Probe } from './probe.js';
import { roomForMotion, type SeenMotion, seeFrames, seeMotion } from './seen.js';
import { standingsOf } from './standing.js';
import { standingProbes } from './standing-probes.js';
import { throughProbes } from './through-probes.js';

/** Everything that can be measured of the motion of a project. */
export const probesOf = (project: Project, stack: CompiledStack): Probe[] => [
  ...standingProbes(project, standingsOf(project, stack)),
  ...freeProbes(project),
];

/** What can be measured without knowing when feet stand, for which all of the range has to be looked at. */
const freeProbes = (project: Project): Probe[] => [
  ...rangeProbes(project),
  ...stretchProbes(project),
  ...snapProbes(project),
  ...popProbes(project),
  ...throughProbes(project),
  ...faceProbes(project),
];

/** The whole frames of a project's range, and its end. */
export function framesOf({ range: [first, last] }: Project): Float64Array {
  const frames: number[] = [];
  for (let frame = first; frame < last; frame++) frames.push(frame);
  frames.push(last);
  return Float64Array.from(frames);
}

/** Frames that are seen between two looks whether to go on. */
const AT_ONCE = 60;
/** Bytes of motion that are held at once, and seconds that a window has at least: long ranges are gone through in windows. */
const HELD = 24e6;
const SHORTEST_WINDOW = 10;
/** Seconds beside a window that are seen with it: what is measured at a frame looks no further around it. */
const BESIDE = 2;
/** Seconds around a frame that are looked at before all else, so that something is told at once. */
const FIRST_LOOK = 1;

/** How findings are looked for. */
export interface FindingSearch {
  /** The frame around which it is looked first. */
  readonly near?: number;
  /** Bytes of motion that are held at once. */
  readonly held?: number;
  /**
   * Told what was found so far, and which part of the range was looked through, where it is gone through in several windows. The
   * first time it is what is found close to the frame and does not hang on when feet stand.
   */
  readonly onWindow?: (found: readonly Finding[], part: number) => void;
}

/**
 * All findings of a project over its range, a part at a time; those of joints first, by frame. A long range is gone through
 * in windows, the one around a frame first, so that no more of the motion is held than one of them.
 */
export function* findingSteps(
  project: Project,
  limits: FindingLimits = FINDING_LIMITS,
  { near = project.range[0], held = HELD, onWindow }: FindingSearch = {},
): Steps<Finding[]> {
  const stack = compileStack(project);
  const frames = framesOf(project);
  const limbs = compiledLimbs(project.rig, project.limbs);
  const windows = windowsOf(project, frames, near, held);
  if (windows.length > 1 && onWindow) onWindow(yield* firstLook(project, stack, frames, near, limits), 0);
  const probes = probesOf(project, stack);
  const runs: Run[][] = probes.map(() => []);
  const foundSoFar = (): Finding[] => findingsIn(project, probes, runs, limits);
  let room: SeenMotion | undefined;
  for (const [w, [from, to]] of windows.entries()) {
    const beside = windows.length > 1 ? Math.ceil(BESIDE * project.fps) : 0;
    const [first, end] = [Math.max(0, from - beside), Math.min(frames.length, to + beside)];
    const done = (part: number) => (w + part) / windows.length;
    const seen = roomForMotion(stack, limbs, frames.subarray(first, end), undefined, room);
    room = seen;
    for (let at = 0; at < end - first; at += AT_ONCE) {
      seeFrames(stack, limbs, seen, at, Math.min(end - first, at + AT_ONCE));
      yield done((0.6 * at) / (end - first));
    }
    for (const [k, probe] of probes.entries()) {
      if (isWhole(probe)) {
        const [a, b] = probe.span!;
        // A span belongs to the window in which it begins; one that goes on beyond what is seen is seen by itself.
        if (frames[from] > a + 1e-6 && from > 0) continue;
        if (to < frames.length && frames[to] <= a + 1e-6) continue;
        if (b <= frames[end - 1] + 1e-6)
          runs[k].push(...runsOf(project, probe, seen, limits, 0, end - first));
        else {
          const own = frames.filter((frame) => frame >= a - 1e-6 && frame <= b + 1e-6);
          const alone = seeMotion(stack, limbs, own, [...new Set(probe.looks)]);
          runs[k].push(...runsOf(project, probe, alone, limits, 0, own.length));
        }
      } else runs[k].push(...runsOf(project, probe, seen, limits, from - first, to - first));
      if (k % 20 === 0) yield done(0.6 + (0.4 * k) / probes.length);
    }
    if (windows.length > 1 && w + 1 < windows.length) onWindow?.(foundSoFar(), done(1));
  }
  return [...foundSoFar(), ...layerFindings(project, stack, limits)];
}

/** What is found close to a frame of what does not hang on when feet stand. */
function* firstLook(
  project: Project,
  stack: CompiledStack,
  frames: Float64Array,
  near: number,
  limits: FindingLimits,
): Steps<Finding[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const middle = Math.min(frames[frames.length - 1], Math.max(frames[0], near));
  const within = (seconds: number) =>
    frames.filter((frame) => Math.abs(frame - middle) <= seconds * project.fps);
  const own = within(FIRST_LOOK);
  const around = within(FIRST_LOOK + BESIDE);
  const seen = roomForMotion(stack, limbs, around);
  for (let at = 0; at < around.length; at += AT_ONCE) {
    seeFrames(stack, limbs, seen, at, Math.min(around.length, at + AT_ONCE));
    yield 0;
  }
  const from = around.indexOf(own[0]);
  const probes = freeProbes(project).filter((probe) => !isWhole(probe));
  const runs = probes.map((probe) => runsOf(project, probe, seen, limits, from, from + own.length));
  return findingsIn(project, probes, runs, limits);
}

/** What probes have found of joints, by frame; `runs` are those of each. */
const findingsIn = (
  project: Project,
  probes: readonly Probe[],
  runs: readonly (readonly Run[])[],
  limits: FindingLimits,
): Finding[] =>
  withoutRepeats(
    project,
    probes.flatMap((probe, k) => findingsOf(project, probe, runs[k], limits)),
    2 * popStep(project.fps),
  ).sort((one, other) => one.frame - other.frame);

/** The windows in which a range is gone through, by indices of its frames: the one around a frame first, then by how near they are. */
function windowsOf(
  { rig, fps }: Project,
  frames: Float64Array,
  near: number,
  held: number,
): [number, number][] {
  const most = Math.max(SHORTEST_WINDOW * fps, held / (8 * 20 * rig.joints.length));
  const count = Math.ceil(frames.length / most);
  const windows = Array.from({ length: count }, (_, k): [number, number] => [
    Math.round((frames.length * k) / count),
    Math.round((frames.length * (k + 1)) / count),
  ]);
  const away = ([from, to]: readonly [number, number]): number =>
    Math.max(0, frames[from] - near, near - frames[to - 1]);
  return windows.sort((one, other) => away(one) - away(other));
}

/** Frames over which there is something, where it is worst, and how much it is there. */
interface Run {
  from: number;
  /** The frame before the first. */
  before: number;
  to: number;
  frame: number;
  amount: number;
  /** Whether it is no more than unusual anywhere. */
  mild: boolean;
}

/** Seconds of a pause within which what comes again is the same finding. */
const PAUSE = 0.15;

/** What is no more than rounding, in any unit. */
const LEAST_SNAP = 1e-6;

/** Whether a probe measures its span as a whole. */
const isWhole = ({ span, around }: Probe): boolean => span !== undefined && around === undefined;

/** Runs of frames, from one index to another (not included), in which a probe is over the limit for a note; a span that is measured as a whole is one. */
function runsOf(
  { fps }: Project,
  probe: Probe,
  seen: SeenMotion,
  limits: FindingLimits,
  from: number,
  to: number,
): Run[] {
  const { span } = probe;
  const graded = gradedBy(probe);
  const least = graded ? limits[graded][0] : LEAST_SNAP;
  const whole = isWhole(probe);
  const runs: Run[] = [];
  for (let f = from; f < to; f++) {
    const frame = seen.frames[f];
    if (span && (frame < span[0] - 1e-6 || frame > span[1] + 1e-6)) continue;
    const amount = probe.at(seen, f, probe);
    if (!(amount >= least)) continue;
    const mild = probe.mild?.(seen, f, probe) ?? false;
    const before = f > 0 ? seen.frames[f - 1] : frame;
    addRun(
      runs,
      { from: frame, before, to: frame, frame, amount, mild },
      whole ? Number.POSITIVE_INFINITY : PAUSE * fps,
    );
  }
  return runs;
}

/** Adds a run behind others; where the pause between them is short it is one with the last. */
function addRun(runs: Run[], next: Run, pause: number): void {
  const run = runs[runs.length - 1];
  if (!run || next.before - run.to > pause) {
    runs.push({ ...next });
    return;
  }
  run.to = next.to;
  run.mild &&= next.mild;
  if (next.amount > run.amount) {
    run.amount = next.amount;
    run.frame = next.frame;
  }
}

/** What a probe has found, from the runs of all windows: those that meet at the seams of windows are one. */
function findingsOf(
  { rig, fps }: Project,
  probe: Probe,
  all: readonly Run[],
  limits: FindingLimits,
): Finding[] {
  const { kind, unit, joint, other, span, more } = probe;
  const graded = gradedBy(probe);
  const whole = isWhole(probe);
  const runs: Run[] = [];
  for (const run of [...all].sort((one, next) => one.from - next.from)) addRun(runs, run, PAUSE * fps);
  return runs.map((run) => ({
    kind,
    joint: memberName(rig, joint),
    ...(other !== undefined && { other: rig.joints[other].name }),
    from: whole ? span![0] : run.from,
    to: whole ? span![1] : run.to,
    frame: run.frame,
    amount: run.amount,
    unit,
    grade: graded && !run.mild ? gradeOf(limits, graded, run.amount)! : 'note',
    ...(more && { more }),
  }));
}

/**
 * Findings without those that see again what another sees: leaps within so many frames of one joint, or of joints next to
 * each other, are one pop, the largest.
 */
function withoutRepeats({ rig }: Project, found: readonly Finding[], frames: number): Finding[] {
  const pops = found
    .filter(({ kind }) => kind === 'pop')
    .map((pop): Pop => ({ pop, joint: jointIndex(rig, pop.joint!) }));
  // The gravest first, of equals the earliest: each takes those beside it away.
  pops.sort(
    ({ pop: a }, { pop: b }) =>
      GRADES.indexOf(b.grade) - GRADES.indexOf(a.grade) || b.amount - a.amount || a.frame - b.frame,
  );
  const { parents } = topologyOf(rig);
  const kept: Pop[] = [];
  for (const one of pops) if (!isRepeated(one, kept, frames, parents)) kept.push(one);
  const left = new Set(kept.map(({ pop }) => pop));
  return found.filter((one) => one.kind !== 'pop' || left.has(one));
}

interface Pop {
  readonly pop: Finding;
  readonly joint: number;
}

/** Whether one of those that are kept is within so many frames, of the same joint or of one next to it. */
function isRepeated({ pop, joint }: Pop, kept: readonly Pop[], frames: number, parents: Int32Array): boolean {
  const up = parents[joint];
  for (let k = 0; k < kept.length; k++) {
    if (Math.abs(kept[k].pop.frame - pop.frame) > frames) continue;
    const other = kept[k].joint;
    if (other === joint || other === up || parents[other] === joint) return true;
    if (up >= 0 && parents[other] === up) return true;
  }
  return false;
}

/** What is found of layers as a whole. */
function layerFindings(project: Project, stack: CompiledStack, limits: FindingLimits): Finding[] {
  const [first, last] = project.range;
  const { layers, groups, takes, fps } = project;
  const whole = { from: first, to: last, frame: first };
  const found: Finding[] = [];
  const live = layers.filter((_, index) => isLive(layers, groups, index));
  for (const layer of live) {
    const gap = loopGap(project, layer);
    if (gap) {
      const cm = 100 * gap.distance * project.metresPerUnit;
      const degrees = gradeOf(limits, 'loop', gap.degrees);
      const length = gradeOf(limits, 'loop', cm);
      if (degrees)
        found.push({
          kind: 'loop',
          layer: layer.id,
          joint: gap.turned,
          ...whole,
          amount: gap.degrees,
          unit: 'degrees',
          grade: degrees,
        });
      if (length)
        found.push({
          kind: 'loop',
          layer: layer.id,
          joint: gap.moved,
          ...whole,
          amount: cm,
          unit: 'cm',
          grade: length,
        });
    }
    const outside = keysOutside(project, layer);
    if (outside) found.push({ kind: 'outside', layer: layer.id, ...outside, unit: 'frames', grade: 'note' });
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    const { offset = 0, speed = 1, loop = 'none' } = layer.time ?? {};
    const end = take && loop === 'none' && speed > 0 ? offset + (takeDuration(take) * fps) / speed : last;
    const until = Math.min(last, layer.span?.end ?? last);
    if (end < until - 0.5)
      found.push({
        kind: 'short',
        layer: layer.id,
        from: Math.max(first, end),
        to: until,
        frame: Math.max(first, end),
        amount: until - end,
        unit: 'frames',
        grade: 'warn',
      });
  }
  const frames = last - first + 1;
  for (const layer of idleLayers(project))
    found.push({ kind: 'idle', layer, ...whole, amount: frames, unit: 'frames', grade: 'note' });
  for (const layer of coveredLayers(project, stack))
    found.push({ kind: 'covered', layer, ...whole, amount: frames, unit: 'frames', grade: 'note' });
  return found;
}

/** How far keys of a layer lie outside the range, where they do, and where the farthest is. A loop has them where it will. */
function keysOutside(
  project: Project,
  layer: Layer,
): Pick<Run, 'from' | 'to' | 'frame' | 'amount'> | undefined {
  const [first, last] = project.range;
  let worst: { frame: number; amount: number } | undefined;
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const address of addressesOf(layer, project.parts)) {
    const time = timeOfAddress(layer, address, undefined, project.fps);
    if (time.loop !== 'none' || time.speed === 0) continue;
    for (const { frame: own } of curveAtAddress(layer, address)?.keys ?? []) {
      const frame = time.plain ? own : time.offset + own / time.speed;
      const amount = Math.max(first - frame, frame - last);
      if (!(amount > 0.5)) continue;
      low = Math.min(low, frame);
      high = Math.max(high, frame);
      if (!worst || amount > worst.amount) worst = { frame, amount };
    }
  }
  return worst && { from: low, to: high, ...worst };
}

/** Findings in order of their weight: the gravest first, then by frame. */
export const byGrade = (findings: readonly Finding[]): Finding[] =>
  [...findings].sort((a, b) => GRADES.indexOf(b.grade) - GRADES.indexOf(a.grade) || a.frame - b.frame);
