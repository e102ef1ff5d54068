import {
  type Curve,
  channelsOf,
  type Key,
  type Layer,
  type Project,
  type Rig,
  type Scalar,
  type Take,
  takeOf,
  targetsOf,
} from '../src/index.js';
import type { Track } from '../src/take/index.js';
import { followTargets, holdContactsPlainly } from './reference-ground.js';
import {
  about,
  fromEuler,
  headingOf,
  inverse,
  learnStands,
  ONE,
  ownerName,
  type Q,
  RAD,
  type ReferencePose,
  slerp,
  standOf,
  standTurn,
  times,
  toEuler,
  turned,
  type V,
  worldOf,
} from './reference-math.js';

export { worldOf } from './reference-math.js';

/**
 * The rules of evaluation in the plainest form: one joint, one curve, one number at a time, in 64 bits, with new
 * arrays everywhere and no code of the core. It is what the engine is compared with.
 */

// Curves

const NEAR = 1e-6;

function slopeAt(keys: readonly Key[], i: number): number {
  if (i === 0 || i === keys.length - 1) return 0;
  const h0 = keys[i].frame - keys[i - 1].frame;
  const h1 = keys[i + 1].frame - keys[i].frame;
  const r0 = keys[i].value - keys[i - 1].value;
  const r1 = keys[i + 1].value - keys[i].value;
  if (r0 === 0 || r1 === 0 || Math.sign(r0) !== Math.sign(r1)) return 0;
  const slope = (r0 + r1) / (h0 + h1);
  return Math.sign(slope) * Math.min(Math.abs(slope), 3 * Math.min(Math.abs(r0 / h0), Math.abs(r1 / h1)));
}

function between(keys: readonly Key[], slopes: readonly number[], frame: number): number {
  const on = keys.find((key) => Math.abs(key.frame - frame) <= NEAR);
  if (on) return on.value;
  if (frame < keys[0].frame) return keys[0].value;
  const i = keys.findLastIndex((key) => key.frame < frame);
  if (i === keys.length - 1) return keys[i].value;
  const [a, b] = [keys[i], keys[i + 1]];
  const h = b.frame - a.frame;
  const u = (frame - a.frame) / h;
  if (a.ease === 'hold') return a.value;
  if (a.ease === 'linear') return a.value + u * (b.value - a.value);
  if (a.ease === 'smooth') {
    return (
      (2 * u ** 3 - 3 * u ** 2 + 1) * a.value +
      (u ** 3 - 2 * u ** 2 + u) * h * slopes[i] +
      (-2 * u ** 3 + 3 * u ** 2) * b.value +
      (u ** 3 - u ** 2) * h * slopes[i + 1]
    );
  }
  const out = a.out ?? [h / 3, (slopes[i] * h) / 3];
  const into = b.in ?? [-h / 3, (-slopes[i + 1] * h) / 3];
  const xs = [0, Math.min(h, Math.max(0, out[0])), h + Math.max(-h, Math.min(0, into[0])), h];
  const ys = [a.value, a.value + out[1], b.value + into[1], b.value];
  const bezier = (p: V, s: number) =>
    (1 - s) ** 3 * p[0] + 3 * (1 - s) ** 2 * s * p[1] + 3 * (1 - s) * s ** 2 * p[2] + s ** 3 * p[3];
  let [low, high] = [0, 1];
  for (let step = 0; step < 80; step++) {
    const middle = (low + high) / 2;
    if (bezier(xs, middle) < frame - a.frame) low = middle;
    else high = middle;
  }
  return bezier(ys, (low + high) / 2);
}

const curveAt = ({ keys }: Curve, frame: number): number =>
  between(
    keys,
    keys.map((_, i) => slopeAt(keys, i)),
    frame,
  );

