import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { namesByPattern, writeDelivery } from '../src/apply/index.js';
import { addNote, addReview, changeNote, forReview } from '../src/edit/index.js';
import {
  type AttachedReference,
  FileError,
  readNotes,
  readProject,
  readReview,
  unzip,
  writeNotes,
  writeProject,
  writeReview,
} from '../src/format/index.js';
import {
  mapTime,
  type Note,
  type Project,
  type StrokePoint,
  strokeOffTrail,
  withVariant,
} from '../src/index.js';

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
    over: fc.string({ maxLength: 20 }),
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

describe('references in a project file', () => {
  /** Without the character, whose file is none here. */
  const bare = (): Project => ({
    ...project,
    scene: { ...project.scene, characters: [{ ...project.scene.characters[0], figure: undefined }] },
  });
  const references: AttachedReference[] = [
    {
      name: 'Dance.mp4',
      kind: 'video',
      type: 'video/mp4',
      offset: 12,
      from: 0.5,
      to: 3,
      speed: 0.5,
      place: 'over',
      opacity: 0.4,
      bytes: Uint8Array.of(1, 2, 3),
    },
    {
      name: 'Set',
      kind: 'picture',
      type: 'image/png',
      offset: 0,
      from: 0,
      speed: 1,
      place: 'plate',
      opacity: 1,
      bytes: Uint8Array.of(4),
    },
  ];

  it('come back as they went, two or none; the project is the same with them', async () => {
    const [plain, full] = [writeProject(bare()), writeProject(bare(), references)];
    expect((await readProject(plain, 'a.evlay')).references).toEqual([]);
    const read = await readProject(full, 'a.evlay');
    expect(read.references).toEqual(references);
    expect(read.warnings).toEqual([]);
    const stack = (bytes: Uint8Array) =>
      unzip('a', bytes, '').find(({ name }) => name === 'stack.json')!.bytes;
    expect(stack(full)).toEqual(stack(plain));
  });

  it('that are missing or damaged are told, and the project is opened without', async () => {
    const { zipSync } = await import('fflate');
    const entries = Object.fromEntries(
      unzip('a', writeProject(bare(), references), '').map(({ name, bytes }) => [name, bytes]),
    );
    delete entries['references/1.mp4'];
    const missing = await readProject(zipSync(entries), 'a.evlay');
    expect(missing.references.map(({ name }) => name)).toEqual(['Set']);
    expect(missing.warnings.join()).toContain('the reference "Dance.mp4" is missing');
    entries['references.json'] = bytes([{ file: 'x', speed: -1 }]);
    const damaged = await readProject(zipSync(entries), 'a.evlay');
    expect(damaged.references).toEqual([]);
    expect(damaged.warnings.join()).toContain('references.json');
  });
});

describe('a stroke beside a trail', () => {
  const circle = (radius: number, count: number, depth: number) =>
    Array.from({ length: count }, (_, k) => {
      const angle = (Math.PI * k) / (count - 1);
      return [radius * Math.cos(angle), radius * Math.sin(angle), depth];
    });

  it('is off by the difference of two half circles, in the length that a height has there', () => {
    const points = Float64Array.from(circle(0.3, 400, 5).flat());
    const stroke = circle(0.32, 150, 0).map(([x, y]): StrokePoint => [x, y, 0.5]);
    const off = strokeOffTrail(stroke, { points, first: 10 })!;
    expect(off.mean).toBeCloseTo(0.02 * 5, 3);
    expect(off.most).toBeCloseTo(0.02 * 5, 3);
    expect(
      strokeOffTrail(
        circle(0.3, 150, 0).map(([x, y]): StrokePoint => [x, y, 1]),
        { points, first: 0 },
      )!.most,
    ).toBeLessThan(1e-3);
  });

  it('counts each piece of it alike, however slowly it was drawn, and says beside which frame it is worst', () => {
    // Straight along the first half of the trail, then away from it.
    const trail = Float64Array.from(Array.from({ length: 21 }, (_, k) => [k / 20, 0, 2]).flat());
    const slow: StrokePoint[] = Array.from({ length: 500 }, (_, k) => [(0.5 * k) / 499, 0, 1]);
    const stroke: StrokePoint[] = [...slow, [1, 0.1, 1]];
    const off = strokeOffTrail(stroke, { points: trail, first: 100 })!;
    expect(off.at).toBe(120);
    expect(off.most).toBeCloseTo(0.2, 6);
    // A triangle of 0.1 in height over half of the way: 0.025 heights on average.
    expect(off.mean).toBeCloseTo(0.05, 2);
    expect(strokeOffTrail([], { points: trail, first: 0 })).toBeUndefined();
    // Behind the one who looks lengths are negative: nothing of it is seen.
    const behind = trail.map((value, i) => (i % 3 === 2 ? -value : value));
    expect(strokeOffTrail(stroke, { points: behind, first: 0 })).toBeUndefined();
    expect(strokeOffTrail(stroke, { points: new Float64Array(0), first: 0 })).toBeUndefined();
  });
});

describe('a delivery', () => {
  it('holds what was made, findings, notes and a manifest that says of each what it is', () => {
    const noted = addNote(project, { frame: 62, by: 'Ada', text: 'less', strokes: [] });
    const made = ['low', 'high'].map((piece, k) => ({
      what: 'bake' as const,
      ending: '.glb',
      bytes: Uint8Array.of(k),
      piece,
      range: [0, 30 * (k + 1)] as const,
      facts: { samples: 31 },
    }));
    const finding = {
      kind: 'slide',
      joint: 'LeftFoot',
      from: 3,
      to: 9,
      frame: 5,
      amount: 2,
      unit: 'cm',
      grade: 'warn',
    } as const;
    const [, lean] = project.layers;
    const found = [{ finding, causes: [{ layer: lean.id, amount: 2 }] }];
    const zip = writeDelivery(noted, made, found, '{project} {piece} {what} {range}');
    expect(writeDelivery(noted, made, found, '{project} {piece} {what} {range}')).toEqual(zip);
    const entries = new Map(unzip('d.zip', zip, '').map((one) => [one.name, one.bytes]));
    const json = (name: string) => JSON.parse(new TextDecoder().decode(entries.get(name)));
    const manifest = json('manifest.json');
    expect(manifest.files.map(({ file }: { file: string }) => file)).toEqual([
      'Lamp-lighting low bake 0-30.glb',
      'Lamp-lighting high bake 0-60.glb',
      'Lamp-lighting findings 0-120.json',
      'Lamp-lighting notes 0-120.evlay-notes',
    ]);
    for (const { file, bytes: size } of manifest.files) expect(entries.get(file)!.length, file).toBe(size);
    expect(entries.size).toBe(5);
    const [told] = json('Lamp-lighting findings 0-120.json').findings;
    expect(told).toMatchObject({ joint: 'LeftFoot', frame: 5, causes: [{ layer: lean.name, amount: 2 }] });
    const notes = readNotes('n.evlay-notes', entries.get('Lamp-lighting notes 0-120.evlay-notes')!);
    expect(notes.notes).toEqual(noted.notes);
    const names = namesByPattern(project, 'a/b', [...made, ...made]);
    expect(names).toEqual(['a b.glb', 'a b 2.glb', 'a b 3.glb', 'a b 4.glb']);
    expect(namesByPattern(project, '', made.slice(0, 1))).toEqual(['bake.glb']);
  });
});
