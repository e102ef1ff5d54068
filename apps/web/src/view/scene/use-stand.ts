import { baseOf, takeOf } from '@evlay/core';
import { offItsPlace } from '@evlay/core/check';
import { characterOf } from '@evlay/core/rig';
import { useEffect } from 'react';
import { perform } from '../../commands/command.js';
import { bringHere, standNow, standOnFloor } from '../../commands/scene/ground.js';
import { useEditor } from '../../editor/context.js';
import { setDisplay } from '../../editor/session.js';
import { notify } from '../../ui/notify.js';
import { figureOf } from './figure.js';
import { jointBoxes, lowestIn } from './joint-boxes.js';

/** Milliseconds that are waited for after a character or a base has come, until it is looked at. */
const CALM = 400;

/** Says, once for each character and base, where it stands off the floor or far away, with what puts it right. */
export function useStand(figure: Uint8Array | undefined): void {
  const editor = useEditor();
  useEffect(() => {
    const { history, session } = editor;
    let timer: ReturnType<typeof setTimeout>;
    let ready = figure === undefined;
    const look = () => {
      if (editor.gesture || session.getState().playing) return begin();
      const project = history.project();
      // Of a keyed base every key is another content: it is said of once.
      const take = takeOf(baseOf(project))?.take;
      const character = characterOf(project.rig);
      const told = session.getState().stands;
      if (told?.character === character && told.take === take) return;
      setDisplay(session, { stands: { character, take } });
      const stand = standNow(editor);
      const { floor, far } = offItsPlace(project, stand);
      const metres = (length: number) => {
        const much = Math.abs(length) * project.metresPerUnit;
        return much < 1 ? `${Math.round(100 * much)} cm` : `${Number(much.toPrecision(3))} m`;
      };
      if (floor)
        notify({
          title:
            stand.under > 0
              ? `The character is ${metres(stand.under)} under the floor`
              : `The character floats ${metres(stand.under)} above the floor`,
          text: 'Its motion and what is baked stay as they are.',
          action: { label: standOnFloor.name, run: () => void perform(editor, standOnFloor, undefined) },
        });
      if (far)
        notify({
          title: `The character stands ${metres(stand.away)} from the middle of the floor`,
          text: 'Its motion and what is baked stay as they are.',
          action: { label: 'Bring it here', run: () => void perform(editor, bringHere, undefined) },
        });
    };
    const begin = () => {
      clearTimeout(timer);
      if (ready) timer = setTimeout(look, CALM);
    };
    let left = false;
    // A surface that cannot be read is said where it is shown; the joints count then.
    if (figure)
      figureOf(figure)
        .then((meshes) => {
          const boxes = jointBoxes(meshes);
          if (!left && boxes.size > 0) editor.lowest = lowestIn(boxes);
        })
        .catch(() => undefined)
        .then(() => {
          ready = true;
          if (!left) begin();
        });
    begin();
    const stop = history.store.subscribe(begin);
    return () => {
      left = true;
      clearTimeout(timer);
      stop();
      editor.lowest = undefined;
    };
  }, [editor, figure]);
}
