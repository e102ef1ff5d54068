import { DEGREES, quaternionToEuler, unwindEuler } from '../math/euler.js';
import { characterOf, type Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

const AXES = ['x', 'y', 'z'] as const;

/** A field as it stands in a line: in quotes where it holds a comma, a quote or a line's end (RFC 4180). */
const field = (text: string): string => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

const number = (value: number): string => String(Number(value.toFixed(6)));

/**
 * Writes samples that hold every joint of the rig as curves in CSV: a line a sample, with its frame, its time in seconds and
 * for every joint its rotation in degrees (`Hips.rx`, in the joint's order and unwound from sample to sample), and its
 * translation where it ever leaves rest. Sample `k` lies at frame `first + k · step`. Props are left out.
 */
export function* csvPieces(
  scene: Rig,
  samples: Samples,
  first: number,
  step: number,
): Generator<string, void> {
  const rig = characterOf(scene);
  const stride = samples.rotations.joints.length;
  const { translations, rotations } = samples;
  const moves = rig.joints.map(({ translation }, j) => {
    for (let s = 0; s < samples.count; s++)
      for (let c = 0; c < 3; c++)
        if (Math.abs(translations.values[3 * (s * stride + j) + c] - translation[c]) > 1e-9) return true;
    return false;
  });
  const names = rig.joints.flatMap(({ name }, j) => [
    ...(moves[j] ? AXES.map((axis) => `${name}.t${axis}`) : []),
    ...AXES.map((axis) => `${name}.r${axis}`),
  ]);
  yield `${['frame', 'seconds', ...names].map(field).join(',')}\r\n`;
  const before = new Float64Array(3 * rig.joints.length);
  const angles = new Float64Array(3);
  for (let s = 0; s < samples.count; s++) {
    const row = [number(first + s * step), number(s * samples.interval)];
    for (const [j, { order }] of rig.joints.entries()) {
      const at = s * stride + j;
      if (moves[j]) for (let c = 0; c < 3; c++) row.push(number(translations.values[3 * at + c]));
      quaternionToEuler(angles, 0, order, rotations.values, 4 * at);
      unwindEuler(angles, 0, order, before, 3 * j);
      before.set(angles, 3 * j);
      for (let c = 0; c < 3; c++) row.push(number(angles[c] * DEGREES));
    }
    yield `${row.join(',')}\r\n`;
  }
}
