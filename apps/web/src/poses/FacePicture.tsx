import type { SavedPose } from '@evlay/core';
import { type FaceRegion, faceRegion, sideOf, wordsOf } from '@evlay/core/rig';

/** How far a face does something on a side: the sum of what channels of a region with such words have there. */
function amountOf(
  faces: NonNullable<SavedPose['faces']>,
  region: FaceRegion,
  words: RegExp,
  side: 'left' | 'right',
): number {
  let sum = 0;
  for (const [name, value] of Object.entries(faces)) {
    const own = wordsOf(name);
    const of = sideOf(own);
    if (faceRegion(name) === region && (of === '' || of === side) && own.some((word) => words.test(word)))
      sum += value;
  }
  return Math.min(1, Math.max(-1, sum));
}

const UP = /^(up|raise|raised|lift|inner|outer|happy|surprised)$/;
const DOWN = /^(down|lower|frown|angry|sad|furrow)$/;
const SHUT = /^(blink|close|closed|shut|wink|squint)$/;
const SMILE = /^(smile|grin|happy|dimple)$/;
const FROWN = /^(frown|sad)$/;
const OPEN = /^(open|jaw|aa|oh|ou|ah|surprised)$/;

/** A small picture of an expression, as far as the names of its channels say what they do: two brows, two eyes, a mouth. */
export function FacePicture({ pose, size }: { pose: SavedPose; size: number }) {
  const faces = pose.faces ?? {};
  const of = (region: FaceRegion, words: RegExp) =>
    [amountOf(faces, region, words, 'right'), amountOf(faces, region, words, 'left')] as const;
  const [up, down, shut] = [of('brows', UP), of('brows', DOWN), of('eyes', SHUT)];
  const [smile, frown, open] = [of('mouth', SMILE), of('mouth', FROWN), of('mouth', OPEN)];
  const gape = 16 * Math.max(0, open[0], open[1]);
  const corner = (k: 0 | 1) => 68 - 12 * (smile[k] - frown[k]);
  const line = { stroke: 'var(--evlay-colors-text)', strokeWidth: 5, strokeLinecap: 'round' as const };
  return (
    <svg width={size} height={size} viewBox="0 0 100 100" aria-hidden="true" style={{ display: 'block' }}>
      <circle cx="50" cy="50" r="43" fill="var(--evlay-colors-raised)" stroke="var(--evlay-colors-line)" />
      {/* As it is looked at: its right side is at the left. */}
      {([0, 1] as const).map((k) => {
        const x = k === 0 ? 33 : 67;
        const brow = 31 - 8 * up[k] + 6 * down[k];
        return (
          <g key={k} {...line}>
            <line
              x1={x - 9}
              x2={x + 9}
              y1={brow + (k === 0 ? 0 : 4 * down[k])}
              y2={brow + (k === 0 ? 4 * down[k] : 0)}
            />
            <ellipse
              cx={x}
              cy="45"
              rx="4"
              ry={Math.max(0.5, 5 * (1 - Math.max(0, shut[k])))}
              fill="var(--evlay-colors-text)"
              strokeWidth="2"
            />
          </g>
        );
      })}
      <path
        {...line}
        fill="var(--evlay-colors-ground)"
        d={`M32 ${corner(0)} Q50 ${70 + 4 * (smile[0] + smile[1])} 68 ${corner(1)} Q50 ${70 + 4 * (smile[0] + smile[1]) + 2 * gape} 32 ${corner(0)} Z`}
      />
    </svg>
  );
}
