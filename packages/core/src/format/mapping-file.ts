import { z } from 'zod';
import type { Mapping } from '../take/making.js';
import { checkSize, decodeText, FileError } from './error.js';
import { pathText } from './stack-schema.js';

/** A mapping as a file: for joints of a character the joint of a capture that each follows. */
const mappingSchema = z.strictObject({
  format: z.literal('evlay-mapping', { error: 'expected "evlay-mapping"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  joints: z.record(z.string(), z.string()),
});

export const mappingText = (joints: Mapping): string =>
  `${JSON.stringify({ format: 'evlay-mapping', version: 1, joints } satisfies z.infer<typeof mappingSchema>, null, 2)}\n`;

/** Reads a mapping. Throws {@link FileError} that names the file and the place in it. */
export function readMapping(file: string, bytes: Uint8Array): Mapping {
  checkSize(file, bytes.length);
  let json: unknown;
  try {
    json = JSON.parse(decodeText(bytes, 'a mapping in JSON').replace(/^\uFEFF/, ''));
  } catch (error) {
    if (error instanceof FileError) throw new FileError(file, error.message);
    throw new FileError(file, 'this is not JSON, expected a mapping');
  }
  const parsed = mappingSchema.safeParse(json);
  if (parsed.success) return parsed.data.joints;
  const [issue] = parsed.error.issues;
  const place = [file, pathText(issue.path)].filter(Boolean).join(': ');
  throw new FileError(place, issue.message.replace(/^Invalid input: /, ''));
}
