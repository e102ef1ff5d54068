import 'fake-indexeddb/auto';
import { addTakeLayer, addTakes, type Project, readStack, readStackAgain, renameProject } from '@evlay/core';
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
