import {
  channelsOf,
  contactsOf,
  type Layer,
  type Project,
  type Rig,
  type Scalar,
  type TargetPath,
  takeOf,
  targetsOf,
} from '../src/index.js';
import {
  fromEuler,
  headingOf,
  inverse,
  ONE,
  type Q,
  RAD,
  type ReferencePose,
  rootAbove,
  slerp,
  standOf,
  standTurn,
  times,
  turned,
  type V,
  worldOf,
} from './reference-math.js';

/** Limbs, targets and contacts in the plainest form, with no code of the core. Limbs are those that the project names. */

const plus = (a: V, b: V): V => a.map((value, k) => value + b[k]);
const minus = (a: V, b: V): V => a.map((value, k) => value - b[k]);
const scaled = (a: V, by: number): V => a.map((value) => value * by);
const dot = (a: V, b: V): number => a.reduce((sum, value, k) => sum + value * b[k], 0);
const cross = (a: V, b: V): V => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const size = (a: V): number => Math.hypot(...a);
const unit = (a: V): V => scaled(a, 1 / size(a));
const aboutAxis = (axis: V, angle: number): Q => [...scaled(axis, Math.sin(angle / 2)), Math.cos(angle / 2)];
const smooth = (u: number): number => {
  const t = Math.min(1, Math.max(0, u));
  return t * t * (3 - 2 * t);
};
/** The plain evaluator cannot tell small differences of its input from large ones here. */
export const delicate = { seen: false };

interface Chain {
  readonly joints: readonly number[];
  readonly bend: V;
}

const chainOf = (project: Project, name: string): Chain => {
  const limb = project.limbs[name]!;
  return {
    joints: limb.chain.map((joint) => project.rig.joints.findIndex((one) => one.name === joint)),
    bend: [...limb.bend],
  };
};

const restOf = (rig: Rig): ReferencePose => ({
  translations: rig.joints.map(({ translation }) => [...translation]),
  rotations: rig.joints.map(({ rotation }) => [...rotation]),
  scales: rig.joints.map(({ scale }) => [...scale]),
  faces: [],
});

/** Gives a joint an orientation in the scene. */
function orient(rig: Rig, pose: ReferencePose, j: number, q: Q): void {
  const { parent } = rig.joints[j];
  const { orientations } = worldOf(rig, pose);
  pose.rotations[j] = times(inverse(parent < 0 ? standTurn(rig, j) : orientations[parent]), q);
}

/** Gives the joints of a chain orientations in the scene, from the top down. */
function orientAll(rig: Rig, pose: ReferencePose, joints: readonly number[], to: readonly Q[]): void {
  for (const [k, j] of joints.entries()) orient(rig, pose, j, to[k]);
}