/** A looped curve within its cycle, from many copies of its keys. Undefined where the cycle holds none. */
export function loopedAt(curve: Curve, start: number, length: number, frame: number): number | undefined {
  const end = start + length;
  const used = curve.keys.filter((key) => key.frame >= start - NEAR && key.frame <= end + NEAR);
  if (used.length === 0) return undefined;
  const first = used[0];
  const last = used[used.length - 1];
  if (used.length > 1 && Math.abs(first.frame - start) <= NEAR && Math.abs(last.frame - end) <= NEAR) {
    const slopes = used.map((_, i) => slopeAt(used, i));
    // The last segment and the first, put together at a key of their own.
    const behind = used[used.length - 2];
    const seam = [
      { ...first, frame: behind.frame - last.frame, value: behind.value - last.value },
      { ...first, frame: 0, value: 0 },
      { ...first, frame: used[1].frame - first.frame, value: used[1].value - first.value },
    ];
    slopes[0] = slopeAt(seam, 1);
    slopes[used.length - 1] = slopes[0];
    return between(used, slopes, frame);
  }
  const copies = [-2, -1, 0, 1, 2].flatMap((n) =>
    used.map((key) => ({ ...key, frame: key.frame + n * length })),
  );
  return curveAt({ keys: copies }, frame);
}

function gain(curve: Curve | undefined, start: number, length: number): number {
  const at = (frame: number) => curve?.keys.find((key) => Math.abs(key.frame - frame) <= NEAR);
  const from = at(start);
  const to = at(start + length);
  return from && to ? to.value - from.value : 0;
}

export const scalarAt = (scalar: Scalar, frame: number): number =>
  typeof scalar === 'number' ? scalar : curveAt(scalar, frame);
const held = (value: number, high: number): number => Math.min(high, Math.max(0, value));

// Takes

function sampleAt(take: Take, track: Track, name: string, time: number): V | undefined {
  const entry = [...track.joints].findIndex((j) => take.rig.joints[j].name === name);
  if (entry < 0) return undefined;
  const row = (s: number) => {
    const o = (s * track.joints.length + entry) * track.size;
    return [...track.values.slice(o, o + track.size)];
  };
  const position = Math.min(take.count - 1, Math.max(0, time / take.interval));
  const s = Math.min(take.count - 1, Math.floor(position + 1e-9));
  const u = Math.max(0, position - s);
  if (u < 1e-9) return row(s);
  const [a, b] = [row(s), row(s + 1)];
  return track.size === 4 ? slerp(a, b, u) : a.map((value, k) => (1 - u) * value + u * b[k]);
}

// The stack

/** The name of a joint or, behind the joints, of a face channel. */
const nameOf = ({ rig: { joints, faces = [] } }: Project, j: number): string => [...joints, ...faces][j].name;

/** A face channel of a take by the words of glTF 2.0, appendix C. */
function faceAt(take: Take, name: string, time: number): number | undefined {
  const curve = take.faceCurves?.find(({ channel }) => channel === name);
  if (!curve) return undefined;
  const times = [...curve.times];
  const cubic = curve.interpolation === 'CUBICSPLINE';
  const value = (k: number, part = 1) => curve.values[cubic ? 3 * k + part : k];
  const next = times.findIndex((one) => one > time + 1e-9);
  if (next === 0) return value(0);
  if (next < 0) return value(times.length - 1);
  const k = next - 1;
  if (curve.interpolation === 'STEP') return value(k);
  const td = times[next] - times[k];
  const t = (time - times[k]) / td;
  if (!cubic) return value(k) + t * (value(next) - value(k));
  return (
    (2 * t ** 3 - 3 * t ** 2 + 1) * value(k) +
    td * (t ** 3 - 2 * t ** 2 + t) * value(k, 2) +
    (-2 * t ** 3 + 3 * t ** 2) * value(next) +
    td * (t ** 3 - t ** 2) * value(next, 0)
  );
}

