import type { Stand } from '../layer/scene.js';
import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import { FileError, quote } from './error.js';
import { joinGlb, splitGlb } from './gltf/glb.js';
import { parseGltf } from './gltf/schema.js';

/** A baked character that comes into a scene: its file, and where it stands in metres; the first stands in the scene itself. */
export interface SceneFile {
  readonly name: string;
  readonly bytes: Uint8Array;
  readonly stand?: Stand;
}

/** Lists of a glTF file that others name by index. */
const LISTS = [
  'accessors',
  'animations',
  'bufferViews',
  'buffers',
  'cameras',
  'images',
  'materials',
  'meshes',
  'nodes',
  'samplers',
  'skins',
  'textures',
] as const;
type List = (typeof LISTS)[number];
type Json = { [key: string]: unknown };
/** Where the lists of a file begin in the whole. */
type Starts = Record<List, number> & { readonly bytes: number };

/** Extensions of a whole file that are lists, which its nodes, textures or primitives name by index. */
const SHARED: Readonly<Record<string, string>> = {
  KHR_lights_punctual: 'lights',
  KHR_materials_variants: 'variants',
};
/** Extensions whose indices are known below, beside those of materials, which name textures alone. */
const KNOWN =
  /^(KHR_(draco_mesh_compression|mesh_quantization|texture_(basisu|transform)|lights_punctual|materials_\w+|meshopt_compression)|EXT_(meshopt_compression|texture_(webp|avif)|materials_bump|mesh_gpu_instancing))$/;

/**
 * Makes one binary glTF 2.0 file of baked characters: each below a node with its name that stands as its frame does, with its
 * meshes, materials and further animations. The last animation of each becomes part of one, called `motion`. What belongs to a
 * file as a whole, such as what VRM says of a character, has no place in it: it is told as a warning. Throws
 * {@link FileError} where a file needs an extension whose indices are not known.
 */