function reachPlainly(rig: Rig, pose: ReferencePose, { joints, bend }: Chain, goal: V): void {
  const { positions, orientations } = worldOf(rig, pose);
  const rest = worldOf(rig, restOf(rig), true);
  const points = joints.map((j) => positions[j]);
  const n = joints.length - 1;
  const way = minus(goal, points[0]);
  if (size(minus(goal, points[n])) === 0) return;
  const bones = points.slice(1).map((p, k) => minus(p, points[k]));
  let backwards = false;
  let first = 0;
  const axes = bones.slice(0, -1).map((bone, i) => {
    const restBone = minus(rest.positions[joints[i + 1]], rest.positions[joints[i]]);
    const side = i % 2 === 0 ? bend : scaled(bend, -1);
    const atRest = unit(cross(side, unit(restBone)));
    const hinge = turned(times(orientations[joints[i]], inverse(rest.orientations[joints[i]])), atRest);
    let x = cross(unit(bone), unit(bones[i + 1]));
    let beta = Math.atan2(size(x), dot(unit(bone), unit(bones[i + 1])));
    const along = size(x) > 0 ? dot(unit(x), hinge) : 0;
    const small = beta > 0.1 * RAD && beta < 10 * RAD;
    if (small && Math.abs(along + 0.01) < 1e-3) delicate.seen = true;
    if (along < -0.01 && (Math.abs(beta - 0.1 * RAD) < 1e-4 || Math.abs(beta - 10 * RAD) < 1e-4))
      delicate.seen = true;
    if (along < -0.01 && small) {
      x = scaled(x, -1);
      beta = -beta;
    }
    if (n === 2) [backwards, first] = [beta < 0, beta];
    const u = smooth((Math.abs(beta) - 2 * RAD) / (8 * RAD));
    return unit(plus(scaled(hinge, 1 - u), size(x) > 0 ? scaled(unit(x), u) : [0, 0, 0]));
  });
  const bent = (s: number) => {
    const moved = points.map((p) => [...p]);
    const turning = axes.map((axis) => [...axis]);
    let total: Q = ONE;
    const totals: Q[] = [ONE];
    for (let i = 1; i < n; i++) {
      const q = aboutAxis(turning[i - 1], s);
      for (let k = i + 1; k <= n; k++) moved[k] = plus(moved[i], turned(q, minus(moved[k], moved[i])));
      for (let k = i; k < turning.length; k++) turning[k] = turned(q, turning[k]);
      total = times(q, total);
      totals.push(total);
    }
    return { end: minus(moved[n], moved[0]), totals };
  };
  const wanted = size(way);
  const off = (s: number) => size(bent(s).end) - wanted;
  /** Where between two angles the distance is missed least, by golden sections. */
  const least = (low: number, high: number) => {
    const golden = (Math.sqrt(5) - 1) / 2;
    let [a, b] = [low, high];
    for (let round = 0; round < 70; round++) {
      const [c, d] = [b - golden * (b - a), a + golden * (b - a)];
      if (Math.abs(off(c)) < Math.abs(off(d))) b = d;
      else a = c;
    }
    return (a + b) / 2;
  };
  const zero = (from: number, to: number) => {
    let [low, high] = [from, to];
    for (let round = 0; round < 60; round++) {
      const middle = (low + high) / 2;
      if (off(low) * off(middle) <= 0) high = middle;
      else low = middle;
    }
    return (low + high) / 2;
  };
  const STEP = Math.PI / 1600;
  const grid = (side: number) => Array.from({ length: 1601 }, (_, k) => side * STEP * k);
  /** The angle nearest to 0 on a side at which the distance is as wanted, also where it is only touched. */
  const search = (side: number): number | undefined => {
    const angles = grid(side);
    const values: number[] = [];
    const value = (k: number) => (values[k] ??= off(angles[k]));
    for (let k = 1; k < angles.length; k++) {
      const dips = Math.abs(value(k)) <= Math.abs(value(k - 1));
      if (value(k) * value(k - 1) <= 0 && value(k - 1) !== 0) return zero(angles[k - 1], angles[k]);
      if (!dips || k + 1 === angles.length || Math.abs(value(k + 1)) < Math.abs(value(k))) continue;
      const lowest = least(angles[k - 1], angles[k + 1]);
      if (off(lowest) * value(k) <= 0) return zero(angles[k - 1], lowest);
    }
    return undefined;
  };
  const nearest = (side: number) => {
    const best = grid(side).reduce((a, b) => (Math.abs(off(b)) < Math.abs(off(a)) ? b : a), 0);
    return least(best - STEP, best + STEP);
  };
  let s = 0;
  const lacks = off(0);
  if (lacks < 0) {
    const side = off(1e-6) > off(-1e-6) ? 1 : -1;
    s = search(side) ?? nearest(side);
  } else if (lacks > 0) {
    const back = backwards ? search(-1) : undefined;
    if (back !== undefined && Math.abs(first + back + 10 * RAD) < 1e-4) delicate.seen = true;
    s = back !== undefined && first + back >= -10 * RAD ? back : (search(1) ?? nearest(1));
  }
  const { end, totals } = bent(s);
  const cosine = dot(unit(end), unit(way));
  if (cosine < -0.9999) delicate.seen = true;
  const turn = cross(unit(end), unit(way));
  const whole = size(turn) < 1e-12 ? ONE : aboutAxis(unit(turn), Math.atan2(size(turn), cosine));
  orientAll(
    rig,
    pose,
    joints,
    joints.map((j, k) => (k === n ? orientations[j] : times(times(whole, totals[k]), orientations[j]))),
  );
}