/** Blends the face channels of a layer: each is a joint with one number. */
function applyFaces(
  project: Project,
  layer: Layer,
  take: Take | undefined,
  pose: ReferencePose,
  frame: number,
  g: number,
  cycle: readonly [number, number] | undefined,
): void {
  for (const [f, { name, rest }] of (project.rig.faces ?? []).entries()) {
    const alpha = weightOf(project, layer, project.rig.joints.length + f, frame);
    const curve = channelsOf(layer)[name]?.m;
    let v: number | undefined;
    if (take) {
      v = faceAt(take, name, g / project.fps);
      const reference = takeOf(layer)!.reference;
      if (v !== undefined && layer.mode === 'additive')
        v -=
          reference === 'rest'
            ? rest
            : faceAt(take, name, (reference === 'first' ? 0 : reference) * take.interval)!;
    } else if (curve && curve.keys.length > 0)
      v = cycle ? loopedAt(curve, cycle[0], cycle[1] - cycle[0], g) : curveAt(curve, g);
    if (v === undefined || alpha === 0) continue;
    pose.faces[f] = (layer.mode === 'additive' ? 1 : 1 - alpha) * pose.faces[f] + alpha * v;
  }
}

export function weightOf(project: Project, layer: Layer, j: number, frame: number): number {
  const { span } = layer;
  let e = 1;
  if (span) {
    const { start, end, fadeIn = 0, fadeOut = 0, shape = 'smooth' } = span;
    if (start !== undefined && frame < start - NEAR) return 0;
    if (end !== undefined && frame > end + NEAR) return 0;
    const h = (value: number) => {
      const u = Math.min(1, Math.max(0, value));
      return shape === 'linear' ? u : u ** 2 * (3 - 2 * u);
    };
    if (start !== undefined && fadeIn > 0) e *= h((frame - start) / fadeIn);
    if (end !== undefined && fadeOut > 0) e *= h((end - frame) / fadeOut);
  }
  const group = project.groups.find(({ id }) => id === layer.group);
  const w =
    held(scalarAt(layer.weight, frame), layer.mode === 'additive' ? 2 : 1) *
    held(scalarAt(group?.weight ?? 1, frame), 1);
  const mask = layer.mask ? held(scalarAt(layer.mask[project.parts[j]] ?? 0, frame), 1) : 1;
  const factor = held(scalarAt(layer.joints?.[nameOf(project, j)] ?? 1, frame), 1);
  return e * w * mask * factor;
}

/**
 * Evaluates the layers of a project, from the rest pose up; with `end` those below it. What contacts ask of the layers
 * below at other frames is kept in `known`, so that contacts over contacts end.
 */
export function evaluateReference(
  project: Project,
  frame: number,
  end = project.layers.length,
  known = new Map<string, ReferencePose>(),
): ReferencePose {
  const { rig, fps, layers } = project;
  learnStands(project);
  const pose: ReferencePose = {
    translations: rig.joints.map((joint) => [...joint.translation]),
    rotations: rig.joints.map((joint) => [...joint.rotation]),
    scales: rig.joints.map((joint) => [...joint.scale]),
    faces: (rig.faces ?? []).map(({ rest }) => rest),
  };
  const groups = layers.map(({ group }) => project.groups.find(({ id }) => id === group));
  const off = (i: number) => layers[i].muted || groups[i]?.muted === true;
  const soloed = (i: number) => layers[i].solo || groups[i]?.solo === true;
  const solo = layers.some((_, i) => soloed(i) && !off(i));
  for (const [index, layer] of layers.entries()) {
    if (index >= end) break;
    if (off(index) || (solo && !soloed(index) && index > 0)) continue;
    const take = project.takes.find((candidate) => candidate.id === takeOf(layer)?.take);
    const time = layer.time ?? { offset: 0, speed: 1, loop: 'none' };
    let g = (frame - time.offset) * time.speed;
    let n = 0;
    let cycle: readonly [number, number] | undefined;
    if (time.loop !== 'none') {
      const curves: (Scalar | undefined)[] = [
        ...Object.values(channelsOf(layer)).flatMap((joint) => Object.values(joint)),
        ...targetsOf(layer).flatMap(({ at, turn, toward, path }) => [
          ...[path ? {} : at, turn, toward].flatMap((values): Scalar[] => Object.values(values ?? {})),
          ...(path ? [path.along] : []),
        ]),
      ];
      const frames = curves.flatMap((curve) =>
        typeof curve === 'object' ? curve.keys.map((key) => key.frame) : [],
      );
      cycle =
        'cycle' in time && time.cycle
          ? time.cycle
          : take
            ? [0, (take.count - 1) * take.interval * fps]
            : [Math.min(...frames), Math.max(...frames)];
      if (!(cycle[1] > cycle[0])) cycle = undefined;
      else {
        const length = cycle[1] - cycle[0];
        n = Math.floor((g - cycle[0] + NEAR) / length);
        g = Math.max(cycle[0], g - n * length);
      }
    }
    const rotationsBelow = pose.rotations.map((q) => q);
    const space = layer.placement?.space;
    const stage = space === undefined ? -1 : rig.joints.findIndex(({ name }) => name === space);
    const placeBelow = stage < 0 ? undefined : stageIn(rig, pose, stage);
    applyReference(project, layer, take, pose, frame, g, time.loop === 'travel' ? n : 0, cycle, placeBelow);
    applyFaces(project, layer, take, pose, frame, g, cycle);
    const read = (scalar: Scalar) =>
      typeof scalar === 'number'
        ? scalar
        : cycle
          ? (loopedAt(scalar, cycle[0], cycle[1] - cycle[0], g) ?? 0)
          : curveAt(scalar, g);
    const counts = (j: number) => weightOf(project, layer, j, frame);
    followTargets(project, layer, pose, read, counts, rotationsBelow);
    const below = (at: number, end = index) => {
      const key = `${end} ${at}`;
      if (!known.has(key)) known.set(key, evaluateReference(project, at, end, known));
      return known.get(key)!;
    };
    holdContactsPlainly(project, layer, pose, frame, counts, below, (scalar) => scalarAt(scalar, frame));
  }
  if (end < layers.length) return pose;
  for (const [j, scales] of pose.scales.entries())
    pose.scales[j] = scales.map((value) => Math.max(1e-6, value));
  return pose;
}