export function sceneGlb(
  motion: string,
  files: readonly SceneFile[],
): { readonly bytes: Uint8Array<ArrayBuffer>; readonly warnings: readonly string[] } {
  const whole: Record<List, Json[]> = {
    accessors: [],
    animations: [],
    bufferViews: [],
    buffers: [],
    cameras: [],
    images: [],
    materials: [],
    meshes: [],
    nodes: [],
    samplers: [],
    skins: [],
    textures: [],
  };
  const shared: Record<string, unknown[]> = {};
  const [used, required] = [new Set<string>(), new Set<string>()];
  const bins: Uint8Array[] = [];
  const channels: Json[] = [];
  const samplers: Json[] = [];
  const roots: number[] = [];
  const warnings: string[] = [];
  let bytes = 0;
  for (const { name, bytes: file, stand } of files) {
    const { json, bin } = splitGlb(file);
    const gltf = parseGltf(json) as unknown as Json & Partial<Record<List, Json[]>>;
    const extensions = (gltf.extensions ?? {}) as Record<string, Json>;
    for (const one of (gltf.extensionsRequired ?? []) as string[]) {
      if (!KNOWN.test(one))
        throw new FileError(
          name,
          `its file needs ${quote(one)}, which cannot be put with others into one file, expected a bake by itself`,
        );
      required.add(one);
    }
    for (const one of (gltf.extensionsUsed ?? []) as string[]) {
      if (KNOWN.test(one)) used.add(one);
      else warnings.push(`${name}: what ${one} says is left out, as it is of a file with one character`);
    }
    const start = { bytes } as Record<List, number> & { bytes: number };
    for (const list of LISTS) start[list] = whole[list].length;
    // All content is in one buffer; what stands in for packed views has none, and comes behind.
    start.buffers = Math.max(1, whole.buffers.length) - 1;
    const offsets = Object.fromEntries(
      Object.keys(SHARED).map((extension) => [extension, (shared[extension] ?? []).length]),
    );
    for (const [extension, list] of Object.entries(SHARED)) {
      const own = extensions[extension]?.[list] as unknown[] | undefined;
      if (own) shared[extension] = [...(shared[extension] ?? []), ...own];
    }
    const moved = movedBy(start, offsets);
    const animations = gltf.animations ?? [];
    for (const list of LISTS) {
      if (list === 'animations' || list === 'buffers') continue;
      whole[list].push(...(gltf[list] ?? []).map((one) => moved(list, one)));
    }
    const [first, ...others] = gltf.buffers ?? [];
    if (whole.buffers.length === 0) whole.buffers.push({ byteLength: 0 });
    whole.buffers.push(...others);
    bins.push(bin);
    bytes += first ? (bin.length + 3) & ~3 : 0;
    for (const [k, animation] of animations.entries()) {
      const own = moved('animations', animation) as { channels: Json[]; samplers: Json[] };
      if (k < animations.length - 1) {
        whole.animations.push({ ...own, name: `${name} ${animation.name ?? k + 1}` });
        continue;
      }
      channels.push(
        ...own.channels.map((one) => ({ ...one, sampler: (one.sampler as number) + samplers.length })),
      );
      samplers.push(...own.samplers);
    }
    const scene = ((gltf.scenes as Json[] | undefined) ?? [])[(gltf.scene as number | undefined) ?? 0];
    const tops = ((scene?.nodes ?? []) as number[]).map((node) => node + start.nodes);
    // What is skinned follows its joints, not its node, and stands beside them (section 3.7.3.3).
    const skinned = tops.filter((node) => whole.nodes[node].skin !== undefined);
    if (!stand) roots.push(...tops);
    else {
      roots.push(whole.nodes.length, ...skinned);
      whole.nodes.push(
        standing(
          name,
          stand,
          tops.filter((node) => !skinned.includes(node)),
        ),
      );
    }
  }
  if (channels.length > 0) whole.animations.push({ name: motion, channels, samplers });
  const bin = new Uint8Array(bytes);
  let at = 0;
  for (const one of bins) {
    bin.set(one, at);
    at += (one.length + 3) & ~3;
  }
  whole.buffers[0] = { byteLength: bytes };
  const json = {
    asset: { version: '2.0', generator: 'Evlay' },
    scene: 0,
    scenes: [{ name: motion, nodes: roots }],
    ...Object.fromEntries(LISTS.flatMap((list) => (whole[list].length > 0 ? [[list, whole[list]]] : []))),
    ...(used.size > 0 && { extensionsUsed: [...used] }),
    ...(required.size > 0 && { extensionsRequired: [...required] }),
    ...(Object.keys(shared).length > 0 && {
      extensions: Object.fromEntries(
        Object.entries(shared).map(([extension, all]) => [extension, { [SHARED[extension]]: all }]),
      ),
    }),
  };
  return {
    bytes: joinGlb({ json: JSON.stringify(json), bin, others: [] }),
    warnings: [...new Set(warnings)],
  };
}

/** The node of a frame. */
function standing(name: string, { at, heading, scale }: Stand, children: readonly number[]): Json {
  const rotation = [0, 0, 0, 1];
  eulerToQuaternion(rotation, 0, 'YXZ', [0, heading * RADIANS, 0], 0);
  return {
    name,
    ...(children.length > 0 && { children }),
    translation: [...at],
    rotation,
    scale: [scale, scale, scale],
  };
}

/**
 * Where an index into a list stands in an element of a list: the names on the way, `*` for every element of an array or every
 * value of an object. Of glTF 2.0 and of the extensions that are known.
 */
