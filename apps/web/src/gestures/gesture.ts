import type { PointerEvent as ReactPointerEvent } from 'react';
import { shallow } from 'zustand/shallow';
import { type Command, refusalOf, tellRefusal } from '../commands/command.js';
import type { Editor } from '../editor/editor.js';
import { setDisplay, setPosing, setSelection } from '../editor/session.js';
import { followPointer, whenLost } from './pointer.js';

/** A command that is done again and again while something is dragged, as one step of undo. */
export interface Gesture<A> {
  /** Does the command on the project as it is now. */
  readonly to: (arg: A) => void;
  /** Ends it as one step. */
  readonly commit: () => void;
  /** Goes back to how everything was when it began. */
  readonly cancel: () => void;
}

/**
 * Begins a gesture with a mark in the history. What a session shows beside the project (a tried pose, picked keys, the
 * lit layer, the frame) goes back with it. `ended` hears of its end, also where it was ended from outside: by a command that is done
 * meanwhile, or by the project being taken over. Undefined, and told, where the command cannot be done.
 */
export function beginGesture<A>(
  editor: Editor,
  command: Command<A>,
  first: A,
  ended?: (kept: boolean) => void,
): Gesture<A> | undefined {
  const refused = refusalOf(editor, command, first);
  if (refused) {
    tellRefusal(command.name, refused);
    return undefined;
  }
  editor.gesture?.commit();
  const { trial, keys, take, window: shown, timing, lit } = editor.session.getState();
  const frame = editor.playhead.get();
  const mark = editor.history.mark(command.name);
  let open = true;
  const end = (kept: boolean) => {
    if (!open) return;
    open = false;
    editor.gesture = undefined;
    unheard();
    if (kept) mark.commit();
    else {
      mark.cancel();
      setSelection(editor.session, { keys, take, lit });
      setPosing(editor.session, { trial, timing });
      setDisplay(editor.session, { window: shown });
      editor.playhead.set(frame);
    }
    ended?.(kept);
  };
  const gesture: Gesture<A> = {
    to: (arg) => {
      if (open) command.run(editor, arg, mark.change);
    },
    commit: () => end(true),
    cancel: () => end(false),
  };
  editor.gesture = gesture;
  const unheard = typeof window === 'undefined' ? () => undefined : whenLost(() => end(false));
  return gesture;
}

/** How a press and the way of the pointer since become what a command is to do. */
export interface Drag<A> {
  readonly command: Command<A>;
  /** What it is to do where the pointer has come (dx, dy) pixels from the press. */
  readonly to: (dx: number, dy: number, event: PointerEvent) => A;
  /** What it does at the press already, before the pointer has moved. */
  readonly atOnce?: A;
  /** Called when it has begun and ends, kept or not. */
  readonly ended?: () => void;
}

/**
 * Drags: asks the command once whether it can be done, then does it at every move of the pointer. Every drag of the
 * application but those of the handles in the 3D view, which bring their own pointer, begins here.
 */
export function startDrag<A>(editor: Editor, press: ReactPointerEvent, drag: Drag<A>): void {
  const { command, to, atOnce, ended } = drag;
  let gesture: Gesture<A> | undefined;
  let refused = false;
  let last: A | undefined;
  const begin = (arg: A) => {
    gesture = beginGesture(editor, command, arg, (kept) => {
      stop(kept);
      ended?.();
    });
    refused = gesture === undefined;
  };
  const stop = followPointer(press, {
    move(dx, dy, event) {
      const arg = to(dx, dy, event);
      if (!gesture && !refused) begin(arg);
      // Where things go in steps, such as whole frames, most moves of the pointer ask for what is there already.
      else if (shallow(arg, last)) return;
      last = arg;
      gesture?.to(arg);
    },
    end: (kept) => (kept ? gesture?.commit() : gesture?.cancel()),
    // A press that does something at once and does not move is a step of its own, or none where it is lost.
    endStill: (kept) => (kept ? gesture?.commit() : gesture?.cancel()),
  });
  if (atOnce === undefined) return;
  begin(atOnce);
  gesture?.to(atOnce);
}
