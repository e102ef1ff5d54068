import { z } from 'zod';
import { cut, FileError } from '../error.js';
import { parseJson } from '../json.js';
import { checkLimit, checkName, LIMITS } from '../limits.js';
import { listOf, readBy } from '../schema.js';

/** How an animation runs between its keys (glTF 2.0, appendix C). */
export const INTERPOLATIONS = ['LINEAR', 'STEP', 'CUBICSPLINE'] as const;

const index = z.int().nonnegative();
/** Beyond this a product of a few transforms is no finite number. */
const real = z.number().min(-LIMITS.magnitude).max(LIMITS.magnitude);
const vector = (size: number) => z.array(real).length(size);
/** Fields that are not listed, extensions and extra data among them, are let through and left alone. */
const loose = z.looseObject;

const nodeSchema = loose({
  name: z.string().optional(),
  children: listOf(index).optional(),
  translation: vector(3).optional(),
  rotation: vector(4).optional(),
  scale: vector(3).optional(),
  matrix: vector(16).optional(),
  mesh: index.optional(),
  weights: z.array(real).optional(),
  skin: index.optional(),
  camera: index.optional(),
});

const animationSchema = loose({
  name: z.string().optional(),
  channels: listOf(loose({ sampler: index, target: loose({ node: index.optional(), path: z.string() }) })),
  samplers: listOf(loose({ input: index, output: index, interpolation: z.enum(INTERPOLATIONS).optional() })),
});

const meshSchema = loose({
  name: z.string().optional(),
  primitives: listOf(
    loose({ attributes: loose({ POSITION: index.optional() }), targets: listOf(loose({})).optional() }),
  ).optional(),
  weights: z.array(real).optional(),
  /** Names of the morph targets stand here by convention (section 3.7.2.2); what is none is passed over. */
  extras: loose({ targetNames: z.array(z.string()).optional().catch(undefined) })
    .optional()
    .catch(undefined),
});

/** Parts of an accessor that are not zero or not those of its view (section 3.6.2.3). */
const sparseSchema = loose({
  count: index,
  indices: loose({ bufferView: index, byteOffset: index.optional(), componentType: z.int() }),
  values: loose({ bufferView: index, byteOffset: index.optional() }),
});

const accessorSchema = loose({
  bufferView: index.optional(),
  byteOffset: index.optional(),
  componentType: z.int(),
  normalized: z.boolean().optional(),
  count: index,
  type: z.string(),
  min: listOf(z.number()).optional(),
  max: listOf(z.number()).optional(),
  sparse: sparseSchema.optional(),
});

const bufferSchema = loose({ uri: z.string().optional(), byteLength: index });
const viewSchema = loose({
  buffer: index,
  byteOffset: index.optional(),
  byteLength: index,
  byteStride: index.optional(),
  extensions: loose({}).optional(),
});

/** The humanoid bones of a character (VRMC_vrm-1.0) or of an animation (VRMC_vrm_animation-1.0): the node of each. */
const humanoidSchema = loose({
  humanoid: loose({ humanBones: z.record(z.string(), loose({ node: index })) }).optional(),
});

/** An expression of a character: which morph targets it moves, by how much; colours and textures that it changes are not read. */
const expressionSchema = loose({
  morphTargetBinds: listOf(loose({ node: index, index, weight: real })).optional(),
  materialColorBinds: listOf(loose({})).optional(),
  textureTransformBinds: listOf(loose({})).optional(),
});

const humanoidCharacterSchema = humanoidSchema.extend({
  expressions: loose({
    preset: z.record(z.string(), expressionSchema).optional(),
    custom: z.record(z.string(), expressionSchema).optional(),
  }).optional(),
});

/** Chains that swing (VRMC_springBone-1.0): the nodes of each, from its top on. */
const springSchema = loose({
  springs: listOf(loose({ name: z.string().optional(), joints: listOf(loose({ node: index })) })).optional(),
});

/** What an animation of a humanoid says besides: the nodes that stand for expressions, and for where the eyes look. */
const humanoidAnimationSchema = humanoidSchema.extend({
  expressions: loose({
    preset: z.record(z.string(), loose({ node: index })).optional(),
    custom: z.record(z.string(), loose({ node: index })).optional(),
  }).optional(),
  lookAt: loose({ node: index }).optional(),
});

/** What is read of the JSON of a glTF 2.0 file (Khronos glTF 2.0, section 5). */
const gltfSchema = loose({
  asset: loose({ version: z.string(), extras: z.unknown().optional() }),
  scene: index.optional(),
  scenes: listOf(loose({ name: z.string().optional(), nodes: listOf(index).optional() })).optional(),
  nodes: listOf(nodeSchema).optional(),
  meshes: listOf(meshSchema).optional(),
  skins: listOf(loose({ joints: listOf(index) })).optional(),
  animations: listOf(animationSchema).optional(),
  accessors: listOf(accessorSchema).optional(),
  bufferViews: listOf(viewSchema).optional(),
  buffers: listOf(bufferSchema).optional(),
  images: listOf(loose({ uri: z.string().optional(), bufferView: index.optional() })).optional(),
  cameras: listOf(
    loose({ name: z.string().optional(), perspective: loose({ yfov: real }).optional() }),
  ).optional(),
  extensions: loose({
    VRMC_vrm: humanoidCharacterSchema.optional(),
    VRMC_springBone: springSchema.optional(),
    VRMC_vrm_animation: humanoidAnimationSchema.optional(),
  }).optional(),
  extensionsUsed: listOf(z.string()).optional(),
  extensionsRequired: listOf(z.string()).optional(),
});

export type Gltf = z.infer<typeof gltfSchema>;
export type GltfNode = z.infer<typeof nodeSchema>;
export type GltfAnimation = z.infer<typeof animationSchema>;

export type GltfAccessor = z.infer<typeof accessorSchema>;

/** Parses the JSON of a glTF file and checks what is read of it. Throws {@link FileError} with a path. */
export function parseGltf(json: string): Gltf {
  const value = parseJson(json, 'a glTF file');
  const version = (value as { asset?: { version?: unknown } } | null)?.asset?.version;
  if (typeof version === 'string' && !version.startsWith('2'))
    throw new FileError('asset.version', `the file is glTF ${cut(version)}, expected glTF 2.0`);
  const gltf = readBy(gltfSchema, value, 'the file');
  checkLimit('nodes', gltf.nodes?.length ?? 0, LIMITS.nodes, 'nodes');
  checkLimit('animations', gltf.animations?.length ?? 0, LIMITS.animations, 'animations');
  for (const list of ['nodes', 'scenes', 'animations'] as const)
    for (const [i, { name }] of (gltf[list] ?? []).entries()) checkName(`${list}[${i}].name`, name ?? '');
  return gltf;
}
