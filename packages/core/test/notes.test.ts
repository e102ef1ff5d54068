import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { addNote, addReview, changeNote, forReview } from '../src/edit/index.js';
import { FileError, readNotes, readReview, writeNotes, writeReview } from '../src/format/index.js';
import { mapTime, type Note, type Project, withVariant } from '../src/index.js';

let project: Project;
beforeAll(async () => {
  project = await lampLighting(new Uint8Array());
});

const bytes = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));
const note = (values: Partial<Note> = {}): Note => ({
  id: 'n1',
  frame: 62,
  by: 'Ada',
  text: 'less',
  strokes: [{ points: [[0.1, -0.2, 0.5]], color: '#FFC857', width: 0.01 }],
  ...values,
});

const drawnNote = fc.record(
  {
    id: fc.string({ minLength: 1, maxLength: 30 }),
    frame: fc.double({ min: -1000, max: 1000, noNaN: true }),
    by: fc.string({ maxLength: 20 }),
    text: fc.string({ maxLength: 200, unit: 'grapheme' }),
    strokes: fc.array(
      fc.record({
        points: fc.array(
          fc.tuple(
            fc.double({ min: -3, max: 3, noNaN: true }),
            fc.double({ min: -1, max: 1, noNaN: true }),
            fc.double({ min: 0, max: 1, noNaN: true }),
          ),
          { maxLength: 6 },
        ),
        color: fc.constantFrom('#FFC857', '#00ff00'),
        width: fc.double({ min: 0.001, max: 0.1, noNaN: true }),
      }),
      { maxLength: 3 },
    ),
    done: fc.constant(true as const),
    answer: fc.string({ maxLength: 20 }),
  },
  { requiredKeys: ['id', 'frame', 'by', 'text', 'strokes'] },
);

describe('notes that come back', () => {
  it('are the same after a file, whatever was written in them', () => {
    fc.assert(
      fc.property(fc.uniqueArray(drawnNote, { maxLength: 5, selector: ({ id }) => id }), (notes) => {
        const file = { project: 'Walk', by: 'Ada', notes };
        const plain = (value: unknown) => JSON.parse(JSON.stringify(value));
        expect(plain(readNotes('a.evlay-notes', new TextEncoder().encode(writeNotes(file))))).toEqual(
          plain(file),
        );
      }),
      { numRuns: 100, endOnFailure: true },
    );
  });

  it('are refused with their place where they are no notes, too large, or of a later version', () => {
    const file = { format: 'evlay-notes', version: 1, project: 'Walk', by: 'Ada', notes: [note()] };
    const refused = (value: unknown) => {
      try {
        readNotes('b.evlay-notes', bytes(value));
      } catch (error) {
        expect(error).toBeInstanceOf(FileError);
        return (error as Error).message;
      }
      throw new Error('it was read');
    };
    const long = { points: Array.from({ length: 25_000 }, () => [0, 0, 1]), color: '#FFC857', width: 0.01 };
    expect(refused({ ...file, version: 2 })).toMatch(/version 2, which a later Evlay wrote/);
    expect(refused({ ...file, notes: [note({ frame: Number.NaN })] })).toMatch(/notes\[0\]\.frame/);
    expect(refused({ ...file, notes: [note({ frame: 1e12 })] })).toMatch(/notes\[0\]\.frame/);
    expect(refused({ ...file, notes: [{ ...note(), strokes: [long] }] })).toMatch(/notes\[0\]\.strokes/);
    expect(
      refused({ ...file, notes: [{ ...note(), strokes: [{ ...note().strokes[0], color: 'url(x)' }] }] }),
    ).toMatch(/color: expected a colour/);
    expect(
      refused({ ...file, notes: [{ ...note(), voice: { type: 'text/html', data: 'PHNjcmlwdD4=' } }] }),
    ).toMatch(/voice\.type/);
    expect(
      refused({ ...file, notes: [{ ...note(), voice: { type: 'audio/webm', data: '"onerror=' } }] }),
    ).toMatch(/voice\.data/);
    expect(refused({ ...file, weights: { lean: 900 } })).toMatch(/weights\.lean/);
    expect(refused({ ...file, more: 1 })).toMatch(/more: unknown field/);
    expect(refused({ ...file, notes: [note(), note({ frame: 3 })] })).toMatch(/two notes have one id/);
    expect(refused('no')).toMatch(/b\.evlay-notes/);
  });

  it('come once however often their file does, keep their answers, and turn layers in a variant alone', () => {
    const [, lean] = project.layers;
    const came = {
      by: 'Ada',
      notes: [note(), note({ id: 'n2', frame: 12 })],
      weights: { [lean.id]: 0.6, gone: 1 },
    };
    const first = addReview(project, came);
    expect(first.variant).toBe('of Ada');
    expect(first.project.layers).toEqual(project.layers);
    expect(first.project.notes.map(({ frame }) => frame)).toEqual([12, 62]);
    const answered = changeNote(first.project, 'n1', { answer: 'yes', done: true });
    const twice = addReview(answered, came).project;
    expect(twice).toEqual(answered);
    const other = addReview(twice, { by: 'Ada', notes: [], weights: { [lean.id]: 0.3 } });
    expect(other.variant).toBe('of Ada 2');
    const weight = (name: string) => withVariant(other.project, name).layers[1].weight;
    expect([weight('of Ada'), weight('of Ada 2')]).toEqual([0.6, 0.3]);
    const more = addNote(twice, { frame: 30, by: 'me', text: 'x', strokes: [] });
    expect(more.notes.map(({ frame }) => frame)).toEqual([12, 30, 62]);
  });

  it('move along when time does', () => {
    const noted = { ...project, notes: [note()] };
    const map = { stretches: [{ from: 0, to: 3, scale: 2 }] };
    expect(mapTime(noted, map).project.notes[0].frame).toBe(127);
  });
});

describe('a review file', () => {
  const page =
    '<html><script id="evlay-review" type="application/json"></script><script>page()</script></html>';

  it('holds what it shows, and nothing in that ends its script', () => {
    const review = {
      id: 'r',
      name: '</script><script>alert(1)</script>',
      project: Uint8Array.from({ length: 100_000 }, (_, k) => (k * 7) % 256),
      variants: ['<!-- calm'],
      layers: ['lean'],
    };
    const html = writeReview(page, review);
    const [, json] = /<script id="evlay-review" type="application\/json">(.*?)<\/script>/s.exec(html)!;
    expect(readReview(json)).toEqual(review);
    expect(html.match(/<\/script>/g)?.length).toBe(2);
    expect(html).toContain('page()');
    expect(() => writeReview('<html></html>', review)).toThrow(/no room/);
    expect(() => readReview(json.replace('"version":1', '"version":9'))).toThrow(
      /version 9, which a later Evlay/,
    );
  });

  it('has the takes that layers play, and what only the animator needs not', () => {
    const more = { ...project.takes[0], id: 'unused' };
    const own = forReview({ ...project, takes: [...project.takes, more] }, [10, 40], []);
    expect(own.takes.map(({ id }) => id)).not.toContain('unused');
    expect(own.range).toEqual([10, 40]);
    expect(own.poses).toEqual([]);
    expect(own.layers).toEqual(project.layers);
  });
});
