import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { loopGap } from '../evaluate/loop-gap.js';
import type { Steps } from '../job/steps.js';
import { addressesOf, curveAtAddress, timeOfAddress } from '../layer/address.js';
import { isLive } from '../layer/group.js';
import { type Layer, takeOf } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { jointIndex } from '../rig/rig.js';
import { takeDuration } from '../take/take.js';
import { FINDING_LIMITS, type Finding, type FindingLimits, GRADES, gradedBy, gradeOf } from './finding.js';
import { coveredLayers, idleLayers } from './idle.js';
import { rangeProbes, snapProbes, stretchProbes } from './limb-probes.js';
import { popProbes, popStep } from './pop-probes.js';
import type { Probe } from './probe.js';
import { type SeenMotion, seeMotion } from './seen.js';
import { standingsOf } from './standing.js';
import { standingProbes } from './standing-probes.js';
import { throughProbes } from './through-probes.js';

/** Everything that can be measured of the motion of a project. */
export function probesOf(project: Project, stack: CompiledStack): Probe[] {
  return [
    ...standingProbes(project, standingsOf(project, stack)),
    ...rangeProbes(project),
    ...stretchProbes(project),
    ...snapProbes(project),
    ...popProbes(project),
    ...throughProbes(project),
  ];
}

/** The whole frames of a project's range, and its end. */
export function framesOf({ range: [first, last] }: Project): Float64Array {
  const frames: number[] = [];
  for (let frame = first; frame < last; frame++) frames.push(frame);
  frames.push(last);
  return Float64Array.from(frames);
}

/** Frames that are seen between two looks whether to go on. */
const AT_ONCE = 60;

/** All findings of a project over its range, a part at a time; those of joints first, by frame. */
export function* findingSteps(project: Project, limits: FindingLimits = FINDING_LIMITS): Steps<Finding[]> {
  const stack = compileStack(project);
  const frames = framesOf(project);
  const limbs = compiledLimbs(project.rig, project.limbs);
  const parts: SeenMotion[] = [];
  for (let from = 0; from < frames.length; from += AT_ONCE) {
    parts.push(seeMotion(stack, limbs, frames.subarray(from, from + AT_ONCE)));
    yield (0.6 * from) / frames.length;
  }
  const seen = joined(parts, frames);
  const found: Finding[] = [];
  const probes = probesOf(project, stack);
  for (const [k, probe] of probes.entries()) {
    found.push(...runsOf(project, probe, seen, limits));
    if (k % 20 === 0) yield 0.6 + (0.4 * k) / probes.length;
  }
  return [
    ...withoutRepeats(project, found, 2 * popStep(project.fps)).sort((a, b) => a.frame - b.frame),
    ...layerFindings(project, stack, limits),
  ];
}

function joined(parts: readonly SeenMotion[], frames: Float64Array): SeenMotion {
  if (parts.length === 1) return parts[0];
  const put = (kind: 'matrices' | 'rotations' | 'reaches') => {
    const out = new Float64Array(parts.reduce((sum, part) => sum + part[kind].length, 0));
    let at = 0;
    for (const part of parts) {
      out.set(part[kind], at);
      at += part[kind].length;
    }
    return out;
  };
  const [{ slots, width }] = parts;
  return {
    frames,
    slots,
    width,
    matrices: put('matrices'),
    rotations: put('rotations'),
    reaches: put('reaches'),
  };
}

/** Frames over which there is something, where it is worst, and how much it is there. */
interface Run {
  from: number;
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

/** What a probe finds: a run of frames in which it is over the limit for a note is one finding, a span is one as a whole. */
function runsOf({ rig, fps }: Project, probe: Probe, seen: SeenMotion, limits: FindingLimits): Finding[] {
  const { kind, unit, joint, other, span, around, more } = probe;
  const graded = gradedBy(probe);
  const least = graded ? limits[graded][0] : LEAST_SNAP;
  const found: Finding[] = [];
  let run: Run | undefined;
  const whole = span !== undefined && around === undefined;
  const end = () => {
    if (!run) return;
    found.push({
      kind,
      joint: rig.joints[joint].name,
      ...(other !== undefined && { other: rig.joints[other].name }),
      from: whole ? span[0] : run.from,
      to: whole ? span[1] : run.to,
      frame: run.frame,
      amount: run.amount,
      unit,
      grade: graded && !run.mild ? gradeOf(limits, graded, run.amount)! : 'note',
      ...(more && { more }),
    });
    run = undefined;
  };
  for (let f = 0; f < seen.frames.length; f++) {
    const frame = seen.frames[f];
    if (span && (frame < span[0] - 1e-6 || frame > span[1] + 1e-6)) continue;
    const amount = probe.at(seen, f);
    if (!(amount >= least)) {
      if (run && !whole && frame - run.to > PAUSE * fps) end();
      continue;
    }
    const mild = probe.mild?.(seen, f) ?? false;
    run ??= { from: frame, to: frame, frame, amount, mild };
    run.to = frame;
    run.mild &&= mild;
    if (amount > run.amount) {
      run.amount = amount;
      run.frame = frame;
    }
  }
  end();
  return found;
}

/**
 * Findings without those that see again what another sees: leaps within so many frames of one joint, or of joints next to
 * each other, are one pop, the largest.
 */
function withoutRepeats({ rig }: Project, found: readonly Finding[], frames: number): Finding[] {
  const pops = found.filter(({ kind }) => kind === 'pop');
  const parentOf = (name: string | undefined) => rig.joints[jointIndex(rig, name!)].parent;
  const beside = (a: Finding, b: Finding): boolean => {
    if (a.joint === b.joint) return true;
    const [up, other] = [parentOf(a.joint), parentOf(b.joint)];
    return (
      (up >= 0 && up === other) || rig.joints[up]?.name === b.joint || rig.joints[other]?.name === a.joint
    );
  };
  // The gravest first, of equals the earliest: each takes those beside it away.
  const order = [...pops].sort(
    (a, b) => GRADES.indexOf(b.grade) - GRADES.indexOf(a.grade) || b.amount - a.amount || a.frame - b.frame,
  );
  const kept = new Set<Finding>();
  for (const pop of order)
    if (![...kept].some((one) => Math.abs(one.frame - pop.frame) <= frames && beside(one, pop)))
      kept.add(pop);
  return found.filter((one) => one.kind !== 'pop' || kept.has(one));
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
function keysOutside(project: Project, layer: Layer): Omit<Run, 'mild'> | undefined {
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