/** Where a joint is on which a performance is placed. */
interface Stage {
  readonly at: V;
  readonly turn: Q;
}

function stageIn(rig: Rig, pose: ReferencePose, j: number): Stage {
  const { positions, orientations } = worldOf(rig, pose);
  return { at: positions[j], turn: orientations[j] };
}

function applyReference(
  project: Project,
  layer: Layer,
  take: Take | undefined,
  pose: ReferencePose,
  frame: number,
  g: number,
  turns: number,
  cycle: readonly [number, number] | undefined,
  stage: Stage | undefined,
): void {
  const { rig, fps } = project;
  const additive = layer.mode === 'additive';
  const below = pose.rotations.map((q) => q);
  const player = takeOf(layer)?.character ?? '';
  for (const [j, joint] of rig.joints.entries()) {
    const alpha = weightOf(project, layer, j, frame);
    if (alpha === 0) continue;
    const t = pose.translations[j];
    const q = pose.rotations[j];
    const s = pose.scales[j];
    // What the layer holds: per axis for translation and scale, as a whole for rotation.
    let moved: (number | undefined)[] = [undefined, undefined, undefined];
    let scaled: (number | undefined)[] = [undefined, undefined, undefined];
    let rotation: Q | undefined;
    let change: V | undefined;
    // A take plays on one character, by its own names; for the first it plays props too.
    const name = player === '' ? joint.name : joint.name.slice(player.length + 1);
    if (take && ownerName(rig, j) !== player) continue;
    if (take) {
      const at = (track: Track) => sampleAt(take, track, name, g / fps);
      const reference = takeOf(layer)!.reference;
      const from = (track: Track, rest: readonly number[]) =>
        reference === 'rest'
          ? [...rest]
          : sampleAt(take, track, name, (reference === 'first' ? 0 : reference) * take.interval)!;
      moved = at(take.translations) ?? moved;
      if (joint.parent < 0 && turns !== 0 && cycle && moved[0] !== undefined) {
        const end = sampleAt(take, take.translations, name, cycle[1] / fps);
        const start = sampleAt(take, take.translations, name, cycle[0] / fps);
        if (start && end) moved = moved.map((value, k) => value! + turns * (end[k] - start[k]));
      }
      scaled = at(take.scales) ?? scaled;
      rotation = at(take.rotations);
      if (additive) {
        const t0 = from(take.translations, joint.translation);
        if (moved[0] !== undefined) moved = moved.map((value, k) => value! - t0[k]);
        const s0 = from(take.scales, joint.scale);
        if (scaled[0] !== undefined) scaled = scaled.map((value, k) => value! / Math.max(1e-6, s0[k]));
        if (rotation) rotation = times(inverse(from(take.rotations, joint.rotation)), rotation);
      }
    } else {
      const channels = channelsOf(layer)[joint.name] ?? {};
      const read = (channel: 'tx' | 'ty' | 'tz' | 'rx' | 'ry' | 'rz' | 'sx' | 'sy' | 'sz') => {
        const curve = channels[channel];
        if (!curve || curve.keys.length === 0) return undefined;
        if (!cycle) return curveAt(curve, g);
        const value = loopedAt(curve, cycle[0], cycle[1] - cycle[0], g);
        const travels = joint.parent < 0 && channel.startsWith('t') && value !== undefined;
        return travels ? value + turns * gain(curve, cycle[0], cycle[1] - cycle[0]) : value;
      };
      moved = [read('tx'), read('ty'), read('tz')];
      scaled = [read('sx'), read('sy'), read('sz')];
      const angles = [read('rx'), read('ry'), read('rz')];
      if (angles.some((angle) => angle !== undefined)) {
        if (additive) change = angles.map((angle) => (angle ?? 0) * RAD);
        else {
          const below = toEuler(joint.order, q);
          rotation = fromEuler(
            joint.order,
            angles.map((angle, k) => (angle === undefined ? below[k] : angle * RAD)),
          );
        }
      }
    }
    const touched = rotation || change || [...moved, ...scaled].some((value) => value !== undefined);
    if (!touched) continue;
    if (joint.parent < 0 && layer.placement && !additive) {
      const p = layer.placement;
      const R = [about('Y', scalarAt(p.ry, frame) * RAD), about('X', scalarAt(p.rx, frame) * RAD)].reduce(
        times,
      );
      const all = times(R, about('Z', scalarAt(p.rz, frame) * RAD));
      const arm = turned(
        all,
        moved.map((value, k) => (value ?? t[k]) - p.pivot[k]),
      );
      const by = [p.tx, p.ty, p.tz].map((value) => scalarAt(value, frame));
      moved = arm.map((value, k) => p.pivot[k] + by[k] + value);
      rotation = times(all, rotation ?? q);
      if (stage) {
        const { at, scale } = standOf(rig, j);
        const home = inverse(standTurn(rig, j));
        const place = turned(stage.turn, moved as V).map((value, k) => stage.at[k] + scale * value - at[k]);
        moved = turned(home, place).map((value) => value / scale);
        rotation = times(home, times(stage.turn, rotation));
      }
    }
    const least = (value: number) => Math.max(1e-6, value);
    pose.scales[j] = s.map((value, k) => {
      const v = scaled[k];
      if (v === undefined) return value;
      return additive ? value * least(v) ** alpha : (1 - alpha) * value + alpha * v;
    });
    if (!additive) {
      pose.translations[j] = t.map((value, k) =>
        moved[k] === undefined ? value : (1 - alpha) * value + alpha * moved[k]!,
      );
      if (rotation) pose.rotations[j] = slerp(q, rotation, alpha);
      continue;
    }
    let step = moved.map((value) => alpha * (value ?? 0));
    if (take) {
      if (rotation) pose.rotations[j] = times(q, slerp(ONE, rotation, alpha));
    } else {
      const delta = change
        ? fromEuler(
            joint.order,
            change.map((angle) => alpha * angle),
          )
        : ONE;
      if (layer.axes === 'joint') pose.rotations[j] = times(q, delta);
      else {
        let P = ONE;
        for (let up = joint.parent; up >= 0; up = rig.joints[up].parent) P = times(pose.rotations[up], P);
        P = times(standTurn(rig, j), P);
        const A = layer.axes === 'character' ? headingOf(rig, below, j) : ONE;
        const F = times(inverse(P), A);
        pose.rotations[j] = times(times(times(F, delta), inverse(F)), q);
        step = turned(F, step).map((value) => value / standOf(rig, j).scale);
      }
    }
    pose.translations[j] = t.map((value, k) => value + step[k]);
  }
}
