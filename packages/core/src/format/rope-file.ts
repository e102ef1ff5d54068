import { hangingChain } from '../math/hanging-chain.js';
import { joinGlb } from './gltf/glb.js';

export const ROPE_KINDS = ['rope', 'chain'] as const;
export type RopeKind = (typeof ROPE_KINDS)[number];

/** A rope or a chain to be made. Lengths are in metres. */
export interface NewRope {
  readonly kind: RopeKind;
  readonly length: number;
  readonly thickness: number;
  /** How many joints bend it: 3 at least. */
  readonly links: number;
  /** How far its end is from its start as it hangs at rest: sideways, and up. */
  readonly across: number;
  readonly up: number;
}

/** The joints of a rope from its start to its end. The first is its root, and where the first link turns. */
export const ropeJoints = (links: number): string[] => [
  'Start',
  ...Array.from({ length: links }, (_, k) => `Link${k + 1}`),
  'End',
];

type V = readonly [x: number, y: number, z: number];

/** A surface that joints bend: three numbers a vertex, and the two links that move it, with the share of the first. */
interface Surface {
  readonly positions: number[];
  readonly normals: number[];
  readonly links: number[];
  readonly shares: number[];
  readonly triangles: number[];
}

const COLOURS: Record<RopeKind, { color: number[]; metallic: number; roughness: number }> = {
  rope: { color: [0.42, 0.29, 0.15, 1], metallic: 0, roughness: 0.95 },
  chain: { color: [0.16, 0.2, 0.22, 1], metallic: 0.6, roughness: 0.45 },
};

/**
 * A rope or a chain as a binary glTF file: a skinned surface on a row of joints that all have the length of a link, as it
 * hangs at rest, its lowest point a little above the floor. Its joints are those of {@link ropeJoints}.
 */
export function ropeFile(rope: NewRope): Uint8Array {
  const { links, length, kind } = rope;
  const ways = new Float64Array(2 * links);
  hangingChain(new Float64Array(links).fill(length / links), rope.across, rope.up, ways);
  const places: V[] = [[0, 0, 0]];
  for (let k = 0; k < links; k++) {
    const [x, y] = places[k];
    places.push([x + (ways[2 * k] * length) / links, y + (ways[2 * k + 1] * length) / links, 0]);
  }
  const above = 0.05 * length - Math.min(...places.map(([, y]) => y));
  const standing = places.map(([x, y, z]): V => [x, y + above, z]);
  const surface = (kind === 'rope' ? tube : rings)(standing, rope.thickness);
  return glbOf(rope, standing, surface);
}

const add = (a: V, b: V, factor = 1): V => [a[0] + factor * b[0], a[1] + factor * b[1], a[2] + factor * b[2]];
const scaled = (a: V, factor: number): V => [a[0] * factor, a[1] * factor, a[2] * factor];
const middle = (a: V, b: V): V => scaled(add(a, b), 0.5);

/** The direction of a link, which lies in the plane of the first two axes. */
function wayOf(a: V, b: V): V {
  const size = Math.hypot(b[0] - a[0], b[1] - a[1]);
  return [(b[0] - a[0]) / size, (b[1] - a[1]) / size, 0];
}

/** Across a link within that plane. */
const sideOf = ([x, y]: V): V => [-y, x, 0];

const AROUND = 10;
const emptySurface = (): Surface => ({ positions: [], normals: [], links: [], shares: [], triangles: [] });

/** Adds a vertex; gives its index. */
function addVertex(surface: Surface, at: V, normal: V, link: number, other: number, share: number): number {
  surface.positions.push(...at);
  surface.normals.push(...normal);
  // The first joint is the root; what counts nothing names joint 0.
  surface.links.push(share > 0 ? link + 1 : 0, share < 1 ? other + 1 : 0, 0, 0);
  surface.shares.push(share, 1 - share, 0, 0);
  return surface.positions.length / 3 - 1;
}

/** Adds a ring of vertices; gives their indices. */
const addRing = (
  surface: Surface,
  count: number,
  vertex: (angle: number) => readonly [at: V, normal: V],
  link: number,
  other = link,
  share = 1,
): number[] =>
  Array.from({ length: count }, (_, k) => {
    const [at, normal] = vertex((2 * Math.PI * k) / count);
    return addVertex(surface, at, normal, link, other, share);
  });

/** Joins two rings of as many vertices by triangles. */
function joinRings({ triangles }: Surface, a: readonly number[], b: readonly number[]): void {
  for (let k = 0; k < a.length; k++) {
    const next = (k + 1) % a.length;
    triangles.push(a[k], a[next], b[k], b[k], a[next], b[next]);
  }
}

/** A tube with a ring at every joint, moved by the links on both sides, and one in the middle of each link. */
function tube(places: readonly V[], thickness: number): Surface {
  const surface = emptySurface();
  const last = places.length - 2;
  const ways = places.slice(1).map((place, k) => wayOf(places[k], place));
  const ring = (center: V, way: V, link: number, other: number, share: number, radius = thickness / 2) =>
    addRing(
      surface,
      AROUND,
      (angle) => {
        const out = add(scaled([0, 0, 1], Math.sin(angle)), sideOf(way), Math.cos(angle));
        return [add(center, out, radius), out];
      },
      link,
      other,
      share,
    );
  const between = (a: V, b: V): V => {
    const [x, y] = add(a, b);
    const size = Math.hypot(x, y);
    return size < 1e-9 ? a : [x / size, y / size, 0];
  };
  let before = ring(places[0], ways[0], 0, 0, 1, thickness / 8);
  const next = (now: number[]) => {
    joinRings(surface, before, now);
    before = now;
  };
  next(ring(places[0], ways[0], 0, 0, 1));
  for (let k = 0; k <= last; k++) {
    if (k > 0) next(ring(places[k], between(ways[k - 1], ways[k]), k - 1, k, 0.5));
    next(ring(middle(places[k], places[k + 1]), ways[k], k, k, 1));
  }
  next(ring(places[last + 1], ways[last], last, last, 1));
  next(ring(places[last + 1], ways[last], last, last, 1, thickness / 8));
  return surface;
}

