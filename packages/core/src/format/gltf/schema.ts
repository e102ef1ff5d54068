import { z } from 'zod';
import { FileError } from '../error.js';
import { pathText } from '../stack-schema.js';

const index = z.int().nonnegative();
const vector = (size: number) => z.array(z.number()).length(size);
/** Fields that are not listed, extensions and extra data among them, are let through and left alone. */
const loose = z.looseObject;

const nodeSchema = loose({
  name: z.string().optional(),
  children: z.array(index).optional(),
  translation: vector(3).optional(),
  rotation: vector(4).optional(),
  scale: vector(3).optional(),
  matrix: vector(16).optional(),
  mesh: index.optional(),
  skin: index.optional(),
});

const animationSchema = loose({
  name: z.string().optional(),
  channels: z.array(loose({ sampler: index, target: loose({ node: index.optional(), path: z.string() }) })),
  samplers: z.array(loose({ input: index, output: index })),
});

const bufferSchema = loose({ uri: z.string().optional(), byteLength: index });
const viewSchema = loose({ buffer: index, byteOffset: index.optional(), byteLength: index });

/** What is read of the JSON of a glTF 2.0 file (Khronos glTF 2.0, section 5). */
const gltfSchema = loose({
  asset: loose({ version: z.string(), extras: z.unknown().optional() }),
  scene: index.optional(),
  scenes: z.array(loose({ name: z.string().optional(), nodes: z.array(index).optional() })).optional(),
  nodes: z.array(nodeSchema).optional(),
  meshes: z.array(loose({})).optional(),
  skins: z.array(loose({ joints: z.array(index).min(1) })).optional(),
  animations: z.array(animationSchema).optional(),
  accessors: z.array(loose({ bufferView: index.optional(), count: index })).optional(),
  bufferViews: z.array(viewSchema).optional(),
  buffers: z.array(bufferSchema).optional(),
  images: z.array(loose({ uri: z.string().optional(), bufferView: index.optional() })).optional(),
});

export type Gltf = z.infer<typeof gltfSchema>;
export type GltfNode = z.infer<typeof nodeSchema>;
export type GltfAnimation = z.infer<typeof animationSchema>;

/** Parses the JSON of a glTF file and checks what is read of it. Throws {@link FileError} with a path. */
export function parseGltf(json: string): Gltf {
  let value: unknown;
  try {
    value = JSON.parse(json);
  } catch {
    throw new FileError('', 'this is not JSON, expected a glTF file');
  }
  const version = (value as { asset?: { version?: unknown } } | null)?.asset?.version;
  if (typeof version === 'string' && !version.startsWith('2'))
    throw new FileError('asset.version', `the file is glTF ${version}, expected glTF 2.0`);
  const parsed = gltfSchema.safeParse(value);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    throw new FileError(pathText(issue.path) || 'the file', issue.message.replace(/^Invalid input: /, ''));
  }
  return parsed.data;
}
