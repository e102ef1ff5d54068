import { chakra } from '@chakra-ui/react';
import { type KeyboardEvent, type PointerEvent, useContext, useEffect, useRef, useState } from 'react';
import { type Command, perform, refusalOf } from '../commands/command.js';
import { EditorContext, useEditor } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { followPointer } from '../gestures/pointer.js';

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
}

interface DragNumberProps<A> extends NumberProps {
  readonly command: Command<A>;
  /** What the command is to do for a number; with Alt, if that means something to it. */
  readonly to: (value: number, alt: boolean, from: A | undefined) => A;
  /** What a drag keeps of how things were when it began. */
  readonly start?: () => A;
}

/** A number of the project that is dragged sideways, finely with Shift; a double click types, arrow keys step. */
export function DragNumber<A>({ command, to, start, ...props }: DragNumberProps<A>) {
  const editor = useEditor();
  const refused = refusalOf(editor, command, to(props.read(), false, undefined));
  return (
    <NumberBox
      {...props}
      refused={refused?.reason}
      onSet={(value, alt) => perform(editor, command, to(value, alt, undefined))}
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
  readonly onDrag: (event: PointerEvent, valueAt: (dx: number, fine: boolean) => number) => void;
}

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
  onSet,
  onDrag,
}: NumberBoxProps) {
  const editor = useContext(EditorContext);
  const [typing, setTyping] = useState(false);
  const field = useRef<HTMLSpanElement>(null);
  const off = disabled || refused !== undefined;
  const text = (value: number) => value.toFixed(decimals);
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

  if (typing) {
    const leave = (value: string) => {
      const number = Number(value.replace(',', '.'));
      setTyping(false);
      if (value.trim() !== '' && Number.isFinite(number)) onSet(within(number), false);
    };
    return (
      <chakra.input
        aria-label={label}
        autoFocus
        defaultValue={text(read())}
        onFocus={(event) => event.target.select()}
        onBlur={(event) => leave(event.target.value)}
        onKeyDown={(event: KeyboardEvent<HTMLInputElement>) => {
          event.stopPropagation();
          if (event.key === 'Enter') leave(event.currentTarget.value);
          if (event.key === 'Escape') setTyping(false);
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
    if (event.key === 'Enter') setTyping(true);
    else if (sign === undefined) return;
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
      aria-valuemin={min}
      aria-valuemax={max}
      title={refused ? `${label}: ${refused}` : `${label}: drag sideways, double click to type`}
      onPointerDown={(event) => {
        if (disabled || event.button !== 0) return;
        const before = read();
        onDrag(event, (dx, fine) => within(before + dx * step * (fine ? 0.1 : 1)));
      }}
      onDoubleClick={() => !off && setTyping(true)}
      onKeyDown={disabled ? undefined : onKeyDown}
      display="inline-block"
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
