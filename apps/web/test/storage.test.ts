import 'fake-indexeddb/auto';
import { keyed, newKey, newLayer, type Project, takeOf } from '@evlay/core';
import {
  addTakeLayer,
  addTakes,
  keyPose,
  renameProject,
  renameTake,
  saveMapping,
  setContacts,
  setMaking,
  setRange,
  wantedMaking,
} from '@evlay/core/edit';
import { makeSamples, projectJsonText, stackText } from '@evlay/core/format';
import { CONTACT_LIMITS } from '@evlay/core/take';
import localforage from 'localforage';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { projectOf } from './subject.js';

/** The part of a browser's local storage that is used. */
const local = new Map<string, string>();
vi.stubGlobal(
  'localStorage',
  new Proxy(
    {
      getItem: (key: string) => local.get(key) ?? null,
      setItem: (key: string, value: string) => void local.set(key, value),
      removeItem: (key: string) => void local.delete(key),
    },
    {
      ownKeys: () => [...local.keys()],
      getOwnPropertyDescriptor: () => ({ enumerable: true, configurable: true }),
    },
  ),
);

// localForage looks for a store when it is loaded, so the one of the tests has to be there before.
const storage = await import('../src/storage/storage.js');
const { knownBy, NOTHING_KNOWN } = await import('../src/storage/record.js');
const { digestOfState, knowState, saveOf } = await import('../src/storage/save-of.js');
const { writeUnsaved } = await import('../src/storage/unsaved.js');
const { readStoredProject } = await import('../src/workers/read-stored.js');
const { deleteStored, duplicateStored, listProjects, loadProject, renameStored, restoreStored, sweep } =
  storage;
const storeOf = (storeName: string) => localforage.createInstance({ name: 'evlay', storeName });
const [records, states, pieces, files] = ['projects', 'states', 'pieces', 'files'].map(storeOf);

const save = (id: string, project: Project, past: Project[] = [], future: Project[] = []) =>
  storage.save(saveOf(id, project, past, future));
const opened = async (id: string) => readStoredProject((await loadProject(id))!);
const names = async () => (await listProjects()).map(({ name }) => name).sort();
const DAY = 24 * 3600 * 1000;

afterEach(async () => {
  local.clear();
  vi.restoreAllMocks();
  for (const store of [records, states, pieces, files]) await store.clear();
});

