import { chakra } from '@chakra-ui/react';
import { type KeyboardEvent, type PointerEvent, useContext, useEffect, useRef, useState } from 'react';
import { type Command, perform, refusalOf } from '../commands/command.js';
import { EditorContext, useEditor } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { CLICK, followPointer } from '../gestures/pointer.js';
import { notify } from '../ui/notify.js';
import { typedNumber, typingHelp, type Units } from '../ui/number-text.js';

interface NumberProps {
  readonly label: string;
  /** The number now. Read again at every frame when `live`, so that it need not render. */
  readonly read: () => number;
  readonly live?: boolean;
  readonly min?: number;
  readonly max?: number;
  /** How much one pixel of a drag, or one press of an arrow key, changes. */
  readonly step: number;
  readonly decimals: number;
  readonly disabled?: boolean;
  readonly width?: string;
  /** What it may be typed in, beside its own unit. */
  readonly units?: Units;
  /** By how much what is shown and typed is larger: the number of frame 0, for a frame. */
  readonly origin?: number;
}

interface DragNumberProps<A> extends NumberProps {
  readonly command: Command<A>;
  /** What the command is to do for a number; with Alt, if that means something to it. */
  readonly to: (value: number, alt: boolean, from: A | undefined) => A;
  /** What a drag keeps of how things were when it began. */
  readonly start?: () => A;
  /** What the command is to do for a text that is typed, where that is more than a number; undefined for none. */
  readonly toTyped?: (text: string) => A | undefined;
}

/** A number of the project that is dragged sideways, finely with Shift; a click types, arrow keys step. */
export function DragNumber<A>({ command, to, start, toTyped, ...props }: DragNumberProps<A>) {
  const editor = useEditor();
  const refused = refusalOf(editor, command, to(props.read(), false, undefined));
  return (
    <NumberBox
      {...props}
      refused={refused?.reason}
      onSet={(value, alt) => perform(editor, command, to(value, alt, undefined))}
      onTyped={
        toTyped &&
        ((text) => {
          const arg = toTyped(text);
          if (arg !== undefined) perform(editor, command, arg);
          return arg !== undefined;
        })
      }
      onDrag={(event, valueAt) => {
        const from = start?.();
        startDrag(editor, event, {
          command,
          to: (dx, _, move) => to(valueAt(dx, move.shiftKey), move.altKey, from),
        });
      }}
    />
  );
}

interface LocalNumberProps extends NumberProps {
  readonly onChange: (value: number) => void;
}

/** A number that belongs to a screen and not to the project. Escape brings it back in the middle of a drag. */
export function LocalNumber({ onChange, ...props }: LocalNumberProps) {
  return (
    <NumberBox
      {...props}
      onSet={onChange}
      onDrag={(event, valueAt) => {
        const before = props.read();
        followPointer(event, {
          move: (dx, _, move) => onChange(valueAt(dx, move.shiftKey)),
          end: (kept) => !kept && onChange(before),
        });
      }}
    />
  );
}

interface NumberBoxProps extends NumberProps {
  /** Why it cannot be changed now; pressing it tells that. */
  readonly refused?: string;
  readonly onSet: (value: number, alt: boolean) => void;
  /** Does with a typed text what it says; false where it says nothing. In place of what is typed being one number. */
  readonly onTyped?: (text: string) => boolean;
  readonly onDrag: (event: PointerEvent, valueAt: (dx: number, fine: boolean) => number) => void;
}

/** Whether the focus goes on from a number that was typed to the next, which then is typed too. */
let tabbedFromTyping = false;

