import { Box, chakra } from '@chakra-ui/react';
import { isFace } from '@evlay/core/rig';
import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { type FaceWish, setFace } from '../commands/poses/face.js';
import { DragNumber } from '../controls/DragNumber.js';
import { useEditor } from '../editor/context.js';
import type { Editor } from '../editor/editor.js';
import { membersPicked } from '../editor/picked.js';
import { startDrag } from '../gestures/gesture.js';
import type { Units } from '../ui/number-text.js';

const UNITS: Units = { '%': 0.01 };
/** How much an arrow key changes. */
const STEP = 0.01;

/** What a face channel is seen at. */
const seenAt = ({ stage }: Editor, member: number): number => {
  const { project, pose } = stage.get();
  return pose.faces[member - project.rig.joints.length] ?? 0;
};

/** The channels that go along with one: all that are picked where it is among them, with what each is seen at. */
function together(editor: Editor, member: number): ReadonlyMap<string, number> {
  const { rig } = editor.history.project();
  const faces = membersPicked(editor).filter((one) => isFace(rig, one));
  const meant = faces.includes(member) ? faces : [member];
  return new Map(meant.map((one) => [rig.faces![one - rig.joints.length].name, seenAt(editor, one)]));
}

/** One channel at a value, and those that are picked with it changed by as much. */
const wish = (from: ReadonlyMap<string, number>, name: string, value: number): FaceWish =>
  Object.fromEntries([...from].map(([one, at]) => [one, at + value - from.get(name)!]));

/** A face channel as a slider from 0 to 1 and a number that goes beyond: what is seen follows the hand. */
export function FaceSlider({ name, member }: { name: string; member: number }) {
  const editor = useEditor();
  const track = useRef<HTMLDivElement>(null);
  const fill = useRef<HTMLDivElement>(null);
  const read = () => seenAt(editor, member);

  useEffect(() => {
    const show = () => {
      const value = seenAt(editor, member);
      const width = `${(100 * Math.min(1, Math.max(0, value))).toFixed(1)}%`;
      if (!fill.current || fill.current.style.width === width) return;
      fill.current.style.width = width;
      track.current?.setAttribute('aria-valuenow', value.toFixed(2));
    };
    show();
    return editor.stage.subscribe(show);
  }, [editor, member]);

  const grab = (event: PointerEvent) => {
    if (event.button !== 0) return;
    const { left, width } = track.current!.getBoundingClientRect();
    const at = (x: number) => Math.min(1, Math.max(0, Math.round(((x - left) / width) * 200) / 200));
    const from = together(editor, member);
    startDrag(editor, event, {
      command: setFace,
      atOnce: wish(from, name, at(event.clientX)),
      to: (_dx, _dy, { clientX }) => wish(from, name, at(clientX)),
    });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const sign = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    const end = { Home: 0, End: 1 }[event.key];
    if (sign === undefined && end === undefined) return;
    const value = end ?? Math.round((read() + sign! * STEP * (event.shiftKey ? 10 : 1)) * 1e4) / 1e4;
    perform(editor, setFace, wish(together(editor, member), name, value));
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <>
      <chakra.div
        ref={track}
        role="slider"
        tabIndex={0}
        aria-label={name}
        aria-valuemin={0}
        aria-valuemax={1}
        aria-valuenow={Number(read().toFixed(2))}
        data-does="Drag: what is seen follows; arrow keys step, Shift further; typed numbers go beyond 0 to 1"
        onPointerDown={grab}
        onKeyDown={onKeyDown}
        flex="1"
        minWidth="60px"
        height="24px"
        display="flex"
        alignItems="center"
        cursor="ew-resize"
        touchAction="none"
      >
        <Box width="100%" height="8px" bg="ground" borderWidth="1px" borderColor="line" borderRadius="l1">
          <Box ref={fill} height="100%" bg="lamp" borderRadius="l1" width="0" />
        </Box>
      </chakra.div>
      <DragNumber
        label={`${name} as seen`}
        read={read}
        live
        step={0.005}
        decimals={2}
        units={UNITS}
        width="42px"
        command={setFace}
        start={() => Object.fromEntries(together(editor, member))}
        to={(value, _, from) =>
          wish(from ? new Map(Object.entries(from)) : together(editor, member), name, value)
        }
      />
    </>
  );
}
