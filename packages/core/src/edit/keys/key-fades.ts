import { type Curve, FRAME_TOLERANCE, newKey } from '../../curve/curve.js';
import { largerOf } from '../../curve/larger.js';
import type { KeyPick } from '../../layer/address.js';
import { channelsOf } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { ownTime } from '../../layer/time.js';
import { entryOf } from '../../record.js';
import { memberIndex } from '../../rig/members.js';
import { changeLayer } from '../change.js';
import { type Written, writeScalars } from './curves.js';

/** How a layer comes to picked keys and goes from them, in frames of the project. */
export interface KeyFades {
  readonly before: number;
  readonly after: number;
  /** How long it stays in full behind the last key. */
  readonly hold: number;
  /** Whether keys that follow one another are one stretch in which it counts in full; else each fades by itself. */
  readonly asOne: boolean;
}

type Stretch = readonly [from: number, to: number];

/**
 * A weight that is 1 over some stretches, comes to each over the `before` frames before it and goes over the `after`
 * frames behind it. Where they overlap the larger counts.
 */
export function fadesOver(
  stretches: readonly Stretch[],
  { before, after }: Pick<KeyFades, 'before' | 'after'>,
): Curve {
  let done: Curve = { keys: [] };
  let open: Curve = { keys: [] };
  for (const [from, to] of [...stretches].sort(([a], [b]) => a - b)) {
    const fade = fadeOver(from, to, before, after);
    const end = open.keys.at(-1);
    // What lies wholly behind the last one follows it; only what overlaps has to be compared.
    if (end && fade.keys[0].frame > end.frame + FRAME_TOLERANCE) {
      done = { keys: [...done.keys, ...open.keys] };
      open = fade;
    } else open = largerOf(open, fade);
  }
  return { keys: [...done.keys, ...open.keys] };
}

/** 0, then 1 over a stretch, then 0. A fade of no frames is a step. */
function fadeOver(from: number, to: number, before: number, after: number): Curve {
  const step = 2 * FRAME_TOLERANCE;
  return {
    keys: [
      before > 0 ? newKey(from - before, 0) : newKey(from - step, 0, 'hold'),
      newKey(from, 1),
      ...(to > from + step ? [newKey(to, 1)] : []),
      after > 0 ? newKey(to + after, 0) : newKey(to + step, 0, 'hold'),
    ],
  };
}

/**
 * Lets a layer count around picked keys of its channels: in the parts of their joints, in full at the keys, fading on both
 * sides, in every round of a loop. Written as keys of the weights of those parts. Where a part has keys of its weight already,
 * such as earlier fades, the larger counts.
 */
export function fadeAroundKeys(
  project: Project,
  id: string,
  picks: readonly KeyPick[],
  fades: KeyFades,
): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const byPart = new Map<string, { readonly picked: Set<number>; readonly others: Set<number> }>();
  for (const { address, keys } of picks) {
    if (address.kind !== 'channel' || address.layer !== id) continue;
    const part = project.parts[memberIndex(project.rig, address.joint)];
    const curve = entryOf(channelsOf(layer), address.joint)?.[address.channel];
    if (part === undefined || !curve) continue;
    const of = byPart.get(part) ?? { picked: new Set(), others: new Set() };
    byPart.set(part, of);
    for (const key of curve.keys) (keys.includes(key.id) ? of.picked : of.others).add(key.frame);
  }
  const entries = [...byPart].flatMap(([part, { picked, others }]): Written[] => {
    const own = fades.asOne ? runsOf(picked, others) : [...picked].map((frame): Stretch => [frame, frame]);
    const stretches = roundsOf(project, layer, own).map(([from, to]): Stretch => [from, to + fades.hold]);
    const earlier = entryOf(layer.mask, part);
    const fresh = fadesOver(stretches, fades);
    if (fresh.keys.length === 0) return [];
    const weight = earlier === undefined || typeof earlier === 'number' ? fresh : largerOf(earlier, fresh);
    return [[{ kind: 'part', layer: id, part }, weight]];
  });
  // The parts say from now on when it counts: its span would cut them off.
  const open = changeLayer(project, id, (own) => ({ ...own, span: undefined }));
  return entries.length === 0 ? project : writeScalars(open, entries);
}

/** Picked frames that follow one another, with none between that is not picked, as stretches. */
function runsOf(picked: ReadonlySet<number>, others: ReadonlySet<number>): Stretch[] {
  const frames = [...new Set([...picked, ...others])].sort((a, b) => a - b);
  const runs: Stretch[] = [];
  let open = false;
  for (const frame of frames) {
    const on = picked.has(frame);
    if (on && open) runs.push([runs.pop()![0], frame]);
    else if (on) runs.push([frame, frame]);
    open = on;
  }
  return runs;
}

/** Rounds of a loop in which fades are written at most. */
export const MOST_ROUNDS = 2000;

/** How often a layer's loop comes round in the range of the project; once where it does not loop. */
export function roundsIn(project: Project, layer: Layer): number {
  const { speed, length } = ownTime(layer, undefined, project.fps);
  return length > 0 ? Math.ceil(((project.range[1] - project.range[0]) * Math.abs(speed)) / length) + 3 : 1;
}

/** Stretches of a layer's own frames in frames of the project: of a loop in every round that the range shows, none where these are more than can be written. */
function roundsOf(project: Project, layer: Layer, own: readonly Stretch[]): Stretch[] {
  const { offset, speed, loop, length } = ownTime(layer, undefined, project.fps);
  if (speed === 0) return [];
  const seen = ([from, to]: Stretch, round: number): Stretch => {
    const ends = [from, to].map((frame) => offset + (frame + round * length) / speed);
    return [Math.min(...ends), Math.max(...ends)];
  };
  if (loop === 'none' || !(length > 0)) return own.map((stretch) => seen(stretch, 0));
  if (roundsIn(project, layer) > MOST_ROUNDS) return [];
  const rounds = project.range.map((frame) => ((frame - offset) * speed) / length);
  const [first, last] = [Math.floor(Math.min(...rounds)) - 1, Math.ceil(Math.max(...rounds)) + 1];
  return Array.from({ length: last - first + 1 }, (_, k) => first + k).flatMap((round) =>
    own
      .map((stretch) => seen(stretch, round))
      .filter(([from, to]) => to >= project.range[0] && from <= project.range[1]),
  );
}