function NumberBox({
  label,
  read,
  live,
  min,
  max,
  step,
  decimals,
  disabled = false,
  refused,
  width = '44px',
  units,
  origin = 0,
  onSet,
  onTyped,
  onDrag,
}: NumberBoxProps) {
  const editor = useContext(EditorContext);
  /** What the field that is typed into begins with; undefined where nobody types. */
  const [typing, setTyping] = useState<string>();
  const pressed = useRef<{ readonly x: number; readonly y: number }>(undefined);
  const field = useRef<HTMLSpanElement>(null);
  const off = disabled || refused !== undefined;
  const text = (value: number) => (value + origin).toFixed(decimals);
  // Four decimals are finer than any hand; more would only be noise in the file.
  const within = (value: number) =>
    Math.min(max ?? value, Math.max(min ?? value, Math.round(value * 1e4) / 1e4));

  useEffect(() => {
    if (!live || !editor) return;
    const show = () => {
      const value = read();
      if (!field.current || field.current.textContent === text(value)) return;
      field.current.textContent = text(value);
      field.current.setAttribute('aria-valuenow', text(value));
    };
    show();
    return editor.stage.subscribe(show);
  });

  if (typing !== undefined) {
    const leave = (value: string) => {
      setTyping(undefined);
      if (value.trim() === '' || value === text(read())) return;
      const number = typedNumber(value, read(), units, origin);
      if (number !== undefined && onTyped) onTyped(value);
      else if (number !== undefined) {
        const kept = within(number);
        if (Math.abs(kept - number) > 1e-4)
          notify({
            title: `${label}: ${text(kept)}`,
            text: `${text(number)} was typed; it may be ${number > kept ? `${text(kept)} at most` : `no less than ${text(kept)}`}.`,
          });
        onSet(kept, false);
      } else
        notify({
          title: `Not changed: ${label}`,
          text: `“${value.trim().slice(0, 80)}” is no number; expected ${typingHelp(units)}.`,
        });
    };
    return (
      <chakra.input
        aria-label={label}
        autoFocus
        defaultValue={typing}
        onFocus={(event) => typing === text(read()) && event.target.select()}
        onBlur={(event) => leave(event.target.value)}
        onKeyDown={(event: KeyboardEvent<HTMLInputElement>) => {
          event.stopPropagation();
          if (event.key === 'Tab') tabbedFromTyping = true;
          if (event.key === 'Enter') event.currentTarget.blur();
          if (event.key === 'Escape') setTyping(undefined);
        }}
        width={width}
        fontFamily="mono"
        bg="ground"
        borderRadius="l1"
        textAlign="right"
        px="1"
      />
    );
  }

  const onKeyDown = (event: KeyboardEvent) => {
    const sign = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    const writes = event.key.length === 1 && /[\d.,+*/-]/.test(event.key) && !event.ctrlKey && !event.metaKey;
    if (event.key === 'Enter' || writes) {
      if (off) return;
      setTyping(writes ? event.key : text(read()));
    } else if (sign === undefined) return;
    else onSet(within(read() + sign * step * (event.shiftKey ? 10 : 1)), event.altKey);
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <chakra.span
      ref={field}
      role="spinbutton"
      tabIndex={disabled ? -1 : 0}
      aria-label={label}
      aria-disabled={off}
      aria-valuenow={Number(text(read()))}
      aria-valuemin={min === undefined ? undefined : min + origin}
      aria-valuemax={max === undefined ? undefined : max + origin}
      data-does={
        off
          ? undefined
          : 'Drag sideways, Shift: finely; or click and type: +5 adds, *2 scales, 50 % is a half'
      }
      title={refused ? `${label}: ${refused}` : `${label}: drag sideways, or click and type`}
      onPointerDown={(event) => {
        if (disabled || event.button !== 0) return;
        pressed.current = { x: event.clientX, y: event.clientY };
        const before = read();
        onDrag(event, (dx, fine) => within(before + dx * step * (fine ? 0.1 : 1)));
      }}
      onClick={(event) => {
        const { x, y } = pressed.current ?? { x: Number.NaN, y: 0 };
        if (!off && Math.hypot(event.clientX - x, event.clientY - y) < CLICK) setTyping(text(read()));
      }}
      onFocus={() => {
        if (tabbedFromTyping && !off) setTyping(text(read()));
        tabbedFromTyping = false;
      }}
      onKeyDown={disabled ? undefined : onKeyDown}
      display="inline-block"
      whiteSpace="nowrap"
      width={width}
      textAlign="right"
      fontFamily="mono"
      fontVariantNumeric="tabular-nums"
      cursor={off ? 'default' : 'ew-resize'}
      borderBottomWidth="1px"
      borderBottomStyle="dotted"
      borderBottomColor={off ? 'transparent' : 'quiet'}
      px="1"
      touchAction="none"
      userSelect="none"
      color={off ? 'quiet' : 'text'}
      _hover={off ? undefined : { bg: 'ground' }}
    >
      {text(read())}
    </chakra.span>
  );
}
