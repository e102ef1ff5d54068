import { takeOf } from '../layer/content.js';
import type { Project } from '../layer/project.js';
import { feetOf } from '../make/contacts.js';
import { playsOn } from '../match/fit.js';
import { measureAngle } from '../math/quaternion.js';
import { globalMatrices, restPose, rigHeight } from '../rig/pose.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import { guessMetresPerUnit } from '../rig/unit.js';
import type { Motion } from '../take/reshape.js';
import { type Take, takeDuration } from '../take/take.js';
import { pathsOf, spotOf } from '../take/watch.js';

/** What a check has found: what, in words for people, and at which sample where it is one. */
export interface TakeFinding {
  readonly kind: 'file' | 'jump' | 'size' | 'floor' | 'still' | 'short';
  readonly text: string;
  readonly sample?: number;
}

/** How long a unit of a take is, in metres: that of the character where it plays on its rig, else a guess by its height. */
export const takeUnit = (project: Pick<Project, 'rig' | 'metresPerUnit'>, take: Motion): number =>
  playsOn(project.rig, take) ? project.metresPerUnit : guessMetresPerUnit(take.rig);

/** Times the height of the character from which on a take is of another size. */
const OTHER_SIZE = 8;
/** A step is a jump if it is so many times the steps around it, and so large a part of the height. */
const JUMP = { times: 8, height: 0.06 };
/** Metres below the floor that a foot may dip. */
const DIP = 0.03;
/** Metres that the feet may stay above the floor at all times. */
const HOVER = 0.05;
/** Radians by which a joint that does not move turns all the same, by rounding. */
const STILL = 1e-4;

/** What cannot be right about a take, or will not do for the project. */
export function checkTake(project: Project, take: Take): TakeFinding[] {
  const findings: TakeFinding[] = (take.warnings ?? []).map((text) => ({ kind: 'file', text }));
  const own = playsOn(project.rig, take);
  const ratio = rigHeight(take.rig) / (rigHeight(project.rig) || 1);
  if (!own && (ratio > OTHER_SIZE || ratio < 1 / OTHER_SIZE))
    findings.push({
      kind: 'size',
      text: `it is ${timesText(ratio)} as tall as the character; fit or scale it`,
    });
  findings.push(
    ...motionFindings(take, takeUnit(project, take), own ? (project.ground?.[1] ?? 0) : 0),
    ...stillJoints(take),
  );
  const frames = takeDuration(take) * project.fps;
  const [first, last] = project.range;
  const plays = project.layers.filter((layer) => takeOf(layer)?.take === take.id);
  const loops = plays.length > 0 && plays.every(({ time }) => time && time.loop !== 'none');
  if (frames < last - first - 0.5 && !loops)
    findings.push({
      kind: 'short',
      text: `it has ${Math.floor(frames) + 1} frames, the range has ${last - first + 1}; its last pose holds`,
    });
  return findings;
}

const timesText = (ratio: number): string =>
  ratio > 1 ? `${Math.round(ratio)} times` : `${ratio.toPrecision(1)} times`;

/** Sudden jumps of the root or a foot, and feet under the floor, which lies at `ground`, or always above it. */
function motionFindings(take: Take, unit: number, ground: number): TakeFinding[] {
  const feet = feetOf(take.rig);
  const root = rootOf(take.rig);
  const watched = [root, ...feet.map((name) => jointIndex(take.rig, name))];
  const soles = solesOf(take.rig, feet, ground);
  const paths = pathsOf(take, [...watched, ...soles.map(({ joint }) => joint)].map(spotOf));
  let low = { depth: 0, sample: 0, joint: 0 };
  for (const [w, j] of watched.entries()) {
    const lowest = lowestOf(paths[w]);
    const depth = (ground - paths[w][3 * lowest + 1]) * unit;
    if (j !== root && depth > low.depth) low = { depth, sample: lowest, joint: j };
  }
  let above = Number.POSITIVE_INFINITY;
  for (const [k, { height }] of soles.entries()) {
    const path = paths[watched.length + k];
    above = Math.min(above, (path[3 * lowestOf(path) + 1] - ground - height) * unit);
  }
  const findings: TakeFinding[] = [];
  const height = rigHeight(take.rig);
  for (const [w, path] of paths.slice(0, watched.length).entries()) {
    const s = jumpIn(path, take.count, height);
    if (s === undefined) continue;
    findings.push({
      kind: 'jump',
      text: `${take.rig.joints[watched[w]].name} jumps`,
      sample: s,
    });
    break;
  }
  if (low.depth > DIP)
    findings.push({
      kind: 'floor',
      text: `${take.rig.joints[low.joint].name} is ${Math.round(100 * low.depth)} cm under the floor`,
      sample: low.sample,
    });
  if (above > HOVER && soles.length > 0)
    findings.push({
      kind: 'floor',
      text: `it hovers: its feet are never less than ${Math.round(100 * above)} cm above the floor`,
    });
  return findings;
}

/** The joints of feet with all that hangs on them, and how high each stands where the skeleton rests on the floor. */
function solesOf(rig: Rig, feet: readonly string[], ground: number): { joint: number; height: number }[] {
  const tops = feet.map((name) => jointIndex(rig, name));
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  const soles = [...rig.joints.keys()]
    .filter((j) => tops.some((top) => isWithin(rig, j, top)))
    .map((joint) => ({ joint, height: matrices[16 * joint + 13] - ground }));
  const stands =
    soles.every(({ height }) => height >= 0) && soles.some(({ height }) => height < 0.15 * rigHeight(rig));
  return soles.map(({ joint, height }) => ({ joint, height: stands ? height : 0 }));
}

/** The first sample at which a path, 3 numbers a sample, is lowest. */
function lowestOf(path: Float64Array): number {
  let lowest = 0;
  for (let s = 0; 3 * s < path.length; s++) if (path[3 * s + 1] < path[3 * lowest + 1]) lowest = s;
  return lowest;
}

/** The first sample to which a path jumps: a step far larger than those around it. */
function jumpIn(path: Float64Array, count: number, height: number): number | undefined {
  const step = (s: number) =>
    s < 1 || s >= count
      ? 0
      : Math.hypot(
          path[3 * s] - path[3 * s - 3],
          path[3 * s + 1] - path[3 * s - 2],
          path[3 * s + 2] - path[3 * s - 1],
        );
  for (let s = 1; s < count; s++) {
    // Of the four steps around it one may be as large: the way back of a single sample that is off.
    const [, , around] = [step(s - 2), step(s - 1), step(s + 1), step(s + 2)].sort((a, b) => a - b);
    if (step(s) > JUMP.height * height && step(s) > JUMP.times * around) return s;
  }
  return undefined;
}

/** Joints that the take records and that never turn. */
function stillJoints(take: Take): TakeFinding[] {
  const { joints, values } = take.rotations;
  const angle = [0];
  const still = [...joints.keys()].filter((k) => {
    for (let s = 1; s < take.count; s++) {
      measureAngle(values, 4 * k, values, 4 * (s * joints.length + k), angle, 0);
      if (angle[0] > STILL) return false;
    }
    return take.count > 1;
  });
  if (still.length === 0) return [];
  const names = still.map((k) => take.rig.joints[joints[k]].name);
  const few =
    names.length > 4 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');
  return [{ kind: 'still', text: `${few} never ${names.length === 1 ? 'turns' : 'turn'}` }];
}
