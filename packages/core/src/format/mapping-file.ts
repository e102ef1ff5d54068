import { z } from 'zod';
import type { Mapping } from '../take/making.js';
import { decodeText, inFile } from './error.js';
import { parseJson } from './json.js';
import { checkName, checkSize } from './limits.js';
import { readBy, recordOf } from './schema.js';

/** A mapping as a file: for joints of a character the joint of a capture that each follows. */
const mappingSchema = z.strictObject({
  format: z.literal('evlay-mapping', { error: 'expected "evlay-mapping"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  joints: recordOf(z.string()),
});

export const mappingText = (joints: Mapping): string =>
  `${JSON.stringify({ format: 'evlay-mapping', version: 1, joints } satisfies z.infer<typeof mappingSchema>, null, 2)}\n`;

/** Reads a mapping. Throws {@link FileError} that names the file and the place in it. */
export function readMapping(file: string, bytes: Uint8Array): Mapping {
  checkSize(file, bytes.length);
  return inFile(file, () => {
    const json = parseJson(decodeText(bytes, 'a mapping in JSON'), 'a mapping');
    const { joints } = readBy(mappingSchema, json, 'the file');
    for (const pair of Object.entries(joints)) for (const name of pair) checkName('joints', name);
    return joints;
  });
}