const LINK = 12;
const ROUND = 6;

/** An open ring of iron for each link, each a quarter of a turn on from the one before. */
function rings(places: readonly V[], thickness: number): Surface {
  const surface = emptySurface();
  const wire = thickness / 5;
  for (let k = 0; k + 1 < places.length; k++) {
    const way = wayOf(places[k], places[k + 1]);
    const side: V = k % 2 === 0 ? [0, 0, 1] : sideOf(way);
    const flat: V = k % 2 === 0 ? sideOf(way) : [0, 0, -1];
    const center = middle(places[k], places[k + 1]);
    const half = Math.hypot(...add(places[k + 1], places[k], -1)) / 2 + wire / 2;
    const loop = Array.from({ length: LINK }, (_, i) => {
      const angle = (2 * Math.PI * i) / LINK;
      const out = add(scaled(way, Math.cos(angle)), side, Math.sin(angle));
      const at = add(
        add(center, way, (half - wire / 2) * Math.cos(angle)),
        side,
        (thickness / 2 - wire / 2) * Math.sin(angle),
      );
      return addRing(
        surface,
        ROUND,
        (round) => {
          const normal = add(scaled(out, Math.cos(round)), flat, Math.sin(round));
          return [add(at, normal, wire / 2), normal];
        },
        k,
      );
    });
    for (const [i, ring] of loop.entries()) joinRings(surface, ring, loop[(i + 1) % LINK]);
  }
  return surface;
}

function glbOf({ kind, links }: NewRope, places: readonly V[], surface: Surface): Uint8Array {
  const names = ropeJoints(links);
  const offset = (k: number): V =>
    k === 0 ? places[0] : k === 1 ? [0, 0, 0] : add(places[k - 1], places[k - 2], -1);
  // The root and the first link are at the same place.
  const binds = [places[0], ...places].flatMap(([x, y, z]) => [
    1,
    0,
    0,
    0,
    0,
    1,
    0,
    0,
    0,
    0,
    1,
    0,
    -x,
    -y,
    -z,
    1,
  ]);
  const axes = [0, 1, 2];
  const column = (axis: number) => surface.positions.filter((_, k) => k % 3 === axis);
  const count = surface.positions.length / 3;
  const parts: { values: Float32Array | Uint16Array | Uint32Array; accessor: object; target?: number }[] = [
    {
      values: Float32Array.from(surface.positions),
      accessor: {
        type: 'VEC3',
        count,
        min: axes.map((axis) => Math.fround(column(axis).reduce((a, b) => Math.min(a, b)))),
        max: axes.map((axis) => Math.fround(column(axis).reduce((a, b) => Math.max(a, b)))),
      },
      target: 34962,
    },
    { values: Float32Array.from(surface.normals), accessor: { type: 'VEC3', count }, target: 34962 },
    { values: Uint16Array.from(surface.links), accessor: { type: 'VEC4', count }, target: 34962 },
    { values: Float32Array.from(surface.shares), accessor: { type: 'VEC4', count }, target: 34962 },
    {
      values: Uint32Array.from(surface.triangles),
      accessor: { type: 'SCALAR', count: surface.triangles.length },
      target: 34963,
    },
    { values: Float32Array.from(binds), accessor: { type: 'MAT4', count: names.length } },
  ];
  let length = 0;
  const views = parts.map(({ values, target }) => {
    const view = { buffer: 0, byteOffset: length, byteLength: values.byteLength, ...(target && { target }) };
    length += (values.byteLength + 3) & ~3;
    return view;
  });
  const bin = new Uint8Array(length);
  for (const [k, { values }] of parts.entries())
    bin.set(new Uint8Array(values.buffer, 0, values.byteLength), views[k].byteOffset);
  const typeOf = (values: object) =>
    values instanceof Float32Array ? 5126 : values instanceof Uint16Array ? 5123 : 5125;
  const { color, metallic, roughness } = COLOURS[kind];
  const json = {
    asset: { version: '2.0', generator: 'Evlay' },
    scene: 0,
    scenes: [{ nodes: [0, names.length] }],
    nodes: [
      ...names.map((name, k) => ({
        name,
        translation: offset(k),
        ...(k + 1 < names.length && { children: [k + 1] }),
      })),
      { name: kind, mesh: 0, skin: 0 },
    ],
    meshes: [
      {
        primitives: [
          { attributes: { POSITION: 0, NORMAL: 1, JOINTS_0: 2, WEIGHTS_0: 3 }, indices: 4, material: 0 },
        ],
      },
    ],
    skins: [{ joints: names.map((_, k) => k), inverseBindMatrices: 5, skeleton: 0 }],
    materials: [
      {
        name: kind,
        doubleSided: true,
        pbrMetallicRoughness: {
          baseColorFactor: color,
          metallicFactor: metallic,
          roughnessFactor: roughness,
        },
      },
    ],
    accessors: parts.map(({ values, accessor }, k) => ({
      bufferView: k,
      componentType: typeOf(values),
      ...accessor,
    })),
    bufferViews: views,
    buffers: [{ byteLength: length }],
  };
  return joinGlb({ json: JSON.stringify(json), bin, others: [] });
}
