import { type Rig, restPose } from '@evlay/core';
import {
  characterOf,
  charactersOf,
  globalMatrices,
  jointChildren,
  type Part,
  type Parts,
  partNames,
  pointInWorld,
  positionsAtRest,
  rigHeight,
  sceneName,
  topologyOf,
} from '@evlay/core/rig';

/** A part of the body as it is drawn: an outline and a place for its label, in the map's own units. */
export interface PartShape {
  readonly part: Part;
  readonly outline: string;
  readonly centre: readonly [number, number];
  /** Whether a tag of two or three letters fits in. */
  readonly roomy: boolean;
}

/** A bone as it is drawn, from a joint to the next or to where it ends. */
export interface BoneShape {
  readonly joint: number;
  /** The joint that it leads to, if it leads to one. */
  readonly child: number | undefined;
  readonly outline: string;
  readonly from: Point;
  readonly to: Point;
}

export interface BodyMapShapes {
  readonly parts: readonly PartShape[];
  readonly bones: readonly BoneShape[];
  readonly width: number;
  readonly height: number;
}

type Point = readonly [number, number];
type Circle = readonly [x: number, y: number, r: number];
/** Two circles and all between them; with the joint that it begins at, and the one that it leads to. */
type Limb = readonly [Circle, Circle, joint: number, child?: number];

/** How large a cell of the strip is, and how far apart they are. */
const CELL = { width: 18, height: 20, apart: 4 };

/** The parts of a map as a strip of cells beside one another, where there is no room for the map. */
export function stripShapes({ parts }: BodyMapShapes): BodyMapShapes {
  const { width, height, apart } = CELL;
  return {
    parts: parts.map(({ part }, k): PartShape => {
      const x = k * (width + apart);
      return {
        part,
        outline: `M${x} 0 h${width} v${height} h${-width} Z`,
        centre: [x + width / 2, height / 2],
        roomy: false,
      };
    }),
    bones: [],
    width: parts.length * (width + apart) - apart,
    height,
  };
}

/** Height of the map in its own units. */
const TALL = 240;

/** Parts that end a limb. */
const ENDS = /^head$|(Hand|Foot)\d*$/;

const isTrunk = (part: Part): boolean => part === 'torso' || part === 'hips';

/** Radius of a joint by its part, as a part of the character's height. */
function radiusOf(part: Part): number {
  if (/ForeFoot$|HindFoot$/.test(part)) return 0.042;
  if (part === 'torso' || part === 'hips') return 0.068;
  if (part === 'head') return 0.056;
  if (part === 'neck') return 0.03;
  if (/Hand\d*$/.test(part)) return 0.02;
  if (/Arm\d*$/.test(part)) return 0.032;
  if (/Foot\d*$/.test(part)) return 0.03;
  if (/Leg\d*$/.test(part)) return 0.044;
  if (/(wing|fin)\d*$/i.test(part)) return 0.042;
  return 0.024;
}

/** From where a body is drawn. */
type Look = 'front' | 'side' | 'above';

/**
 * People are drawn from the front, animals with four legs and fish from the side, and what spreads flat from above: spiders,
 * insects, birds with their wings out.
 */
function lookOf(rig: Rig, parts: Parts): Look {
  if (parts.some((part) => part.includes('Hind'))) return 'side';
  const places = positionsAtRest(rig);
  const [width, height, length] = [0, 1, 2].map((axis) => {
    const along = rig.joints.map((_, j) => places[3 * j + axis]);
    return Math.max(...along) - Math.min(...along);
  });
  if (width > 1.2 * height && length > 0.5 * height) return 'above';
  return length > 1.5 * height ? 'side' : 'front';
}

/**
 * Draws a rig's parts in its rest pose. Arms that stand off are let down, so that the map is narrow and reads as a body.
 * With `face` the head has a face on it.
 */