describe('what browsers take badly', () => {
  it('is kept all the same: a file in pieces, and a state that cannot be read leaves the one before it', async () => {
    const bytes = new Uint8Array(70 * 1024 * 1024).map((_, k) => k % 251);
    const project = projectOf(6, 'quay');
    const character = { id: 'large', bytes };
    await storage.putFiles(new Map([['large', bytes]]));
    expect((await files.keys()).filter((key) => key.startsWith('large/'))).toHaveLength(3);
    const wanted = saveOf('p', project, [renameProject(project, 'before')]);
    await storage.save({
      ...wanted,
      record: { ...wanted.record, character: { id: character.id, digest: 'large' } },
    });
    await sweep();
    expect((await loadProject('p'))!.files.get('large')?.bytes.length).toBe(bytes.length);
    // With a piece gone it is lost, and said to be.
    await files.removeItem('large/1');
    expect((await loadProject('p'))!.lost).toContainEqual(expect.stringMatching(/rig\.glb cannot be read/));
    await storage.save({ ...saveOf('q', project, [renameProject(project, 'before')]) });
    const { state } = (await loadProject('q'))!.record!;
    const wrong = saveOf('r', { ...project, fps: 1e9 });
    await storage.save(wrong);
    await states.setItem(state, [...wrong.states.values()][0]);
    const { warnings, past } = await opened('q');
    expect(warnings).toContainEqual(
      expect.stringMatching(/last state cannot be read \(fps: .*the one before it/),
    );
    expect(past).toEqual([]);
  });

  it('is told by what it is', () => {
    const said = (name: string, message: string) =>
      storage.storageReason(Object.assign(new Error(message), { name }));
    expect(said('QuotaExceededError', '')).toMatch(/full/);
    expect(said('Error', 'No available storage method found.')).toMatch(/keeps no data/);
    expect(said('DataError', 'the value is too large')).toMatch(/DataError: the value is too large/);
  });
});

describe('projects kept in the browser', () => {
  it('come back as they were, with their history', async () => {
    const project = projectOf(6, 'quay');
    const renamed = renameProject(project, 'Evening');
    await save('a', renamed, [project]);
    const { project: back, past, warnings } = await opened('a');
    expect([back.name, warnings]).toEqual(['Evening', []]);
    expect(back.layers).toEqual(renamed.layers);
    expect(back.takes[0]).toMatchObject({ id: project.takes[0].id, name: 'quay' });
    expect(back.takes[0].rotations.values).toEqual(project.takes[0].rotations.values);
    expect(past.map(({ name }) => name)).toEqual([project.name]);
  });

  it('keep the takes of steps that can be redone', async () => {
    const project = projectOf(6, 'quay');
    const other = projectOf(3, 'quay').takes[0];
    const { project: more } = addTakeLayer(addTakes(project, [other]), {
      take: other.id,
      mode: 'additive',
      above: project.layers[0].id,
    });
    await save('steps', project, [], [more]);
    const { project: back, future } = await opened('steps');
    expect(back.takes.map(({ id }) => id)).toEqual([project.takes[0].id]);
    expect(future[0].takes[1].source.bytes).toEqual(other.source.bytes);
    expect(takeOf(future[0].layers[1])?.take).toBe(other.id);
  });

  it('keep what only the application knows of takes, and one that was not made yet is made of its source', async () => {
    const project = projectOf(6, 'quay');
    const [take] = project.takes;
    const contacts = { limits: CONTACT_LIMITS, joints: ['Head'], spans: [{ joint: 'Head', from: 1, to: 2 }] };
    const waiting = setContacts(
      renameTake(setMaking(project, take.id, { rate: 15 }, 'made'), 'made', 'Slow'),
      'made',
      contacts,
    );
    const made = waiting.takes[1];
    const samples = await makeSamples(made, take, project);
    const done = { ...waiting, takes: [take, { ...made, ...samples }] };
    const changed = setMaking(done, 'made', { rate: 10 });
    const mapped = saveMapping(changed, take, { Head: 'Spine' });
    await save('known', mapped, [project, waiting, done]);
    const { project: back, past } = await opened('known');
    const shown = (p: Project) => p.takes.map(({ id, name, made, count }) => [id, name, made?.rate, count]);
    expect(shown(back)).toEqual([
      [take.id, 'quay', undefined, 6],
      ['made', 'Slow', 10, 3],
    ]);
    expect([back.takes[1].contacts, back.mappings]).toEqual([changed.takes[1].contacts, mapped.mappings]);
    expect(past[1].takes[1].contacts).toEqual(contacts);
    expect(past.map(shown).map((takes) => takes[1])).toEqual([
      undefined,
      ['made', 'Slow', 15, 6],
      ['made', 'Slow', 15, 3],
    ]);
    // Only the one whose file has what was asked for is done.
    expect([back, past[1], past[2]].map((p) => wantedMaking(p, p.takes[1]) === undefined)).toEqual([
      false,
      false,
      true,
    ]);
    expect(takeOf(back.layers[0])?.take).toBe('made');
  });

  it('keep a file once, however many takes and projects it belongs to', async () => {
    const project = projectOf(6, 'quay');
    const [take] = project.takes;
    const source = { ...take.source, id: 'shared' };
    const clips = ['a', 'b'].map((clip) => ({ ...take, id: `shared ${clip}`, source: { ...source, clip } }));
    await save('shared', { ...project, takes: [...project.takes, ...clips] });
    await save('other', renameProject(project, 'Other'));
    expect(await files.length()).toBe(1);
    expect((await loadProject('shared'))!.files.size).toBe(2);
  });

  it('are the one before a save or the one after it, wherever a browser ends', async () => {
    const before = projectOf(4, 'before');
    const other = projectOf(3, 'other').takes[0];
    const after = renameProject(addTakes(before, [other]), 'After');
    for (let writes = 0; ; writes++) {
      await save('a', before);
      let left = writes;
      const put = IDBObjectStore.prototype.put;
      vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(function (this: IDBObjectStore, ...args) {
        if (left-- <= 0) throw new DOMException('ended', 'AbortError');
        return put.apply(this, args);
      });
      const saved = await save('a', after, [before]).then(
        () => true,
        () => false,
      );
      vi.restoreAllMocks();
      const { project, past } = await opened('a');
      expect([project.name, past.length, project.takes.length]).toEqual(
        saved ? ['After', 1, 2] : ['before', 0, 1],
      );
      for (const store of [records, states, pieces, files]) await store.clear();
      if (saved) break;
      expect(writes).toBeLessThan(30);
    }
  });

  it('a copy shares the files and outlives the original; what is deleted can be brought back for a day', async () => {
    await save('a', projectOf(6, 'quay'));
    await duplicateStored('a');
    expect(await names()).toEqual(['quay', 'quay copy']);
    const copy = (await listProjects()).find(({ name }) => name === 'quay copy')!;
    await renameStored(copy.id, 'Copy');
    await deleteStored('a');
    expect(await names()).toEqual(['Copy']);
    await sweep();
    await restoreStored('a');
    expect(await names()).toEqual(['Copy', 'quay']);
    await save('b', projectOf(4, 'other'));
    await deleteStored('b');
    await sweep(Date.now() + DAY + 1);
    await expect(restoreStored('b')).rejects.toThrow(/no such project/);
    expect(await files.length()).toBe(1);
    expect((await opened(copy.id)).project.takes[0].count).toBe(6);
  });

  it('what nothing names is swept away, and comes back with the next save that needs it', async () => {
    const project = projectOf(4, 'quay');
    const more = addTakes(project, [projectOf(3, 'other').takes[0]]);
    await save('a', more);
    await save('a', project);
    await sweep();
    expect([await files.length(), await states.length()]).toEqual([1, 1]);
    expect(new Set(await pieces.keys())).toEqual(new Set(saveOf('a', project).pieces.keys()));
    await save('a', more, [project]);
    expect((await opened('a')).project.takes.length).toBe(2);
  });

  it('of the form before pieces are read, and are in today’s with the next save', async () => {
    const project = projectOf(6, 'quay');
    const [take] = project.takes;
    const fileOf = () => take.source.id;
    const whole = (p: Project) => ({
      name: p.name,
      stack: stackText(p, fileOf),
      json: projectJsonText(p, fileOf),
    });
    const { record, files: bytes } = saveOf('old', project);
    await storage.putFiles(bytes);
    await states.setItem('before', whole(renameProject(project, 'Before')));
    await states.setItem('now', whole(project));
    await records.setItem('old', { ...record, state: 'now', past: ['before'] });
    const { project: back, past, kept } = await opened('old');
    expect([back.takes[0].count, past.map(({ name }) => name), kept]).toEqual([
      6,
      ['Before'],
      [undefined, undefined],
    ]);
    await save('old', back, [...past]);
    await sweep();
    expect((await opened('old')).kept.every((state) => state?.version === 2)).toBe(true);
    expect(await states.length()).toBe(2);
  });

  it('a hundred steps take less than twice the room of one, and a step is kilobytes', async () => {
    const start = projectOf(6, 'quay');
    // One layer of 50,000 keys, and four of a few.
    const curve = (count: number) => ({
      keys: Array.from({ length: count }, (_, k) => newKey(k, Math.sin(k) * 10)),
    });
    const long = newLayer('Long', 'additive', {
      content: keyed({ Head: { rx: curve(25_000), ry: curve(25_000) } }),
    });
    const few = Array.from({ length: 4 }, (_, k) =>
      newLayer(`Few ${k}`, 'additive', { content: keyed({ Head: { rz: curve(10) } }) }),
    );
    let project: Project = { ...start, layers: [...start.layers, long, ...few] };
    const sizeOf = async () => {
      let sum = 0;
      for (const store of [records, states, pieces])
        await store.iterate<unknown, void>((value) => {
          sum += JSON.stringify(value).length;
        });
      return sum;
    };
    let known = await storage.save(saveOf('a', project));
    const one = await sizeOf();
    expect(one).toBeGreaterThan(1_000_000);
    const steps: Project[] = [];
    for (let k = 0; k < 100; k++) {
      steps.push(project);
      const id = project.layers[k % 5 === 0 ? 1 : 2 + (k % 4)].id;
      project = keyPose(project, id, 3 + 200 * k, { Head: { rx: k } });
      known = await storage.save(saveOf('a', project, steps), known);
    }
    expect(await sizeOf()).toBeLessThan(2 * one);
    // What was not worked out again is what it is by itself.
    const digests = [...saveOf('a', structuredClone(project), [structuredClone(steps[99])]).pieces.keys()];
    expect(digests.sort()).toEqual([...saveOf('a', project, [steps[99]]).pieces.keys()].sort());
    // What one more edit writes, of the long layer.
    const puts: number[] = [];
    const put = IDBObjectStore.prototype.put;
    vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(function (this: IDBObjectStore, ...args) {
      puts.push(JSON.stringify(args[0]).length);
      return put.apply(this, args);
    });
    await storage.save(saveOf('a', keyPose(project, long.id, 77, { Head: { ry: 1 } }), steps), known);
    vi.restoreAllMocks();
    expect(puts.reduce((sum, size) => sum + size, 0)).toBeLessThan(24_000);
    await storage.save(saveOf('a', project, steps));
    // It comes back, and steps that share a layer share it in memory too.
    const back = await opened('a');
    expect(back.past.length).toBe(100);
    expect(back.project.layers.map(({ content }) => content.kind)).toEqual(
      project.layers.map(({ content }) => content.kind),
    );
    expect(back.past[2].layers[1]).toBe(back.past[3].layers[1]);
    expect(stackText(back.past[40], () => 'f')).toBe(stackText(steps[40], () => 'f'));
    // Left before it is saved once more: an edit after a reload keeps all steps, in what little room there is.
    const loaded = (await loadProject('a'))!;
    for (const [k, read] of [...back.past, back.project].entries())
      knowState(read, back.kept[k]!, (digest) => loaded.pieces.get(digest));
    const states_ = back.kept.map((state) => digestOfState(state!));
    const there = {
      states: new Set(states_),
      pieces: new Set(loaded.pieces.keys()),
      files: new Set<string>(),
    };
    const edited = keyPose(back.project, back.project.layers[3].id, 5, { Head: { rz: 2 } });
    expect(writeUnsaved(saveOf('a', edited, [...back.past, back.project]), there)).toBe(true);
    expect([...local.values()].join('').length).toBeLessThan(40_000);
    expect((await opened('a')).past.length).toBe(100);
  }, 120_000);

  it('says in words that storage is full', () => {
    expect(storage.storageReason(new DOMException('no', 'QuotaExceededError'))).toContain('full');
  });
});

describe('what a page wrote down when it was left', () => {
  it('is put away by the next, unless something newer is on disk', async () => {
    const project = projectOf(4, 'quay');
    const renamed = renameProject(project, 'Later');
    await save('a', project);
    const there = knownBy(saveOf('a', project));
    expect(writeUnsaved({ ...saveOf('a', renamed, [project]) }, there)).toBe(true);
    for (const key of local.keys()) local.set(key, local.get(key)!.replace(/"saved":\d+/, '"saved":9e12'));
    expect(local.size).toBe(1);
    const { project: back, past } = await opened('a');
    expect([back.name, past.map(({ name }) => name)]).toEqual(['Later', ['quay']]);
    expect(local.size).toBe(0);
    // What is older than the disk is forgotten, as is half a text.
    writeUnsaved(saveOf('a', project), there);
    for (const key of local.keys()) local.set(key, local.get(key)!.replace(/"saved":\d+/, '"saved":5'));
    local.set('evlay.unsaved.b', '{"record":');
    expect(await names()).toEqual(['Later']);
    expect(local.size).toBe(0);
  });

  it('is the work itself where there is no room for all of it', async () => {
    const project = projectOf(4, 'quay');
    const set = local.set.bind(local);
    vi.spyOn(local, 'set').mockImplementation((key, value) => {
      if (value.length > 4500) throw new DOMException('full', 'QuotaExceededError');
      return set(key, value);
    });
    const many = Array.from({ length: 30 }, (_, k) => renameProject(project, `step ${k}`));
    expect(writeUnsaved(saveOf('new', renameProject(project, 'Last'), many), NOTHING_KNOWN)).toBe(true);
    await save('other', project);
    expect(await names()).toEqual(['Last', 'quay']);
  });
});

describe('damage', () => {
  const withHistory = async () => {
    const project = projectOf(6, 'quay');
    const second = setRange(project, 0, 2);
    const third = setRange(project, 0, 3);
    const wanted = saveOf('hurt', third, [project, second], [renameProject(project, 'Fourth')]);
    await storage.save(wanted);
    await save('well', projectOf(4, 'well'));
    return wanted.record;
  };
  const expectWell = async () => {
    expect((await opened('well')).project.takes[0].count).toBe(4);
    expect((await listProjects()).find(({ id }) => id === 'well')!.damaged).toBe(false);
  };

  it('to a record harms that project alone, which is listed and says so; nothing is swept meanwhile', async () => {
    await withHistory();
    const kept = await files.length();
    for (const broken of [{ name: 'Hurt', id: 7 }, 'nonsense', {}, [1, 2], new Uint8Array(4)]) {
      await records.setItem('hurt', broken);
      const listed = (await listProjects()).find(({ id }) => id === 'hurt')!;
      expect(listed).toMatchObject({
        damaged: true,
        name: expect.stringMatching(/^(Hurt|Damaged project)$/),
      });
      await expect(opened('hurt')).rejects.toThrow(/record cannot be read/);
      await sweep(Date.now() + DAY + 1);
      expect(await files.length()).toBe(kept);
      await expectWell();
    }
    // What a record still names is opened.
    const { past: _, name: __, ...half } = (await withHistory()) as unknown as Record<string, unknown>;
    await records.setItem('hurt', { ...half, future: [7, ...(half.future as string[])] });
    const { project, past, future, warnings } = await opened('hurt');
    expect([project.name, project.takes[0].count, past.length, future.length]).toEqual([
      'Damaged project',
      6,
      0,
      1,
    ]);
    expect(warnings.join()).toMatch(/record cannot be read/);
    await deleteStored('hurt');
    expect(await names()).toEqual(['well']);
  });

  it('to the last state shows the one before it; to the history leaves the steps that hang together', async () => {
    const record = await withHistory();
    await states.setItem(record.state, { half: true });
    const first = await opened('hurt');
    expect([first.project.range[1], first.past.length, first.future.length]).toEqual([2, 1, 1]);
    expect(first.warnings[0]).toMatch(/last state cannot be read/);
    await expectWell();
    await storage.save({ ...saveOf('hurt', projectOf(2)), record });
    await states.removeItem(record.past[0]);
    const second = await opened('hurt');
    expect(second.past.length).toBeLessThan(2);
    expect(second.warnings.join()).toMatch(/history cannot be read/);
  });

  it('to a take leaves the others: its layer plays nothing, and the warning names it', async () => {
    const project = projectOf(6, 'quay');
    const other = projectOf(3, 'other').takes[0];
    const { project: two } = addTakeLayer(addTakes(project, [other]), {
      take: other.id,
      mode: 'additive',
      above: project.layers[0].id,
    });
    const { record } = saveOf('hurt', two);
    const digests = record.files.map(({ digest }) => digest);
    for (const [digest, broken] of [
      [digests[1], undefined],
      [digests[1], new Uint8Array([1, 2, 3])],
      [digests[0], undefined],
    ] as const) {
      await save('hurt', two);
      if (broken) await files.setItem(digest, broken);
      else await files.removeItem(digest);
      const stored = (await loadProject('hurt'))!;
      const read = await readStoredProject(broken ? { ...stored, lost: ['a file is damaged'] } : stored);
      expect(read.project.layers.map(({ content }) => content.kind)).toEqual(
        digest === digests[0] ? ['nothing', 'take'] : ['take', 'nothing'],
      );
      expect(read.warnings.join()).toMatch(/has lost its take/);
      await files.clear();
    }
  });
});
