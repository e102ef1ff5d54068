import { csvFormat } from '../csv-write.js';
import { TEXT_NUMBER } from '../lines.js';
import type { FileKind } from './kind.js';

/** CSV (RFC 4180): curves as numbers, a line a sample, for spreadsheets. */
export const CSV: FileKind = {
  id: 'csv',
  name: 'CSV',
  ending: '.csv',
  what: 'curves as numbers',
  writes: {
    about: 'Curves for spreadsheets: a line a sample, a column a channel, angles in degrees.',
    format: (rig, times, { first = 0 }) =>
      csvFormat(rig, { first: first + times.first, step: times.step }, times.interval),
    keys: 'CSV holds every frame',
    scales: false,
    faces: true,
    props: 'CSV holds joints and no props',
    onCharacter: false,
    several: false,
    bytesOf: (joints, count) => count * TEXT_NUMBER * 3 * (joints + 1),
    most: Number.POSITIVE_INFINITY,
  },
};