export function bodyMapShapes(rig: Rig, parts: Parts, face = false): BodyMapShapes {
  const look = lookOf(rig, parts);
  const drawn = limbsOfParts(rig, parts, look);
  if (look === 'front') for (const which of ['left', 'right']) letDown(drawn, which);
  if (face) drawFace(drawn);
  const all = [...drawn.values()].flat().flatMap((limb) => [limb[0], limb[1]]);
  const low = [0, 1].map((k) => Math.min(...all.map((circle) => circle[k] - circle[2])));
  const high = [0, 1].map((k) => Math.max(...all.map((circle) => circle[k] + circle[2])));
  const scale = TALL / (high[1] - low[1]);
  const onMap = ([x, y]: readonly number[]): Point => [(x - low[0]) * scale, (y - low[1]) * scale];
  const outlineOf = ([a, b]: Limb): string => {
    const points = hull([a, b].flatMap(around)).map(onMap);
    return `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join(' L')} Z`;
  };
  const shapes = [...drawn].map(([part, limbs]): PartShape => {
    const longest = limbs.reduce((best, limb) => (lengthOf(limb) > lengthOf(best) ? limb : best));
    const middle = onMap([0, 1].map((k) => (longest[0][k] + longest[1][k]) / 2));
    return {
      part,
      outline: limbs.map(outlineOf).join(' '),
      centre: middle,
      roomy: Math.min(longest[0][2], longest[1][2]) * scale > 6.5,
    };
  });
  // The trunk lies behind and what ends a limb before it, so that both stay pickable to their ends.
  const depth = (part: Part) => {
    if (part === 'face') return 3;
    if (look === 'side' && part.startsWith('right')) return ENDS.test(part) ? -1 : -2;
    if (isTrunk(part)) return 0;
    return ENDS.test(part) ? 2 : 1;
  };
  return {
    parts: shapes.sort((a, b) => depth(a.part) - depth(b.part)),
    bones: [...drawn]
      .flatMap(([part, limbs]) => (part === 'face' ? [] : limbs))
      .map((limb) => ({
        joint: limb[2],
        child: limb[3],
        outline: outlineOf(limb),
        from: onMap(limb[0]),
        to: onMap(limb[1]),
      })),
    width: (high[0] - low[0]) * scale,
    height: TALL,
  };
}

/** The map of a character of a scene, whose parts and joints are called and counted as they are there. */
export function mapOfCharacter(rig: Rig, character: number, parts: Parts, face: boolean): BodyMapShapes {
  const { name } = charactersOf(rig)[character];
  const { from, to } = topologyOf(rig).spans[character];
  const own = parts.slice(from, to);
  const bare =
    name === '' ? own : own.map((part) => part.slice(part.startsWith(`${name}/`) ? name.length + 1 : 0));
  const map = bodyMapShapes(characterOf(rig, character), bare, face);
  if (name === '') return map;
  const called = new Map(bare.map((part, k) => [part, own[k]]));
  return {
    ...map,
    parts: map.parts.map((shape) => ({
      ...shape,
      part: called.get(shape.part) ?? sceneName(name, shape.part),
    })),
    bones: map.bones.map((bone) => ({
      ...bone,
      joint: bone.joint + from,
      child: bone.child === undefined ? undefined : bone.child + from,
    })),
  };
}

