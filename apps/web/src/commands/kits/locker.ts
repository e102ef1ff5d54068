import type { SavedPose } from '@evlay/core';
import { stripOf } from '@evlay/core/apply';
import { addTakeLayer, projectOfCharacter, takeById } from '@evlay/core/edit';
import {
  LOCKER_ENDING,
  type LockerItem,
  posesText,
  readLocker,
  readPoses,
  writeLocker,
} from '@evlay/core/format';
import { openEditor } from '../../editor/app.js';
import { castOf } from '../../editor/cast.js';
import type { Editor } from '../../editor/editor.js';
import { lockerStore, openLocker, putInLocker } from '../../jobs/locker.js';
import { changePoseLibrary, openPoseLibrary } from '../../jobs/pose-library.js';
import type { Stored } from '../../storage/locker.js';
import { colorOf } from '../../theme/theme.js';
import { download } from '../../ui/download.js';
import { stripPicture } from '../../ui/draw-strip.js';
import { notify } from '../../ui/notify.js';
import { command, perform } from '../command.js';
import { applyPose } from '../poses/pose-book.js';
import { bringIn } from '../scene/bring-in.js';
import { addTheCharacter } from '../scene/characters.js';
import { kitFromFile, openKitPutting, plainName, putLayers } from './kits.js';

/** Something of the locker that is put on the stack above a layer, or on the character. */
export interface PutThing {
  readonly item: Pick<Stored, 'kind' | 'name' | 'file' | 'bytes'>;
  readonly above?: string;
}

/** Puts something of the locker where it belongs: a kit is shown first, a layer comes at once, a take with a layer that plays it, a pose is applied, a character joins the scene. */
export async function putThing(editor: Editor, { item, above }: PutThing): Promise<void> {
  const { kind, file, bytes } = item;
  if (kind === 'kit' || kind === 'layer') {
    const kit = await kitFromFile(file, bytes);
    if (!kit) return;
    const where = above === undefined ? { kit } : { kit, above };
    perform(editor, kind === 'kit' ? openKitPutting : putLayers, where);
    return;
  }
  if (kind === 'character') {
    const own = new File([bytes as Uint8Array<ArrayBuffer>], file);
    perform(editor, addTheCharacter, { files: [{ path: file, file: own }] });
    return;
  }
  if (kind === 'pose') {
    try {
      const [pose] = readPoses(file, bytes);
      perform(editor, applyPose, { pose });
    } catch (error) {
      notify({ title: 'The pose cannot be read', text: (error as Error).message, alarm: true });
    }
    return;
  }
  const step = Symbol('take of the locker');
  const layers = editor.history.project().layers;
  perform(editor, bringIn, {
    files: [{ path: file, file: new File([bytes as Uint8Array<ArrayBuffer>], file) }],
    step,
    take: (take) =>
      editor.history.edit(
        (project) =>
          addTakeLayer(project, { take, mode: 'override', above: above ?? layers[layers.length - 1].id })
            .project,
        step,
      ),
  });
}

/** Keeps the file of a take in the locker. */
export const keepTake = command<{ readonly take: string; readonly picture?: string }>({
  name: 'Keep the take in the locker',
  looks: true,
  refusal({ history }, { take: id }) {
    const take = takeById(history.project(), id);
    return take && take.source.bytes.length === 0
      ? { reason: 'Its samples are still being made' }
      : undefined;
  },
  run({ history, session }, { take: id, picture }) {
    const take = takeById(history.project(), id);
    if (!take) return;
    const { bytes, file } = take.source;
    const item = {
      kind: 'take' as const,
      name: take.name,
      tags: [],
      ...(picture && { picture }),
      file: file.slice(file.lastIndexOf('/') + 1),
      bytes,
    };
    void putInLocker([item]).then((kept) => {
      if (!kept) return;
      session.setState({ locker: true });
      notify({ title: `“${take.name}” is in the locker` });
    });
  },
});

/** Keeps a character of the scene in the locker, as the file that it came in. */
export const keepCharacter = command<number>({
  name: 'Keep the character in the locker',
  looks: true,
  refusal: ({ history }, character) =>
    history.project().scene.characters[character].figure
      ? undefined
      : { reason: 'It has no surface: keep a take of it in the locker, on Takes' },
  run({ history, session }, character) {
    const project = history.project();
    const { name } = castOf(project, character);
    const { figure } = project.scene.characters[character];
    if (!figure) return;
    const strip = stripOf(projectOfCharacter(project, character), 1);
    const picture = stripPicture(strip, colorOf('lamp', 'dark'), colorOf('ground', 'dark'));
    const item = {
      kind: 'character' as const,
      name,
      tags: [],
      ...(picture && { picture }),
      file: `${plainName(name)}.glb`,
      bytes: figure.bytes,
    };
    void putInLocker([item]).then((kept) => {
      if (!kept) return;
      session.setState({ locker: true });
      notify({ title: `“${name}” is in the locker`, text: 'Put it into any scene from there.' });
    });
  },
});

/** A pose of this browser as the locker shows it. */
export const poseItem = (pose: SavedPose): LockerItem => ({
  id: pose.id,
  kind: 'pose',
  name: pose.name,
  tags: pose.tags,
  file: 'pose.json',
  bytes: new TextEncoder().encode(posesText([pose])),
});

/** Downloads all that this browser keeps, its poses too, as a locker. */
export async function saveLocker(): Promise<void> {
  const [items, poses] = await Promise.all([openLocker(), openPoseLibrary()]);
  const all = [...items, ...poses.map(poseItem)];
  if (all.length === 0) {
    notify({ title: 'The locker is empty', text: 'There is nothing to save yet.' });
    return;
  }
  download(`Locker${LOCKER_ENDING}`, [writeLocker(all)], 'application/zip');
}

/** Puts what is in a locker file into the locker of this browser, beside what is there. */
export async function loadLocker(file: File): Promise<void> {
  try {
    const items = readLocker(file.name, new Uint8Array(await file.arrayBuffer()));
    const poses = items.flatMap((item) => (item.kind === 'pose' ? readPoses(item.file, item.bytes) : []));
    const things = items.filter(({ kind }) => kind !== 'pose');
    if (poses.length > 0) await changePoseLibrary((kept) => [...kept, ...poses]);
    if (things.length > 0 && !(await putInLocker(things))) return;
    openEditor()?.session.setState({ locker: true });
    notify({ title: `${items.length} ${items.length === 1 ? 'thing is' : 'things are'} in the locker now` });
  } catch (error) {
    notify({ title: 'The locker was not read', text: (error as Error).message, alarm: true });
  }
}

/** Puts a kit file into the locker, where no project is open to put it on. */
export async function kitIntoLocker(file: File): Promise<void> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const kit = await kitFromFile(file.name, bytes);
  if (!kit) return;
  if (await putInLocker([{ kind: 'kit', name: kit.name, tags: [], file: file.name, bytes }]))
    notify({ title: `“${kit.name}” is in the locker`, text: 'Open a project to put it on a take.' });
}

/** The things of the locker that are there now. */
export const thingById = (id: string): Stored | undefined =>
  lockerStore.getState().items?.find((item) => item.id === id);
