import { FINDING_LIMITS, type FindingLimits } from '../../check/finding.js';
import { findingSteps } from '../../check/findings.js';
import type { Headroom } from '../../check/headroom.js';
import { fewKeys } from '../../curve/few-keys.js';
import type { Steps } from '../../job/steps.js';
import type { CurveAddress } from '../../layer/address.js';
import type { Project } from '../../layer/project.js';
import { valueAt, writeScalar } from '../keys/curves.js';

/** Seconds on both sides over which a weight that is turned down comes and goes, and how near its keys keep to it. */
const COMES = 0.15;
const CLOSE = 0.003;
/** Rounds in which it is turned down further where the weight that moves makes something be found, and by how much. */
const ROUNDS = 4;
const FURTHER = 0.7;

/** What is weighed: the layer, or it in a part. */
export const addressOfRoom = ({ layer, part }: Pick<Headroom, 'layer' | 'part'>): CurveAddress =>
  part === undefined ? { kind: 'weight', layer } : { kind: 'part', layer, part };

/** The smallest number within so many places of each. */
const eroded = (values: Float64Array, reach: number): Float64Array =>
  values.map((_, k) => Math.min(...values.subarray(Math.max(0, k - reach), k + reach + 1)));

/** The mean within so many places of each; beyond the ends the end counts. */
const averaged = (values: Float64Array, reach: number): Float64Array =>
  values.map((_, k) => {
    let sum = 0;
    for (let i = k - reach; i <= k + reach; i++) sum += values[Math.min(values.length - 1, Math.max(0, i))];
    return sum / (2 * reach + 1);
  });

/**
 * Turns a layer down where it is above its headroom: its weight becomes a curve below the ceiling, smooth, and as it was
 * where there is room. The mean of the smallest neighbours never passes the ceiling. What is found then is looked over
 * again, since a weight that changes moves what it weighs: where something is found that is not there without the layer,
 * it is turned down further. The same project comes back where nothing is above the ceiling.
 */
export function* stayUnderSteps(
  project: Project,
  room: Headroom,
  limits: FindingLimits = FINDING_LIMITS,
): Steps<Project> {
  const address = addressOfRoom(room);
  const { frames } = room;
  const now = Float64Array.from(frames, (frame) => valueAt(project, address, frame));
  if (now.every((value, k) => value <= room.ceiling[k] + 1e-9)) return project;
  const reach = Math.max(1, Math.round(COMES * project.fps));
  const ceiling = Float64Array.from(room.ceiling);
  const without = yield* graveOf(writeScalar(project, address, 0), limits);
  let result = project;
  for (let round = 0; round < ROUNDS; round++) {
    const wanted = now.map((value, k) => Math.min(value, ceiling[k]));
    const smooth = averaged(eroded(wanted, reach), reach);
    const points = [...frames].map((frame, k): [number, number] => {
      const turnedDown = smooth[k] < now[k] - 1e-9;
      return [frame, turnedDown ? Math.max(0, smooth[k] - CLOSE) : now[k]];
    });
    result = writeScalar(project, address, { keys: fewKeys(points, CLOSE) });
    const found = yield* graveOf(result, limits);
    const more = found.filter(
      (one) => !without.some((other) => other.what === one.what && other.amount >= one.amount - 1e-6),
    );
    if (more.length === 0) break;
    for (const { from, to } of more)
      for (let k = 0; k < frames.length; k++)
        if (frames[k] >= from - reach && frames[k] <= to + reach)
          ceiling[k] = FURTHER * Math.min(ceiling[k], now[k]);
  }
  return result;
}

interface Grave {
  readonly what: string;
  readonly from: number;
  readonly to: number;
  readonly amount: number;
}

/** Warnings and faults of joints. */
function* graveOf(project: Project, limits: FindingLimits): Steps<Grave[]> {
  const found = yield* findingSteps(project, limits);
  return found.flatMap(({ kind, joint, other, layer, from, to, amount, grade }) =>
    layer === undefined && grade !== 'note' && kind !== 'pop'
      ? [{ what: `${kind} ${joint} ${other ?? ''}`, from, to, amount }]
      : [],
  );
}
