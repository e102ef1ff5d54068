import { globalMatrices, jointChildren, jointsByPart, type Part, type Parts, partNames, type Rig, restPose, rigHeight } from '@evlay/core';

/** A part of the body as it is drawn: an outline and a place for its label, in the map's own units. */
export interface PartShape {
  readonly part: Part;
  readonly outline: string;
  readonly centre: readonly [number, number];
}

export interface BodyMapShapes {
  readonly parts: readonly PartShape[];
  readonly width: number;
  readonly height: number;
}

type Point = readonly [number, number];
type Circle = readonly [x: number, y: number, r: number];

/** Height of the map in its own units. */
const TALL = 240;

/** Radius of a joint by its part, as a part of the character's height. */
function radiusOf(part: Part): number {
  if (part === 'torso' || part === 'hips') return 0.068;
  if (part === 'head') return 0.056;
  if (part === 'neck') return 0.026;
  if (/Hand$/.test(part)) return 0.02;
  if (/Arm$/.test(part)) return 0.032;
  if (/Foot$/.test(part)) return 0.03;
  if (/Leg$/.test(part)) return 0.044;
  return 0.024;
}

/**
 * Draws a rig's parts in its rest pose: people from the front, animals with four legs from the side. Arms that
 * stand off are let down, so that the map is narrow and reads as a body.
 */
export function bodyMapShapes(rig: Rig, parts: Parts): BodyMapShapes {
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const side = parts.some((part) => part.includes('Hind'));
  const height = rigHeight(rig) || 1;
  const flat = (x: number, y: number, z: number, part: Part): Point =>
    side ? [-z / height + (part.startsWith('right') ? 0.06 : 0), -y / height] : [x / height, -y / height];
  const at = (j: number, part = parts[j]) => flat(matrices[16 * j + 12], matrices[16 * j + 13], matrices[16 * j + 14], part);

  const joints = jointsByPart(parts);
  const drawn = new Map<Part, Circle[]>();
  for (const part of partNames(parts)) {
    const circles: Circle[] = [];
    const r = radiusOf(part);
    for (const j of joints.get(part) ?? []) {
      circles.push([...at(j), r]);
      for (const child of jointChildren(rig)[j]) {
        // A bone reaches to the next joint, but only a little into a part that is much wider or thinner.
        const own = parts[child] === part;
        const [x, y] = at(child, part);
        const [a, b] = at(j);
        const reach = own ? 1 : 0.86;
        if (own || !/torso|hips/.test(part)) circles.push([a + (x - a) * reach, b + (y - b) * reach, own ? r : Math.min(r, radiusOf(parts[child]))]);
      }
      for (const end of rig.joints[j].ends) {
        const m = 16 * j;
        const world = [0, 1, 2].map((row) => matrices[m + row] * end[0] + matrices[m + 4 + row] * end[1] + matrices[m + 8 + row] * end[2] + matrices[m + 12 + row]);
        circles.push([...flat(world[0], world[1], world[2], part), r * 0.8]);
      }
      if (part === 'head' && rig.joints[j].ends.length === 0 && !side) circles.push([at(j)[0], at(j)[1] - 0.062, r]);
    }
    if (part === 'torso') {
      // Shoulders give the torso its width.
      for (const [j, joint] of rig.joints.entries()) {
        if (/Arm$/.test(parts[j]) && joint.parent >= 0 && parts[joint.parent] === 'torso') {
          const [x, y] = at(j, 'torso');
          circles.push([x * 1.9, y + 0.03, 0.05]);
        }
      }
    }
    drawn.set(part, circles);
  }
  if (!side) for (const which of ['left', 'right']) letDown(drawn, which, firstOf(parts, `${which}Arm`), at);

  const all = [...drawn.values()].flat();
  const low = [0, 1].map((k) => Math.min(...all.map((circle) => circle[k] - circle[2])));
  const high = [0, 1].map((k) => Math.max(...all.map((circle) => circle[k] + circle[2])));
  const scale = TALL / (high[1] - low[1]);
  const shapes = [...drawn].map(([part, circles]): PartShape => {
    const points = hull(circles.flatMap(around)).map(([x, y]): Point => [(x - low[0]) * scale, (y - low[1]) * scale]);
    const mean = (k: 0 | 1) => (Math.min(...points.map((p) => p[k])) + Math.max(...points.map((p) => p[k]))) / 2;
    return {
      part,
      outline: `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join(' L')} Z`,
      centre: [mean(0), mean(1)],
    };
  });
  // The trunk lies behind, so that limbs stay pickable to their ends.
  const depth = (part: Part) => (part === 'torso' || part === 'hips' ? 0 : /^right/.test(part) && side ? 1 : 2);
  return { parts: shapes.sort((a, b) => depth(a.part) - depth(b.part)), width: (high[0] - low[0]) * scale, height: TALL };
}

const firstOf = (parts: Parts, part: Part): number => parts.indexOf(part);

/** Turns an arm with its hand about the shoulder until it hangs at some sixty degrees. */
function letDown(drawn: Map<Part, Circle[]>, which: string, first: number, at: (j: number) => Point): void {
  if (first < 0) return;
  const arm = drawn.get(`${which}Arm`) ?? [];
  const hand = drawn.get(`${which}Hand`) ?? [];
  const far = [...hand, ...arm].reduce((best, circle) => (Math.abs(circle[0]) > Math.abs(best[0]) ? circle : best), arm[0]);
  const sign = far[0] < 0 ? -1 : 1;
  const root = at(first);
  const pivot = arm.reduce((best, circle) => (Math.abs(circle[0] - root[0] - sign * 0.07) < Math.abs(best[0] - root[0] - sign * 0.07) ? circle : best), arm[0]);
  const angle = Math.atan2(far[1] - pivot[1], Math.abs(far[0] - pivot[0]));
  const turn = Math.max(0, (64 * Math.PI) / 180 - angle) * sign;
  const cos = Math.cos(turn);
  const sin = Math.sin(turn);
  const turned = ([x, y, r]: Circle): Circle => {
    if (Math.abs(x) < Math.abs(pivot[0])) return [x, y, r];
    const dx = x - pivot[0];
    const dy = y - pivot[1];
    return [pivot[0] + dx * cos - dy * sin + sign * 0.012, pivot[1] + dx * sin + dy * cos, r];
  };
  drawn.set(`${which}Arm`, arm.map(turned));
  if (hand.length > 0) drawn.set(`${which}Hand`, hand.map(turned));
}

function around([x, y, r]: Circle): Point[] {
  return Array.from({ length: 20 }, (_, k) => [x + r * Math.cos((k * Math.PI) / 10), y + r * Math.sin((k * Math.PI) / 10)]);
}

/** Convex hull of points, counter-clockwise (Andrew's monotone chain, 1979). */
function hull(points: readonly Point[]): Point[] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const half = (list: readonly Point[]): Point[] => {
    const kept: Point[] = [];
    for (const p of list) {
      while (kept.length > 1) {
        const [a, b] = kept.slice(-2);
        if ((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]) > 0) break;
        kept.pop();
      }
      kept.push(p);
    }
    return kept.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.reverse())];
}
