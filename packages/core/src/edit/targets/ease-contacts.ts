import { compileStack } from '../../evaluate/compile.js';
import { evaluateStack } from '../../evaluate/evaluate.js';
import type { Steps } from '../../job/steps.js';
import { contactsOf, holding } from '../../layer/content.js';
import type { HeldContacts, StandingSpan } from '../../layer/held-contacts.js';
import { layerById, type Project } from '../../layer/project.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { placeAll, placePose } from '../../rig/placed.js';
import { restPose } from '../../rig/pose.js';
import type { CompiledLimb } from '../../rig/reach.js';
import { isWithin, type Rig } from '../../rig/rig.js';
import { changeLayer } from '../change.js';

/** By how much more a joint may be accelerated where contacts come and go than it is without them, near by. */
const MORE = 1.25;
/** Metres a second squared that nobody sees, and seconds on both sides of an end of a span in which is looked. */
const UNSEEN = 8;
const NEAR = 0.2;
/** Seconds by which an end of a span is moved at once, and at most; and the part of the span that each end may give. */
const STEP = 1 / 60;
const MOST = 0.2;
const PART = 0.35;
/** Seconds over which corrections come and go at most, and by how much that grows. */
const LONGEST = 0.4;
const GROWS = 1.4;
const ROUNDS = 24;

/** Where joints of limbs are at whole frames, and how they are accelerated, in metres a second squared: a row a frame. */
interface Measured {
  readonly first: number;
  readonly places: readonly Float64Array[];
  readonly rows: readonly Float64Array[];
}

/**
 * Lets contacts that a layer holds come and go so softly that no joint of their limbs is accelerated by more than a quarter
 * above what it is without them: ends of spans that still move are taken off, and where that is not enough corrections come
 * and go over more frames. Gives the contacts as they are where nothing is faster. Gives way after each frame.
 */
export function* easeContacts(project: Project, id: string): Steps<Project> {
  const layer = layerById(project, id);
  const before = layer && contactsOf(layer);
  if (!before) return project;
  const { fps } = project;
  const limbs = compiledLimbs(project.rig, project.limbs).filter(({ name }) => before.limbs[name]);
  const joints = limbs.map((limb) => jointsOf(project.rig, limb));
  const watched = [...new Set(joints.flat())];
  const columns = joints.map((own) => own.map((j) => watched.indexOf(j)));
  const holds = (contacts: HeldContacts): Project =>
    changeLayer(project, id, (one) => ({ ...one, content: holding(contacts) }));
  const without = changeLayer(project, id, (one) => ({ ...one, muted: true }));
  const base = yield* measured(without, watched);
  const near = Math.ceil(NEAR * fps);
  const step = Math.max(1, Math.round(STEP * fps));
  let now = before;
  let best = before;
  let least = Number.POSITIVE_INFINITY;
  let seen: Measured | undefined;
  let changed: StandingSpan[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    const all: Measured = yield* measured(holds(now), watched, seen, changed);
    seen = all;
    changed = [];
    const worst = (l: number, [from, to]: readonly [number, number]): number => {
      let most = 0;
      for (const c of columns[l]) {
        const limit = Math.max(UNSEEN, MORE * largest(base, c, from - near, to + near));
        most = Math.max(most, largest(all, c, from, to) / limit);
      }
      return most;
    };
    let excess = 0;
    let longer = false;
    const eased = Object.fromEntries(
      Object.entries(now.limbs).map(([name, own]) => {
        const l = limbs.findIndex((limb) => limb.name === name);
        if (l < 0) return [name, own];
        const spans = own.spans.map(([from, to], k): StandingSpan => {
          const whole = before.limbs[name].spans[k];
          const most = Math.min(MOST * fps, PART * (whole[1] - whole[0]));
          const rest: [number, number] = [from, to];
          for (const side of [0, 1] as const) {
            const [a, b] =
              side === 0 ? [from - now.fade - 1, from + step + 1] : [to - step - 1, to + now.fade + 1];
            const over = worst(l, [a, b]);
            if (over <= 1) continue;
            excess += over - 1;
            const next = rest[side] + (side === 0 ? step : -step);
            if (Math.abs(next - whole[side]) <= most && rest[1] - rest[0] > 2 * step) {
              rest[side] = next;
              changed.push([a - near, b + near]);
            } else longer = true;
          }
          return rest;
        });
        return [name, { ...own, spans }];
      }),
    );
    if (excess < least) [least, best] = [excess, now];
    if (excess === 0) break;
    const fade = longer ? Math.min(Math.ceil(now.fade * GROWS), Math.round(LONGEST * fps)) : now.fade;
    if (changed.length === 0 && fade <= now.fade) break;
    if (fade > now.fade) seen = undefined;
    now = { ...now, fade: Math.max(fade, now.fade), limbs: eased };
  }
  return best === before ? project : holds(best);
}

/** The joints of a limb but its top, and what hangs on its end. */
const jointsOf = (rig: Rig, { chain }: CompiledLimb): number[] =>
  rig.joints.flatMap((_, j) =>
    chain.indexOf(j) > 0 || isWithin(rig, j, chain[chain.length - 1]) ? [j] : [],
  );

/** Measures joints at all whole frames of a project's range; with what was `known` of them, in the `changed` spans alone. */
function* measured(
  project: Project,
  joints: readonly number[],
  known?: Measured,
  changed: readonly StandingSpan[] = [],
): Steps<Measured> {
  const { rig, fps, metresPerUnit } = project;
  const stack = compileStack(project);
  const placed = placePose(rig, restPose(rig));
  const [first, last] = [Math.ceil(project.range[0]), Math.floor(project.range[1])];
  const isNew = (frame: number) => !known || changed.some(([from, to]) => frame >= from && frame <= to);
  const places: Float64Array[] = [];
  for (let frame = first; frame <= last; frame++) {
    const k = frame - first;
    if (known && !isNew(frame)) {
      places.push(known.places[k]);
      continue;
    }
    evaluateStack(stack, frame, placed.pose);
    placeAll(placed);
    const row = new Float64Array(3 * joints.length);
    for (const [i, j] of joints.entries()) row.set(placed.matrices.subarray(16 * j + 12, 16 * j + 15), 3 * i);
    places.push(row);
    yield;
  }
  const by = fps * fps * metresPerUnit;
  const rows = places.map((row, k) => {
    const [a, b] = [places[k - 1], places[k + 1]];
    return Float64Array.from(joints, (_, i) => {
      if (!a || !b) return 0;
      let sum = 0;
      for (let c = 3 * i; c < 3 * i + 3; c++) sum += (a[c] - 2 * row[c] + b[c]) ** 2;
      return by * Math.sqrt(sum);
    });
  });
  return { first, places, rows };
}

/** The largest acceleration of a joint between two frames. */
function largest({ first, rows }: Measured, column: number, from: number, to: number): number {
  let most = 0;
  const end = Math.min(rows.length - 1, Math.ceil(to) - first);
  for (let k = Math.max(0, Math.floor(from) - first); k <= end; k++) most = Math.max(most, rows[k][column]);
  return most;
}
