import type { FindingLimits } from '../layer/finding-limits.js';
import { decodeText, inFile } from './error.js';
import { parseJson } from './json.js';
import { findingLimitsSchema, limitsIn } from './project-json.js';
import { readBy } from './schema.js';

/**
 * Reads limits of findings from a JSON file, such as `{"slide": [1, 2, 5]}`: from which amounts on something is a note, a
 * warning, a fault. What it does not say is as usual. Throws {@link FileError}.
 */
export const readLimits = (name: string, bytes: Uint8Array): FindingLimits =>
  inFile(name, () =>
    limitsIn(
      readBy(
        findingLimitsSchema.strict(),
        parseJson(decodeText(bytes, 'limits in JSON'), 'a file of limits'),
        'the limits',
      ),
    ),
  );
