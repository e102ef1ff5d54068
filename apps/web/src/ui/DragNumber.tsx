import { chakra } from '@chakra-ui/react';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { stage } from '../state/stage.js';
import { startDrag } from './drag.js';

interface DragNumberProps {
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
  readonly onChange: (value: number, how: { readonly alt: boolean; readonly drag: symbol }) => void;
}

/** A number that is dragged sideways, finely with Shift; a double click types, arrow keys step. */
export function DragNumber({
  label,
  read,
  live,
  min,
  max,
  step,
  decimals,
  disabled,
  width = '44px',
  onChange,
}: DragNumberProps) {
  const [typing, setTyping] = useState(false);
  const field = useRef<HTMLSpanElement>(null);
  const text = (value: number) => value.toFixed(decimals);
  // Four decimals are finer than any hand; more would only be noise in the file.
  const within = (value: number) =>
    Math.min(max ?? value, Math.max(min ?? value, Math.round(value * 1e4) / 1e4));

  useEffect(() => {
    if (!live) return;
    const show = () => {
      const value = read();
      if (!field.current || field.current.textContent === text(value)) return;
      field.current.textContent = text(value);
      field.current.setAttribute('aria-valuenow', text(value));
    };
    show();
    return stage.subscribe(show);
  });

  if (typing) {
    const leave = (value: string) => {
      const number = Number(value.replace(',', '.'));
      setTyping(false);
      if (value.trim() !== '' && Number.isFinite(number))
        onChange(within(number), { alt: false, drag: Symbol('typed') });
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
    else
      onChange(within(read() + sign * step * (event.shiftKey ? 10 : 1)), {
        alt: event.altKey,
        drag: Symbol('key'),
      });
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <chakra.span
      ref={field}
      role="spinbutton"
      tabIndex={disabled ? -1 : 0}
      aria-label={label}
      aria-disabled={disabled}
      aria-valuenow={Number(text(read()))}
      aria-valuemin={min}
      aria-valuemax={max}
      title={`${label}: drag sideways, double click to type`}
      onPointerDown={(event) => {
        if (disabled || event.button !== 0) return;
        const before = read();
        const drag = Symbol(label);
        startDrag(event, (dx, _, move) => {
          onChange(within(before + dx * step * (move.shiftKey ? 0.1 : 1)), { alt: move.altKey, drag });
        });
      }}
      onDoubleClick={() => !disabled && setTyping(true)}
      onKeyDown={disabled ? undefined : onKeyDown}
      display="inline-block"
      width={width}
      textAlign="right"
      fontFamily="mono"
      fontVariantNumeric="tabular-nums"
      cursor={disabled ? 'default' : 'ew-resize'}
      borderBottomWidth="1px"
      borderBottomStyle="dotted"
      borderBottomColor={disabled ? 'transparent' : 'quiet'}
      px="1"
      touchAction="none"
      userSelect="none"
      color={disabled ? 'quiet' : 'text'}
      _hover={disabled ? undefined : { bg: 'ground' }}
    >
      {text(read())}
    </chakra.span>
  );
}