/** The limbs of each part, flat, in character heights, y down. */
function limbsOfParts(rig: Rig, parts: Parts, look: Look): Map<Part, Limb[]> {
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  const side = look === 'side';
  const tall = sizeOf(rig, look);
  const flat = ([x, y, z]: readonly number[], part: Part): Point => {
    if (look === 'above') return [x / tall, -z / tall];
    return side ? [-z / tall + (part.startsWith('right') ? 0.08 : 0), -y / tall] : [x / tall, -y / tall];
  };
  const at = (j: number, part: Part) => flat(pointInWorld(matrices, j, [0, 0, 0]), part);
  const children = jointChildren(rig);
  const drawn = new Map<Part, Limb[]>(partNames(parts).map((part) => [part, []]));
  for (const [j, part] of parts.entries()) {
    const r = radiusOf(part);
    const from: Circle = [...at(j, part), r];
    const limbs = drawn.get(part)!;
    limbs.push([from, from, j]);
    const trunk = isTrunk(part);
    for (const child of children[j]) {
      const other = parts[child];
      const [x, y] = at(child, part);
      // The trunk is as wide as what hangs from it; a limb ends a little before the next part begins.
      if (other === part) limbs.push([from, [x, y, r], j, child]);
      else if (trunk && /(Arm|Leg)\d*$/.test(other))
        limbs.push([from, [x * 0.9, y + 0.02, r * 0.7], j, child]);
      else {
        // Seen from the side, neck and tail begin as wide as the trunk ends.
        const thin = trunk ? (side ? radiusOf(other) + 0.012 : 0) : Math.min(r, radiusOf(other));
        const wide = isTrunk(other) ? r : thin;
        if (wide > 0)
          limbs.push([from, [from[0] + (x - from[0]) * 0.9, from[1] + (y - from[1]) * 0.9, wide], j, child]);
      }
    }
    for (const end of rig.joints[j].ends)
      limbs.push([from, [...flat(pointInWorld(matrices, j, end), part), r * 0.8], j]);
    const bare = rig.joints[j].ends.every((end) => Math.hypot(...end) < 0.02 * tall);
    if (part === 'head' && bare && look === 'front') limbs.push([from, [from[0], from[1] - 0.07, r], j]);
  }
  return drawn;
}

/** What counts as the height of a body on the map: of one that lies level, a part of its length or width. */
function sizeOf(rig: Rig, look: Look): number {
  const height = rigHeight(rig);
  if (look === 'front') return height || 1;
  const places = positionsAtRest(rig);
  const [width, length] = [0, 2].map((axis) => {
    const along = rig.joints.map((_, j) => places[3 * j + axis]);
    return Math.max(...along) - Math.min(...along);
  });
  return Math.max(height, 0.6 * (look === 'above' ? Math.max(width, length) : length)) || 1;
}

/** How large a face is on its head. */
const FACE = 0.62;

/** A face in the middle of the head, or at its front. */
function drawFace(drawn: Map<Part, Limb[]>): void {
  const head = drawn.get('head') ?? [];
  if (head.length === 0) return;
  const [from, to, joint] = head.reduce((best, limb) => (lengthOf(limb) > lengthOf(best) ? limb : best));
  const middle: Circle = [(from[0] + to[0]) / 2, (from[1] + to[1]) / 2, FACE * Math.max(from[2], to[2])];
  drawn.set('face', [[middle, middle, joint]]);
}

const lengthOf = ([a, b]: Limb): number => Math.hypot(b[0] - a[0], b[1] - a[1]);

/** Turns an arm with its hand about the shoulder until it hangs at some sixty degrees. */
function letDown(drawn: Map<Part, Limb[]>, which: string): void {
  const arm = drawn.get(`${which}Arm`) ?? [];
  if (arm.length === 0) return;
  // The upper arm is the longest bone; it starts at the shoulder.
  const upper = arm.reduce((best, limb) => (lengthOf(limb) > lengthOf(best) ? limb : best));
  const [pivot, elbow] = upper;
  const sign = elbow[0] < pivot[0] ? -1 : 1;
  const angle = Math.atan2(elbow[1] - pivot[1], Math.abs(elbow[0] - pivot[0]));
  const turn = Math.max(0, (63 * Math.PI) / 180 - angle) * sign;
  const cos = Math.cos(turn);
  const sin = Math.sin(turn);
  const lowered = ([x, y, r]: Circle): Circle => {
    if (sign * x < sign * pivot[0] - 1e-9) return [x, y, r];
    const dx = x - pivot[0];
    const dy = y - pivot[1];
    return [pivot[0] + dx * cos - dy * sin, pivot[1] + dx * sin + dy * cos, r];
  };
  for (const part of [`${which}Arm`, `${which}Hand`]) {
    const limbs = drawn.get(part);
    if (limbs)
      drawn.set(
        part,
        limbs.map(([a, b, joint, child]): Limb => [lowered(a), lowered(b), joint, child]),
      );
  }
}

function around([x, y, r]: Circle): Point[] {
  return Array.from({ length: 20 }, (_, k) => [
    x + r * Math.cos((k * Math.PI) / 10),
    y + r * Math.sin((k * Math.PI) / 10),
  ]);
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