function turnTowardPlainly(rig: Rig, pose: ReferencePose, { joints }: Chain, toward: V, alpha: number): void {
  const { positions, orientations } = worldOf(rig, pose);
  const points = joints.map((j) => positions[j]);
  const n = joints.length - 1;
  const full = points.slice(1).reduce((sum, p, k) => sum + size(minus(p, points[k])), 0);
  const line = unit(minus(points[n], points[0]));
  const off = (p: V) => {
    const arm = minus(p, points[0]);
    return minus(arm, scaled(line, dot(arm, line)));
  };
  const [from, to] = [off(points[1]), off(toward)];
  const sure = smooth((Math.min(size(from), size(to)) / full - 0.002) / 0.02);
  if (sure === 0) return;
  const angle = Math.atan2(dot(cross(from, to), line), dot(from, to));
  if (Math.abs(angle) > 3.1) delicate.seen = true;
  const q = aboutAxis(line, alpha * sure * angle);
  orientAll(
    rig,
    pose,
    joints,
    joints.map((j, k) => (k === n ? orientations[j] : times(q, orientations[j]))),
  );
}

const limbNameOf = (project: Project, joint: string): string | undefined =>
  Object.entries(project.limbs).find(([, limb]) => limb?.chain[limb.chain.length - 1] === joint)?.[0];

const STEPS = 3000;
const pathLengths = new WeakMap<object, number[]>();

/** Points of a path and its curve between two of them, by the recursion of Barry and Goldman (1988), and along its length by small steps. */
function onPath({ points, closed, along }: TargetPath, read: (scalar: Scalar) => number) {
  const n = points.length;
  const pieces = closed ? n : n - 1;
  const at = (i: number): V => {
    if (closed) return [...points[(i + n) % n]];
    if (i < 0) return minus(scaled([...points[0]], 2), [...points[1]]);
    return i < n ? [...points[i]] : minus(scaled([...points[n - 1]], 2), [...points[n - 2]]);
  };
  const place = (i: number, u: number): V => {
    const p = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    const t = [0];
    for (let k = 1; k < 4; k++) t.push(t[k - 1] + Math.sqrt(size(minus(p[k], p[k - 1]))));
    const x = t[1] + u * (t[2] - t[1]);
    const mix = (a: V, b: V, from: number, to: number) =>
      plus(scaled(a, (to - x) / (to - from)), scaled(b, (x - from) / (to - from)));
    const a = [0, 1, 2].map((k) => mix(p[k], p[k + 1], t[k], t[k + 1]));
    const b = [0, 1].map((k) => mix(a[k], a[k + 1], t[k], t[k + 2]));
    return mix(b[0], b[1], t[1], t[2]);
  };
  const lengths = pathLengths.get(points) ?? [0];
  if (lengths.length === 1) {
    for (let k = 0; k < pieces * STEPS; k++) {
      const i = Math.floor(k / STEPS);
      const u = (k % STEPS) / STEPS;
      lengths.push(lengths[k] + size(minus(place(i, u + 1 / STEPS), place(i, u))));
    }
    pathLengths.set(points, lengths);
  }
  const value = read(along);
  const part = closed ? value - Math.floor(value) : Math.min(1, Math.max(0, value));
  const wanted = part * lengths[lengths.length - 1];
  const k = Math.min(
    lengths.length - 2,
    Math.max(
      0,
      lengths.findLastIndex((length) => length <= wanted),
    ),
  );
  const rest = (wanted - lengths[k]) / (lengths[k + 1] - lengths[k]);
  const [i, u] = [Math.floor(k / STEPS), ((k % STEPS) + rest) / STEPS];
  const h = 1e-5;
  const ahead = unit(minus(place(i, Math.min(1, u + h)), place(i, Math.max(0, u - h))));
  return { place: place(i, u), ahead };
}

