import { DEGREES, quaternionToEuler, unwindEuler } from '../math/euler.js';
import { facesOf } from '../rig/members.js';
import { characterOf, type Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { fileOfLines, newLines } from './lines.js';
import { MOVES, type MotionFormat, noteDepartures } from './motion-file.js';

const COMMA = 0x2c;
const RETURN = 0x0d;

const AXES = ['x', 'y', 'z'] as const;

/**
 * A name as it stands in a line: in quotes where it holds a comma, a quote or a line's end (RFC 4180), and with an apostrophe
 * in front where a spreadsheet would take it for a formula.
 */
function field(text: string): string {
  const plain = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
}

/**
 * Curves in CSV for samples `interval` seconds apart: a line a sample, with its frame, its time in seconds and for every joint
 * its rotation in degrees (`Hips.rx`, in the joint's order and unwound from sample to sample), and its translation where it
 * ever leaves rest, and every face channel that ever does (`smile.m`). Sample `k` lies at frame `first + k · step`. Props are left out.
 */
export function csvFormat(
  scene: Rig,
  { first, step }: { readonly first: number; readonly step: number },
  interval: number,
): MotionFormat {
  const { joints } = characterOf(scene);
  const faces = facesOf(scene);
  const rests = joints.map(({ translation }) => translation);
  const faceRests = faces.map(({ rest }) => [rest]);
  return {
    flags: () => new Uint8Array(joints.length + faces.length),
    note(part, flags) {
      noteDepartures(part, 'translations', rests, () => 1e-9, flags, MOVES);
      noteDepartures(part, 'faces', faceRests, () => 1e-9, flags.subarray(joints.length), MOVES);
    },
    begin(flags) {
      const moved = [...faces.keys()].filter((f) => flags[joints.length + f] !== 0);
      const names = joints.flatMap(({ name }, j) => [
        ...(flags[j] & MOVES ? AXES.map((axis) => `${name}.t${axis}`) : []),
        ...AXES.map((axis) => `${name}.r${axis}`),
      ]);
      names.push(...moved.map((f) => `${faces[f].name}.m`));
      const lines = newLines();
      lines.text(`${['frame', 'seconds', ...names].map(field).join(',')}\r\n`);
      const before = new Float64Array(3 * joints.length);
      const angles = new Float64Array(3);
      let k = 0;
      const row = ({ translations, rotations, faces: track }: Samples, s: number) => {
        lines.line(3 + names.length);
        lines.number(first + k * step, COMMA, true);
        lines.number(k * interval, COMMA, true);
        for (const [j, { order }] of joints.entries()) {
          const at = s * rotations.joints.length + j;
          if (flags[j] & MOVES)
            for (let c = 0; c < 3; c++) lines.number(translations.values[3 * at + c], COMMA, true);
          quaternionToEuler(angles, 0, order, rotations.values, 4 * at);
          unwindEuler(angles, 0, order, before, 3 * j);
          before.set(angles, 3 * j);
          const last = j + 1 === joints.length && moved.length === 0;
          for (let c = 0; c < 3; c++)
            lines.number(angles[c] * DEGREES, last && c === 2 ? RETURN : COMMA, true);
        }
        for (const [i, f] of moved.entries())
          lines.number(
            track.values[s * track.joints.length + f],
            i + 1 === moved.length ? RETURN : COMMA,
            true,
          );
        lines.text('\n');
        k++;
      };
      return {
        ...fileOfLines(lines, (part) => {
          for (let s = 0; s < part.count; s++) row(part, s);
        }),
        warnings: [],
      };
    },
  };
}
