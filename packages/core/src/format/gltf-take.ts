import type { Animation, AnimationChannel } from '@gltf-transform/core';
import { newId } from '../id.js';
import { normalize, slerp } from '../math/quaternion.js';
import type { Rig } from '../rig/rig.js';
import { emptyTrack, type Take, type Track } from '../take/take.js';
import { checkSize, FileError, reasonOf } from './error.js';
import { type GlbSkeleton, readSkeleton } from './gltf-rig.js';

/** Samples a second where the keys of an animation stand at uneven times. */
const UNEVEN_RATE = 60;
/** How far a time may lie from an even one, as a part of the interval: times are 32-bit numbers. */
const EVEN = 0.02;

/**
 * Reads an animation of a binary glTF 2.0 file as a take, a sample a key where they stand at even times. `clip` names
 * the animation where there are several. Throws {@link FileError}.
 */
export async function readGlbTake(
  file: string,
  bytes: Uint8Array,
  clip: string | undefined,
  id = newId(),
): Promise<{ take: Take; warnings: readonly string[] }> {
  checkSize(file, bytes.length);
  try {
    const skeleton = await readSkeleton(bytes);
    const animation = findClip(skeleton, clip);
    const name = animation.getName() || file.slice(file.lastIndexOf('/') + 1).replace(/\.glb$/i, '');
    return takeOf(skeleton, animation, { id, name, source: { file, bytes, clip } });
  } catch (error) {
    // Buffers that are too short, accessors of another type: the library says what it ran into.
    throw new FileError(file, `the animation cannot be read (${reasonOf(error)})`);
  }
}

/** Names of the animations of a file that was read. */
export const clipNames = ({ document }: GlbSkeleton): string[] =>
  document
    .getRoot()
    .listAnimations()
    .map((animation) => animation.getName());

function findClip({ document }: GlbSkeleton, clip: string | undefined): Animation {
  const all = document.getRoot().listAnimations();
  const names = all.map((animation) => `"${animation.getName()}"`).join(', ');
  if (all.length === 0) throw new FileError('animations', 'there is no animation, expected one');
  if (clip === undefined) {
    if (all.length > 1)
      throw new FileError('animations', `there are several, expected "clip" to name one of ${names}`);
    return all[0];
  }
  const found = all.find((animation) => animation.getName() === clip);
  if (!found) throw new FileError('animations', `there is no "${clip}", expected one of ${names}`);
  return found;
}

type Path = 'translation' | 'rotation' | 'scale';

function takeOf(
  { rig, nodes }: GlbSkeleton,
  animation: Animation,
  about: Pick<Take, 'id' | 'name' | 'source'>,
): { take: Take; warnings: readonly string[] } {
  const channels = animation.listChannels().filter((channel) => {
    const node = channel.getTargetNode();
    return node && nodes.includes(node) && channel.getTargetPath() !== 'weights';
  });
  const times = channels.flatMap((channel) => [...channel.getSampler()!.getInput()!.getArray()!]);
  if (times.length === 0)
    throw new FileError('animations', 'no joint is animated, expected keys for at least one');
  const { interval, count, even } = evenTimes(times);
  const track = (path: Path, size: 3 | 4): Track => {
    const own = channels
      .filter((channel) => channel.getTargetPath() === path)
      .map((channel) => ({ channel, joint: nodes.indexOf(channel.getTargetNode()!) }))
      .sort((a, b) => a.joint - b.joint);
    if (own.length === 0) return emptyTrack(size);
    const values = new Float64Array(count * own.length * size);
    for (const [entry, { channel }] of own.entries())
      sampleChannel(channel, size, interval, count, values, entry * size, own.length * size);
    return { joints: Int32Array.from(own, ({ joint }) => joint), size, values };
  };
  const take: Take = {
    ...about,
    rig: rig satisfies Rig,
    count,
    interval,
    translations: track('translation', 3),
    rotations: track('rotation', 4),
    scales: track('scale', 3),
  };
  const warnings = even ? [] : [`keys stand at uneven times; they are read ${UNEVEN_RATE} times a second`];
  return { take, warnings };
}

/** The interval and the number of samples that hold keys at the given times, from time 0 on. */
function evenTimes(times: readonly number[]): { interval: number; count: number; even: boolean } {
  const sorted = [...new Set([0, ...times])].sort((a, b) => a - b);
  const last = sorted[sorted.length - 1];
  if (last <= 0) return { interval: 1 / UNEVEN_RATE, count: 1, even: true };
  const least = sorted.reduce(
    (best, time, i) => (i > 0 && time - sorted[i - 1] > 1e-5 ? Math.min(best, time - sorted[i - 1]) : best),
    last,
  );
  // The interval that divides the whole, with a whole number of samples a second where that is near.
  const steps = Math.max(1, Math.round(last / least));
  const rate = steps / last;
  const interval = 1 / (Math.abs(rate - Math.round(rate)) < 1e-3 ? Math.round(rate) : rate);
  const even = sorted.every((time) => {
    const step = time / interval;
    return Math.abs(step - Math.round(step)) < EVEN;
  });
  return even
    ? { interval, count: steps + 1, even }
    : { interval: 1 / UNEVEN_RATE, count: Math.ceil(last * UNEVEN_RATE - 1e-6) + 1, even };
}

/** Writes the values of a channel at even times (glTF 2.0, appendix C: step, linear, cubic spline). */
function sampleChannel(
  channel: AnimationChannel,
  size: 3 | 4,
  interval: number,
  count: number,
  out: Float64Array,
  first: number,
  stride: number,
): void {
  const sampler = channel.getSampler()!;
  const input = sampler.getInput()!.getArray()!;
  const output = sampler.getOutput()!;
  const cubic = sampler.getInterpolation() === 'CUBICSPLINE';
  const element = (i: number) => output.getElement(i, new Array<number>(size).fill(0));
  const value = (key: number) => element(cubic ? 3 * key + 1 : key);
  let key = 0;
  for (let s = 0; s < count; s++) {
    const time = s * interval;
    while (key + 1 < input.length && input[key + 1] <= time + EVEN * interval) key++;
    const o = first + s * stride;
    const h = key + 1 < input.length ? input[key + 1] - input[key] : 0;
    const u = h > 0 ? (time - input[key]) / h : 0;
    if (u <= EVEN || h === 0 || sampler.getInterpolation() === 'STEP') out.set(value(key), o);
    else if (!cubic && size === 4) slerp(out, o, value(key), 0, value(key + 1), 0, u);
    else if (!cubic) {
      const [a, b] = [value(key), value(key + 1)];
      for (let c = 0; c < size; c++) out[o + c] = (1 - u) * a[c] + u * b[c];
    } else {
      const [a, b] = [value(key), value(key + 1)];
      const leave = element(3 * key + 2);
      const arrive = element(3 * (key + 1));
      for (let c = 0; c < size; c++) {
        out[o + c] =
          (2 * u ** 3 - 3 * u ** 2 + 1) * a[c] +
          (u ** 3 - 2 * u ** 2 + u) * h * leave[c] +
          (-2 * u ** 3 + 3 * u ** 2) * b[c] +
          (u ** 3 - u ** 2) * h * arrive[c];
      }
    }
    if (size === 4) normalize(out, o);
  }
}