/** The turn whose third axis lies ahead and whose second is up as far as it can be. */
function facingAlong(ahead: V): Q {
  if (Math.abs(Math.abs(ahead[1]) - 1) < 1e-4) delicate.seen = true;
  const x = unit(cross([0, 1, 0], ahead));
  const level = unit([ahead[0], 0, ahead[2]]);
  const heading = aboutAxis([0, 1, 0], Math.atan2(level[0], level[2]));
  return times(aboutAxis(x, -Math.asin(ahead[1])), heading);
}

/** Brings joints where the targets of a layer say. `below` are the rotations of all joints below the layer. */
export function followTargets(
  project: Project,
  layer: Layer,
  pose: ReferencePose,
  read: (scalar: Scalar) => number,
  counts: (joint: number) => number,
  below: readonly Q[],
): void {
  const { rig } = project;
  for (const { joint, space, at, turn, toward, path } of targetsOf(layer)) {
    const j = rig.joints.findIndex(({ name }) => name === joint);
    const name = limbNameOf(project, joint);
    const chain = name === undefined ? undefined : chainOf(project, name);
    const alpha = counts(j);
    const beta = chain ? counts(chain.joints[chain.joints.length - 2]) : alpha;
    const { positions, orientations } = worldOf(rig, pose);
    const s = rig.joints.findIndex((one) => one.name === space);
    const [S, o] = s < 0 ? [ONE, [0, 0, 0]] : [orientations[s], positions[s]];
    const gone = path && onPath(path, read);
    const place = gone ? gone.place : [at.tx, at.ty, at.tz].map(read);
    let kept = orientations[j];
    let goal: V;
    if (layer.mode === 'additive') {
      let A = kept;
      if (layer.axes !== 'joint') A = ONE;
      if (layer.axes === 'character') {
        A = headingOf(rig, below, j);
      }
      goal = plus(positions[j], scaled(turned(A, place), beta));
      if (turn) {
        const R = fromEuler(
          'YXZ',
          [turn.rx, turn.ry, turn.rz].map((value) => alpha * read(value) * RAD),
        );
        kept = times(times(times(A, R), inverse(A)), kept);
      }
    } else {
      goal = plus(scaled(positions[j], 1 - beta), scaled(plus(o, turned(S, place)), beta));
      if ((turn || path?.heading) && alpha > 0) {
        const own = fromEuler(
          'YXZ',
          turn ? [turn.rx, turn.ry, turn.rz].map((value) => read(value) * RAD) : [0, 0, 0],
        );
        const R = path?.heading ? times(facingAlong(gone!.ahead), own) : own;
        if (Math.abs(dot(kept, times(S, R))) < 1e-3) delicate.seen = true;
        kept = slerp(kept, times(S, R), alpha);
      }
    }
    if (beta > 0) {
      if (chain) {
        reachPlainly(rig, pose, chain, goal);
        if (toward) {
          const side = plus(o, turned(S, [toward.tx, toward.ty, toward.tz].map(read)));
          turnTowardPlainly(rig, pose, chain, side, beta);
        }
      } else {
        const { parent } = rig.joints[j];
        const now = worldOf(rig, pose);
        // Without scale of its own a joint's place is its parent's and an arm that turns with it.
        const stand = standOf(rig, j);
        const [above, origin] =
          parent < 0 ? [standTurn(rig, j), stand.at] : [now.orientations[parent], now.positions[parent]];
        pose.translations[j] = scaled(turned(inverse(above), minus(goal, origin)), 1 / stand.scale);
      }
    }
    if (((turn || path?.heading) && alpha > 0) || !chain) orient(rig, pose, j, kept);
  }
}

