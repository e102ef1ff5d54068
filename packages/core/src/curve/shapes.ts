import type { Curve, Handle, Key } from './curve.js';
import { handlesOfSegment } from './handles.js';

/**
 * How a key is met and left. `hold`, `linear` and `smooth` say how the curve goes on from it; the others shape the curve
 * on both sides of it.
 */
export const SHAPES = ['hold', 'linear', 'smooth', 'soft', 'gentle', 'firm', 'contact'] as const;
export type Shape = (typeof SHAPES)[number];

/**
 * The timing functions of CSS Easing Functions Level 1 (W3C) between two keys of a shape: `soft` is `ease-in-out`,
 * `gentle` is `ease`. `firm` stands still at its keys as well, but gets up and comes to rest in a seventh of the way.
 */
const TIMING: Readonly<Record<'soft' | 'gentle' | 'firm', readonly [number, number, number, number]>> = {
  soft: [0.42, 0, 0.58, 1],
  gentle: [0.25, 0.1, 0.25, 1],
  firm: [0.15, 0, 0.85, 1],
};

const isTiming = (shape: Shape): shape is keyof typeof TIMING => shape in TIMING;

/** The handles of a shape at both ends of a segment of `h` frames that rises by `rise`. */
function handlesOf(
  shape: keyof typeof TIMING | 'contact',
  h: number,
  rise: number,
): { out: Handle; in: Handle } {
  // Two thirds of the rise in a third of the frames: the parabola of what falls or is thrown (a cubic holds it exactly).
  if (shape === 'contact') return { out: [h / 3, (2 / 3) * rise], in: [-h / 3, (-2 / 3) * rise] };
  const [x1, y1, x2, y2] = TIMING[shape];
  return { out: [x1 * h, y1 * rise], in: [(x2 - 1) * h, (y2 - 1) * rise] };
}

/** A curve of which the picked keys have a shape. Beside a contact the curve has a soft top, if that is no contact itself. */
export function withShape(curve: Curve, isPicked: (key: Key) => boolean, shape: Shape): Curve {
  const keys = [...curve.keys];
  const picked = curve.keys.map(isPicked);
  for (let i = 0; i < keys.length; i++) {
    if (!picked[i]) continue;
    if (!isTiming(shape) && shape !== 'contact') {
      const { in: into, out: _, ...plain } = keys[i];
      keys[i] = { ...plain, ease: shape, ...(shape !== 'smooth' && into && { in: into }) };
      continue;
    }
    for (const segment of [i - 1, i]) {
      if (segment < 0 || segment + 1 >= keys.length) continue;
      const [from, to] = [keys[segment], keys[segment + 1]];
      // A held pose before the key stays held: the key is not met.
      if (segment < i && from.ease === 'hold') continue;
      const h = to.frame - from.frame;
      const rise = to.value - from.value;
      const own = handlesOf(shape, h, rise);
      const before = handlesOfSegment(keys, segment);
      const top: Handle = [h / 3, 0];
      const other = segment < i ? i - 1 : i + 1;
      const softened = shape === 'contact' && !picked[other];
      const out = segment === i ? own.out : softened ? top : before.out;
      const into = segment < i ? own.in : softened ? ([-h / 3, 0] as const) : before.in;
      keys[segment] = { ...from, ease: 'bezier', out };
      keys[segment + 1] = { ...to, in: into };
    }
  }
  return { keys };
}

const near = (a: Handle, b: Handle, h: number, rise: number): boolean =>
  Math.abs(a[0] - b[0]) <= 1e-6 * h && Math.abs(a[1] - b[1]) <= 1e-6 * Math.abs(rise) + 1e-9;

/** What the shape of a key is called; `drawn` where its handles were set by hand. */
export function shapeOf(keys: readonly Key[], i: number): Shape | 'drawn' {
  const key = keys[i];
  const leaves = i + 1 < keys.length;
  if (leaves && key.ease !== 'bezier') return key.ease;
  const met = i > 0 && keys[i - 1].ease === 'bezier';
  if (!leaves && !met) return key.ease === 'bezier' ? 'smooth' : key.ease;
  if (!key.out && !key.in) return 'smooth';
  const has = (shape: keyof typeof TIMING | 'contact') =>
    [i - 1, i].every((segment) => {
      if (segment < 0 || segment + 1 >= keys.length || keys[segment].ease === 'hold') return true;
      const h = keys[segment + 1].frame - keys[segment].frame;
      const rise = keys[segment + 1].value - keys[segment].value;
      const own = handlesOf(shape, h, rise);
      const now = handlesOfSegment(keys, segment);
      return segment < i ? near(now.in, own.in, h, rise) : near(now.out, own.out, h, rise);
    });
  return (['soft', 'gentle', 'firm', 'contact'] as const).find(has) ?? 'drawn';
}
