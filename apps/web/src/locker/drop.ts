import type { DragEvent } from 'react';
import { poseItem, putThing, thingById } from '../commands/kits/locker.js';
import type { Editor } from '../editor/editor.js';
import { poseLibrary } from '../jobs/pose-library.js';

/** What a thing of the locker is called while it is dragged. */
export const THING = 'application/x-evlay-thing';

/** Takes what is dragged from the locker: over a lane it comes above that layer, elsewhere on top of the stack or onto the character. */
export const takesThings = (editor: Editor) => ({
  onDragOver(event: DragEvent) {
    if (!event.dataTransfer.types.includes(THING)) return;
    event.preventDefault();
    event.dataTransfer.dropEffect = 'copy';
  },
  onDrop(event: DragEvent) {
    const text = event.dataTransfer.getData(THING);
    if (text === '') return;
    event.preventDefault();
    const { id, pose } = JSON.parse(text) as { id: string; pose: boolean };
    const saved = pose ? poseLibrary.getState().poses?.find((one) => one.id === id) : undefined;
    const item = saved ? poseItem(saved) : thingById(id);
    if (!item) return;
    const lane = (event.target as Element).closest<HTMLElement>('[data-layer]');
    void putThing(editor, { item, ...(lane?.dataset.layer && { above: lane.dataset.layer }) });
  },
});