/** Holds the contacts of a layer. `below` evaluates what is below it, or below the layer with an index. */
export function holdContactsPlainly(
  project: Project,
  layer: Layer,
  pose: ReferencePose,
  frame: number,
  counts: (joint: number) => number,
  below: (frame: number, end?: number) => ReferencePose,
  read: (scalar: Scalar) => number,
): void {
  const held = contactsOf(layer);
  if (!held) return;
  const { rig, fps } = project;
  const known = new Map<number, ReturnType<typeof worldOf>>();
  const world = (at: number) => {
    if (!known.has(at)) known.set(at, worldOf(rig, below(at)));
    return known.get(at)!;
  };
  const stage = rig.joints.findIndex(({ name }) => name === held.space);
  const limbs = Object.entries(held.limbs).map(([name, { points, spans }]) => {
    const chain = chainOf(project, name);
    const pointsAt = (at: number) =>
      points.map(({ joint, end }) => {
        const j = rig.joints.findIndex((one) => one.name === joint);
        const { positions, orientations } = world(at);
        const arm =
          end === undefined ? [0, 0, 0] : scaled([...rig.joints[j].ends[end]], standOf(rig, j).scale);
        const place = plus(positions[j], turned(orientations[j], arm));
        return stage < 0 ? place : turned(inverse(orientations[stage]), minus(place, positions[stage]));
      });
    const tableOf = ([from, to]: readonly [number, number]) => {
      const frames: number[] = [];
      for (let x = from; x < to; x++) frames.push(x);
      frames.push(to);
      const places = frames.map(pointsAt);
      let sum = [0, 0];
      const across = [[0, 0]];
      const stands: number[] = [];
      for (let k = 0; k + 1 < frames.length; k++) {
        const heights = points.map(({ floor }, p) => places[k][p][1] + places[k + 1][p][1] - 2 * floor);
        const least = Math.min(...heights);
        if (heights.filter((height) => height < least + 1e-5).length > 1) delicate.seen = true;
        const p = heights.indexOf(least);
        stands.push(p);
        sum = [0, 2].map((axis, i) => sum[i] - (places[k + 1][p][axis] - places[k][p][axis]));
        across.push(sum);
      }
      const lift = (places: V[]) => -Math.min(...places.map((place, p) => place[1] - points[p].floor));
      const value = (f: number): V => {
        const k = Math.max(
          0,
          frames.findLastIndex((x) => x <= f),
        );
        // From a frame on it is the standing point of the step that stays where it is.
        const here = pointsAt(f);
        if (k + 1 >= frames.length) return [across[k][0], lift(here), across[k][1]];
        const slid = [0, 2].map((axis) => here[stands[k]][axis] - places[k][stands[k]][axis]);
        return [across[k][0] - slid[0], lift(here), across[k][1] - slid[1]];
      };
      const middle = value((from + to) / 2);
      return (f: number): V => {
        const [x, y, z] = value(Math.min(to, Math.max(from, f)));
        return [x - middle[0], y, z - middle[2]];
      };
    };
    // Those that count at no frame that is asked for are not worked out.
    const tables: ReturnType<typeof tableOf>[] = [];
    const table = (k: number) => (tables[k] ??= tableOf(spans[k]));
    const share = (k: number, f: number) => {
      const [from, to] = spans[k];
      if (f >= from && f <= to) return 1;
      const gap =
        f < from
          ? k === 0
            ? held.fade
            : Math.min(held.fade, from - spans[k - 1][1])
          : k + 1 === spans.length
            ? held.fade
            : Math.min(held.fade, spans[k + 1][0] - to);
      if (gap === 0) return 0;
      return smooth(1 - (f < from ? from - f : f - to) / gap);
    };
    const correction = (f: number) => {
      const c = spans.reduce(
        (sum, _, k) => (share(k, f) === 0 ? sum : plus(sum, scaled(table(k)(f), share(k, f)))),
        [0, 0, 0],
      );
      return stage < 0 ? c : turned(world(f).orientations[stage], c);
    };
    const shares = (f: number) => spans.map((_, k) => share(k, f));
    const most = (f: number) => Math.max(0, ...shares(f));
    /** The middle of the span that counts most. */
    const middle = (f: number) => {
      const [from, to] = spans[shares(f).indexOf(most(f))];
      return (from + to) / 2;
    };
    return { chain, correction, most, middle };
  });
  const end = (joints: readonly number[]) => joints[joints.length - 1];
  const start = worldOf(rig, pose);
  const alphas = limbs.map(({ chain }) => counts(chain.joints[chain.joints.length - 2]));
  const goals = limbs.map(({ chain, correction }, l) =>
    plus(start.positions[end(chain.joints)], scaled(correction(frame), alphas[l])),
  );
  const roots = held.hips ? new Set(limbs.map(({ chain }) => rootAbove(rig, chain.joints[0]))) : [];
  for (const root of roots) {
    const own = limbs.filter(({ chain }) => rootAbove(rig, chain.joints[0]) === root);
    const need = (m: number) => {
      let worst = 0;
      for (const { chain, correction, most } of own) {
        if (most(m) === 0) continue;
        const { positions } = world(m);
        const joints = chain.joints;
        const R =
          0.999 *
          joints.slice(1).reduce((sum, j, k) => sum + size(minus(positions[j], positions[joints[k]])), 0);
        const v = minus(plus(positions[end(joints)], correction(m)), positions[joints[0]]);
        const r = Math.hypot(v[0], v[2]);
        const q = smooth((R - r) / (0.1 * R));
        const lacks = -v[1] - Math.sqrt(Math.max(0, R * R - r * r));
        worst = Math.max(worst, most(m) * q * Math.min(0.15 * R, Math.max(0, lacks)));
      }
      return worst;
    };
    const K = Math.max(1, Math.floor(0.2 * fps + 0.5));
    let down = 0;
    for (let m = Math.floor(frame) - K - 2; m <= frame + K + 2; m++)
      if (Math.abs(frame - m) < K + 1)
        down = Math.max(down, need(m) * smooth((K + 1 - Math.abs(frame - m)) / K));
    const most = Math.max(...own.map((limb) => alphas[limbs.indexOf(limb)]));
    pose.translations[root] = minus(pose.translations[root], [
      0,
      (most * down) / standOf(rig, root).scale,
      0,
    ]);
  }
  for (const [l, { chain, most, middle }] of limbs.entries()) {
    reachPlainly(rig, pose, chain, goals[l]);
    const far = alphas[l] * Math.min(1, Math.max(0, read(held.turn ?? 0))) * most(frame);
    const j = end(chain.joints);
    const like = likePlainly(project, layer, rig.joints[j].name);
    if (far === 0 || like < 0) continue;
    /** An orientation in the scene as it is on what the feet stand on. */
    const onStage = (orientations: readonly Q[], k: number) =>
      stage < 0 ? orientations[k] : times(inverse(orientations[stage]), orientations[k]);
    const root = rootAbove(rig, j);
    const [now, plain] = [below(middle(frame)), below(middle(frame), like + 1)].map((one) =>
      onStage(worldOf(rig, one).orientations, root),
    );
    const [, y, , w] = times(now, inverse(plain));
    if (Math.hypot(y, w) < 1e-3) delicate.seen = true;
    const heading = unit([0, y, 0, w]);
    const back = times(heading, onStage(worldOf(rig, below(frame, like + 1)).orientations, j));
    const to = stage < 0 ? back : times(world(frame).orientations[stage], back);
    const from = worldOf(rig, pose).orientations[j];
    if (Math.abs(dot(from, to)) < 1e-3) delicate.seen = true;
    orient(rig, pose, j, slerp(from, to, far));
  }
}

/** The index of the layer whose turn a limb's end has, -1 where there is none. */
function likePlainly({ layers, takes, groups }: Project, layer: Layer, joint: string): number {
  const like = contactsOf(layer)?.like;
  const below = layers.slice(0, layers.indexOf(layer));
  if (like !== undefined) return below.findIndex(({ id }) => id === like);
  const off = (one: Layer) => one.muted || groups.some(({ id, muted }) => id === one.group && muted);
  return below.findIndex((one) => {
    const take = takes.find(({ id }) => id === takeOf(one)?.take);
    const player = takeOf(one)?.character;
    const moves = take?.rig.joints.some(
      ({ name }, j) =>
        (player === undefined ? name : `${player}/${name}`) === joint && take.rotations.joints.includes(j),
    );
    return !off(one) && (moves || Object.keys(channelsOf(one)).includes(joint));
  });
}
