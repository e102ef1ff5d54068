import type { Curve, Layer, Scalar } from '../src/index.js';
import { channelsOf, contactsOf, isCurve, targetsOf } from '../src/index.js';
import type { MotionEvent } from '../src/kit/index.js';

/** How frames of a kit come to those of a take, written plainly and slowly: every set of pairs is tried. */

export type Pair = { name: string; kit: number; take: number; square: number };
interface Side {
  range: readonly [number, number];
  events: readonly MotionEvent[];
}

export function pairsPlainly(kit: Side, take: Side, fps: number): Pair[] {
  const [a, b] = kit.range;
  const [A, B] = take.range;
  const line = (x: number) => A + ((x - a) * (B - A)) / (b - a);
  const pair = (name: string, x: number, y: number): Pair => ({
    name,
    kit: x,
    take: y,
    square: (y - line(x)) ** 2,
  });
  const named = (side: Side, name: string) =>
    side.events.filter((one) => one.name === name).map((one) => one.frame);
  const families = new Map<string, string[]>();
  for (const { name } of kit.events) {
    if (name === 'start' || name === 'end') continue;
    const limb = /^(.*) (down|up)$/.exec(name)?.[1];
    families.set(limb ?? name, limb ? [`${limb} down`, `${limb} up`] : [name]);
  }
  const candidates: Pair[] = [];
  for (const names of families.values()) {
    const tried = [0, 1, -1, 2, -2].map((s) => {
      const found = names.flatMap((name) =>
        named(kit, name).flatMap((x, k) =>
          named(take, name)[k + s] === undefined ? [] : [pair(name, x, named(take, name)[k + s])],
        ),
      );
      return { found, mean: found.reduce((sum, { square }) => sum + square, 0) / found.length };
    });
    const some = tried.filter(({ found }) => found.length > 0);
    const least = Math.min(...some.map(({ mean }) => mean));
    candidates.push(...(some.find(({ mean }) => mean === least)?.found ?? []));
  }
  candidates.sort((one, other) => one.kit - other.kit);
  let best: { run: Pair[]; sum: number } | undefined;
  for (let set = 0; set < 1 << candidates.length; set++) {
    const run = [pair('start', a, A), ...candidates.filter((_, k) => set & (1 << k)), pair('end', b, B)];
    if (
      run.some(
        (one, k) => k > 0 && !(one.kit > run[k - 1].kit && one.take - run[k - 1].take >= fps / 30 - 1e-9),
      )
    )
      continue;
    const sum = run.reduce((total, { square }) => total + square, 0);
    if (!best || run.length > best.run.length || (run.length === best.run.length && sum < best.sum))
      best = { run, sum };
  }
  return best?.run ?? [pair('start', a, A)];
}

/** Where a frame comes to by pairs, and how long what lies on one side of it becomes. */
export function movePlainly(pairs: readonly Pair[], x: number): number {
  const last = pairs[pairs.length - 1];
  if (x <= pairs[0].kit) return x + pairs[0].take - pairs[0].kit;
  if (x >= last.kit) return x + last.take - last.kit;
  const k = pairs.findIndex((one, i) => x >= one.kit && x <= pairs[i + 1].kit);
  const [one, other] = [pairs[k], pairs[k + 1]];
  return one.take + ((x - one.kit) / (other.kit - one.kit)) * (other.take - one.take);
}

export function lengthPlainly(pairs: readonly Pair[], x: number, side: number): number {
  const k = pairs.findIndex(
    (one, i) =>
      i + 1 < pairs.length &&
      (side > 0 ? x >= one.kit && x < pairs[i + 1].kit : x > one.kit && x <= pairs[i + 1].kit),
  );
  if (k < 0) return 1;
  return (pairs[k + 1].take - pairs[k].take) / (pairs[k + 1].kit - pairs[k].kit);
}

/** Every curve of a layer with a name, and whether it is read at the frames of the project. */
export function curvesIn(layer: Layer): { name: string; curve: Curve; own: boolean }[] {
  const found: { name: string; curve: Curve; own: boolean }[] = [];
  const look = (name: string, scalar: Scalar | undefined, own = false) => {
    if (scalar !== undefined && isCurve(scalar)) found.push({ name, curve: scalar, own });
  };
  look('weight', layer.weight);
  for (const [part, scalar] of Object.entries(layer.mask ?? {})) look(`mask ${part}`, scalar);
  for (const [joint, scalar] of Object.entries(layer.joints ?? {})) look(`joint ${joint}`, scalar);
  for (const [channel, scalar] of Object.entries(layer.placement ?? {}))
    if (channel !== 'pivot') look(`placement ${channel}`, scalar as Scalar);
  for (const [joint, channels] of Object.entries(channelsOf(layer)))
    for (const [channel, curve] of Object.entries(channels))
      look(`${joint} ${channel}`, curve as Curve, true);
  for (const [k, { at, turn, toward }] of targetsOf(layer).entries())
    for (const [field, values] of Object.entries({ at, turn, toward }))
      for (const [axis, scalar] of Object.entries(values ?? {}))
        look(`target ${k} ${field} ${axis}`, scalar as Scalar, true);
  look('turn', contactsOf(layer)?.turn);
  return found;
}
