import 'fake-indexeddb/auto';
import { type Project, parseAbout } from '@evlay/core';
import { addTakeLayer, addTakes, renameProject, renameTake, saveMapping, setContacts } from '@evlay/core/edit';
import { readStack, readStackAgain } from '@evlay/core/format';
import { CONTACT_LIMITS } from '@evlay/core/take';
import { describe, expect, it } from 'vitest';
import { projectOf } from './subject.js';

// localForage looks for a store when it is loaded, so the one of the tests has to be there before.
const storage = await import('../src/state/storage.js');
const {
  deleteStored,
  duplicateStored,
  listProjects,
  loadProject,
  renameStored,
  restoreStored,
  saveProject,
  sweep,
} = storage;

const names = async () => (await listProjects()).map((document) => document.name).sort();

async function reopened(id: string): Promise<Project> {
  const { document, bytes } = (await loadProject(id))!;
  const read = await readStack(new TextEncoder().encode(document.stack), document.name, (name) => {
    const { file, asset } = document.takes.find((take) => take.asset === name)!;
    return { bytes: bytes.get(asset)!, id: asset, file };
  });
  return read.project;
}

describe('projects kept in the browser', () => {
  it('come back as they were, with their history', async () => {
    const project = projectOf(6, 'quay');
    const renamed = renameProject(project, 'Evening');
    await saveProject('a', renamed, { past: [project] });
    const back = await reopened('a');
    expect(back.name).toBe('Evening');
    expect(back.layers).toEqual(renamed.layers);
    expect(back.takes[0].id).toBe(project.takes[0].id);
    expect(back.takes[0].name).toBe('quay');
    expect(back.takes[0].rotations.values).toEqual(project.takes[0].rotations.values);
    expect((await loadProject('a'))!.history!.past.map((state) => state.name)).toEqual([project.name]);
  });

  it('keep the takes of steps that can be redone', async () => {
    const project = projectOf(6, 'quay');
    const other = projectOf(3, 'quay').takes[0];
    const { project: more } = addTakeLayer(addTakes(project, [other]), {
      take: other.id,
      mode: 'additive',
      above: project.layers[0].id,
    });
    await saveProject('steps', project, { future: [more] });
    const { document, bytes, history } = (await loadProject('steps'))!;
    expect(document.takes.map(({ asset }) => asset)).toEqual([project.takes[0].id, other.id]);
    expect(bytes.get(other.id)).toEqual(other.source.bytes);
    const all = { ...project, takes: more.takes };
    const again = readStackAgain(new TextEncoder().encode(history!.future[0].stack), 'x', all, (id) => id);
    expect(again.layers[1].take).toEqual({ id: other.id, reference: 'first' });
    await deleteStored('steps');
  });

  it('keep what only the application knows of takes: names, makings, contacts, and takes that nothing plays', async () => {
    const project = projectOf(6, 'quay');
    const [take] = project.takes;
    const other = projectOf(3, 'spare').takes[0];
    const contacts = { limits: CONTACT_LIMITS, joints: ['Head'], spans: [{ joint: 'Head', from: 1, to: 2 }] };
    const made = {
      ...other,
      id: 'made',
      source: { ...other.source, id: 'made' },
      made: { from: take.id, rate: 24 },
    };
    const known = setContacts(renameTake(addTakes(project, [made]), 'made', 'Twice'), 'made', contacts);
    const mapped = saveMapping(known, take, { Head: 'Spine' });
    await saveProject('known', mapped, { past: [known, project] });
    const { document, bytes, history } = (await loadProject('known'))!;
    const about = parseAbout(new TextEncoder().encode(document.about)).about!;
    const find = (name: string) => {
      const { file, asset } = document.takes.find((one) => one.asset === name)!;
      return { bytes: bytes.get(asset)!, id: asset, file };
    };
    const { project: back } = await readStack(new TextEncoder().encode(document.stack), 'known', find, about);
    expect(back.takes.map(({ name }) => name)).toEqual(['quay', 'Twice']);
    expect(back.takes[1]).toMatchObject({ made: { from: take.id, rate: 24 }, contacts });
    expect(back.mappings).toEqual(mapped.mappings);
    // The step before has them too, the one before that has one take.
    const states = history!.past.map(({ stack, about: text }) =>
      readStackAgain(
        new TextEncoder().encode(stack),
        'x',
        back,
        (id) => back.takes.find((one) => one.id === id)!.source.id,
        parseAbout(new TextEncoder().encode(text)).about,
      ),
    );
    expect(states.map((state) => [state.takes.length, state.mappings.length])).toEqual([
      [2, 0],
      [1, 0],
    ]);
    await deleteStored('known');
  });

  it('keep a file once that several takes share with the character', async () => {
    const project = projectOf(6, 'quay');
    const [take] = project.takes;
    const source = { ...take.source, id: 'shared' };
    const clips = ['a', 'b'].map((clip) => ({ ...take, id: `shared ${clip}`, source: { ...source, clip } }));
    const shared = { ...project, character: { id: 'shared', bytes: source.bytes } };
    await saveProject('shared', { ...shared, takes: [...project.takes, ...clips] });
    const { document, bytes } = (await loadProject('shared'))!;
    expect(document.takes.map(({ asset }) => asset)).toEqual([take.source.id, 'shared']);
    expect([...bytes.keys()]).toEqual([take.source.id, 'shared']);
    await deleteStored('shared');
  });

  it('keep the last picture until there is another', async () => {
    const project = projectOf(3);
    await saveProject('pictured', project, { picture: 'data:1' });
    await saveProject('pictured', project);
    expect((await loadProject('pictured'))!.document.picture).toBe('data:1');
    await deleteStored('pictured');
  });

  it('a copy shares the takes and outlives the original', async () => {
    await duplicateStored('a');
    expect(await names()).toEqual(['Evening', 'Evening copy']);
    const copy = (await listProjects()).find((document) => document.name === 'Evening copy')!;
    await deleteStored('a');
    await sweep();
    expect(await names()).toEqual(['Evening copy']);
    expect(await loadProject('a')).toBeUndefined();
    expect((await reopened(copy.id)).takes[0].count).toBe(6);
  });

  it('what is deleted can be brought back until the next start, then it is gone with its takes', async () => {
    await saveProject('b', projectOf(4, 'other'));
    await renameStored('b', 'Other');
    await deleteStored('b');
    expect(await names()).not.toContain('Other');
    await restoreStored('b');
    expect(await names()).toContain('Other');
    const { bytes } = (await loadProject('b'))!;
    await deleteStored('b');
    await sweep();
    await restoreStored('b');
    expect(await names()).not.toContain('Other');
    const left = await Promise.all((await listProjects()).map((document) => loadProject(document.id)));
    for (const asset of bytes.keys()) expect(left.some((project) => project!.bytes.has(asset))).toBe(false);
  });

  it('says in words that storage is full', () => {
    expect(storage.storageReason(new DOMException('no', 'QuotaExceededError'))).toContain('full');
  });
});
