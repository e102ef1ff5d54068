import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  readStreamLine,
  readTake,
  recordingOf,
  type StreamHead,
  type StreamSample,
  streamHead,
  streamSample,
} from '../src/format/index.js';
import { restPose } from '../src/rig/index.js';
import { readSample } from '../src/take/index.js';
import { captureBytes } from './capture.js';

const { take } = readTake('01_01.bvh', captureBytes());

/** What is heard of some samples of the capture. */
function heard(
  numbers: readonly number[],
  weak: ReadonlySet<number> = new Set(),
): { head: StreamHead; samples: StreamSample[] } {
  const first = readStreamLine(streamHead(take), undefined);
  if (first.kind !== 'head') throw new Error('no head');
  const samples = numbers.map((s) => {
    const line = readStreamLine(streamSample(take, s, weak.has(s) ? ['LeftHand'] : []), first.head);
    if (line.kind !== 'sample') throw new Error('no sample');
    return line.sample;
  });
  return { head: first.head, samples };
}

describe('a stream of a capture stage', () => {
  it('is recorded as it was captured, in whatever order samples come; lost ones are filled in and told, weak ones too', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 2000 }),
        fc.uniqueArray(fc.integer({ min: 1, max: 58 }), { maxLength: 12 }),
        fc.uniqueArray(fc.integer({ min: 0, max: 59 }), { maxLength: 8 }),
        (start, lost, weak) => {
          const numbers = Array.from({ length: 60 }, (_, k) => start + k).filter(
            (s) => !lost.includes(s - start),
          );
          const shuffled = [...numbers].sort((a, b) => ((a * 7919) % 61) - ((b * 7919) % 61));
          const { head, samples } = heard(shuffled, new Set(weak.map((k) => start + k)));
          const { motion, doubts } = recordingOf(head, samples)!;
          expect([motion.count, motion.interval]).toEqual([60, take.interval]);
          const marked = (what: string) =>
            doubts
              .filter((one) => one.what === what)
              .flatMap(({ from, to }) => Array.from({ length: to - from + 1 }, (_, k) => from + k));
          expect(marked('lost')).toEqual([...lost].sort((a, b) => a - b));
          expect(marked('weak')).toEqual(weak.filter((k) => !lost.includes(k)).sort((a, b) => a - b));
          const [was, is] = [restPose(take.rig), restPose(take.rig)];
          for (let k = 0; k < 60; k++) {
            if (lost.includes(k)) continue;
            readSample(take, start + k, was);
            readSample(motion, k, is);
            for (const [i, value] of is.translations.entries())
              expect(Math.abs(value - was.translations[i])).toBeLessThan(1e-5);
            for (let o = 0; o < is.rotations.length; o += 4) {
              const dot = [0, 1, 2, 3].reduce(
                (sum, c) => sum + is.rotations[o + c] * was.rotations[o + c],
                0,
              );
              expect(Math.abs(dot)).toBeGreaterThan(1 - 1e-9);
            }
          }
        },
      ),
      { numRuns: 25, endOnFailure: true },
    );
  });

  it('fills a lost sample of an even motion exactly, and refuses what is no stream with its place', () => {
    const { head, samples } = heard([0, 2]);
    const turned = samples.map((sample, k) => ({ ...sample, root: [k, 2 * k, 0] as const }));
    const { motion } = recordingOf(head, turned)!;
    expect([...motion.translations.values.subarray(3, 6)]).toEqual([0.5, 1, 0]);
    expect(recordingOf(head, [])).toBeUndefined();
    const line = JSON.parse(streamHead(take));
    for (const [text, message] of [
      ['{', /no JSON/],
      ['{"format":"evlay-stream","version":2}', /version: expected version 1/],
      [JSON.stringify({ ...line, joints: [] }), /at least one joint/],
      [
        JSON.stringify({ ...line, joints: [{ name: 'a', parent: 0, at: [0, 0, 0] }] }),
        /parents before children/,
      ],
    ] as const)
      expect(() => readStreamLine(text, undefined)).toThrow(message);
    for (const [text, message] of [
      ['{"s":0,"t":[0,0,0],"q":[0,0,0,1]}', /sample 0: 4 numbers of rotations, expected/],
      ['{"s":-1,"t":[0,0,0],"q":[]}', /^s: /],
      [
        JSON.stringify({ s: 3, t: [0, 0, 0], q: head.rig.joints.flatMap(() => [0, 0, 0, 0]) }),
        /sample 3: a rotation is no unit/,
      ],
    ] as const)
      expect(() => readStreamLine(text, head)).toThrow(message);
    expect(readStreamLine('{"end":true}', head).kind).toBe('end');
  });
});
