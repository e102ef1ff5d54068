import 'fake-indexeddb/auto';
import localforage from 'localforage';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { perform } from '../src/commands/command.js';
import { addReference, changeReference, removeReference } from '../src/commands/view/comparing.js';
import { createEditor, type Editor } from '../src/editor/editor.js';
import { keepReferences } from '../src/jobs/reference.js';
import { putReferences, readReferences } from '../src/storage/references.js';
import { projectOf } from './subject.js';

const store = localforage.createInstance({ name: 'evlay', storeName: 'references' });
const file = (name: string) => new File([name], name, { type: 'video/mp4' });
const kept = async (id: string) => (await readReferences(id)).map(({ name, place }) => [name, place]);
const shown = ({ session }: Editor) => session.getState().references.map(({ name }) => name);
let editor: Editor;

beforeEach(async () => {
  await store.clear();
  editor = createEditor(projectOf(3), { id: 'p' });
});

describe('references of a project', () => {
  it('are kept, two of one name told apart, changed and taken away', async () => {
    let end = keepReferences(editor);
    for (const name of ['clip.mp4', 'clip.mp4']) perform(editor, addReference, file(name));
    expect(shown(editor)).toEqual(['clip.mp4', 'clip.mp4 2']);
    await vi.waitFor(async () => expect(await kept('p')).toHaveLength(2));
    const { id } = editor.session.getState().references[1];
    perform(editor, changeReference, { id, values: { place: 'plate' } });
    // What was changed last is written though the project is closed at once.
    end();
    const both = [
      ['clip.mp4', 'box'],
      ['clip.mp4 2', 'plate'],
    ];
    await vi.waitFor(async () => expect(await kept('p')).toEqual(both));
    const again = createEditor(projectOf(3), { id: 'p' });
    end = keepReferences(again);
    await vi.waitFor(() => expect(shown(again)).toHaveLength(2));
    for (const one of again.session.getState().references) perform(again, removeReference, one.id);
    await vi.waitFor(async () => expect(await kept('p')).toEqual([]));
    end();
  });

  it('stay where the project is closed before they were read, and beside one that is added meanwhile', async () => {
    const own = { kind: 'video', offset: 3, from: 0, speed: 1, opacity: 1, inFile: false } as const;
    await putReferences('p', [{ ...own, id: 'a', name: 'old.mp4', place: 'over', file: file('old.mp4') }]);
    keepReferences(editor)();
    await new Promise((done) => setTimeout(done, 50));
    expect(await kept('p')).toEqual([['old.mp4', 'over']]);
    const end = keepReferences(editor);
    perform(editor, addReference, file('new.mp4'));
    await vi.waitFor(() => expect(shown(editor)).toEqual(['old.mp4', 'new.mp4']));
    await vi.waitFor(async () => expect(await kept('p')).toHaveLength(2));
    end();
  });

  it('of the form in which there was one alone are read', async () => {
    await store.setItem('p', { name: 'one.mp4', video: file('one.mp4'), offset: 12, from: 1, over: 0.4 });
    const [one] = await readReferences('p');
    expect(one).toMatchObject({ name: 'one.mp4', place: 'over', opacity: 0.4, offset: 12, speed: 1 });
    expect(await one.file.text()).toBe('one.mp4');
    await store.setItem('p', [{ name: 'broken' }]);
    expect(await readReferences('p')).toEqual([]);
  });
});