const INDICES: readonly (readonly [of: List, path: string, into: List | 'bytes' | keyof typeof SHARED])[] = [
  ['accessors', 'bufferView', 'bufferViews'],
  ['accessors', 'sparse.indices.bufferView', 'bufferViews'],
  ['accessors', 'sparse.values.bufferView', 'bufferViews'],
  ['animations', 'samplers.*.input', 'accessors'],
  ['animations', 'samplers.*.output', 'accessors'],
  ['animations', 'channels.*.target.node', 'nodes'],
  ['images', 'bufferView', 'bufferViews'],
  ['meshes', 'primitives.*.attributes.*', 'accessors'],
  ['meshes', 'primitives.*.indices', 'accessors'],
  ['meshes', 'primitives.*.material', 'materials'],
  ['meshes', 'primitives.*.targets.*.*', 'accessors'],
  ['meshes', 'primitives.*.extensions.KHR_draco_mesh_compression.bufferView', 'bufferViews'],
  ['meshes', 'primitives.*.extensions.KHR_materials_variants.mappings.*.material', 'materials'],
  [
    'meshes',
    'primitives.*.extensions.KHR_materials_variants.mappings.*.variants.*',
    'KHR_materials_variants',
  ],
  ['nodes', 'children.*', 'nodes'],
  ['nodes', 'mesh', 'meshes'],
  ['nodes', 'skin', 'skins'],
  ['nodes', 'camera', 'cameras'],
  ['nodes', 'extensions.KHR_lights_punctual.light', 'KHR_lights_punctual'],
  ['nodes', 'extensions.EXT_mesh_gpu_instancing.attributes.*', 'accessors'],
  ['skins', 'joints.*', 'nodes'],
  ['skins', 'skeleton', 'nodes'],
  ['skins', 'inverseBindMatrices', 'accessors'],
  ['textures', 'sampler', 'samplers'],
  ['textures', 'source', 'images'],
  ['textures', 'extensions.*.source', 'images'],
];

/** Gives elements of lists with every index moved to where the lists of their file begin. */
function movedBy(start: Starts, shared: Readonly<Record<string, number>>) {
  const offset = (into: string): number => shared[into] ?? start[into as List];
  return (list: List, element: Json): Json => {
    const own = structuredClone(element);
    leaveUnknown(own);
    for (const [of, path, into] of INDICES) if (of === list) shift(own, path.split('.'), offset(into));
    if (list === 'materials') shiftTextures(own, start.textures);
    if (list === 'bufferViews') moveView(own, start);
    return own;
  };
}

/** Leaves out what extensions say whose indices are not known; what they animate with it. */
function leaveUnknown(value: unknown): void {
  if (typeof value !== 'object' || value === null) return;
  const { extensions, channels } = value as {
    extensions?: Json;
    channels?: { target?: { node?: number } }[];
  };
  for (const name of Object.keys(extensions ?? {})) if (!KNOWN.test(name)) delete extensions![name];
  if (extensions && Object.keys(extensions).length === 0) delete (value as Json).extensions;
  if (Array.isArray(channels))
    (value as Json).channels = channels.filter(({ target }) => target?.node !== undefined);
  for (const [key, own] of Object.entries(value)) if (key !== 'extras') leaveUnknown(own);
}

/** Adds to the numbers at a path. */
function shift(value: unknown, [key, ...rest]: readonly string[], by: number): void {
  if (typeof value !== 'object' || value === null) return;
  const holder = value as Record<string, unknown>;
  for (const one of key === '*' ? Object.keys(holder) : [key]) {
    const own = holder[one];
    if (rest.length > 0) shift(own, rest, by);
    else if (typeof own === 'number') holder[one] = own + by;
  }
}

/** Textures of a material, also of its extensions, are objects under names that end so, with an index. */
function shiftTextures(value: Json, by: number): void {
  for (const [key, own] of Object.entries(value)) {
    if (typeof own !== 'object' || own === null || Array.isArray(own)) continue;
    const held = own as Json;
    if (/Texture$/.test(key) && typeof held.index === 'number') held.index += by;
    shiftTextures(held, by);
  }
}

/** A view lies in the one buffer, behind what was there; one that stands in for a packed view in a buffer of its own. */
function moveView(view: Json, start: Starts): void {
  const move = (one: Json | undefined) => {
    if (!one) return;
    if (one.buffer === 0) one.byteOffset = ((one.byteOffset as number | undefined) ?? 0) + start.bytes;
    else one.buffer = (one.buffer as number) + start.buffers;
  };
  move(view);
  const extensions = view.extensions as Record<string, Json> | undefined;
  for (const name of ['EXT_meshopt_compression', 'KHR_meshopt_compression']) move(extensions?.[name]);
}
