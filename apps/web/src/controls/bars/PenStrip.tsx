import { Box, chakra } from '@chakra-ui/react';
import { useStore } from 'zustand';
import { type Modifier, PEN_BUTTONS, pen } from '../../gestures/pen.js';

const KEYS: readonly { readonly key: Modifier; readonly name: string; readonly does: string }[] = [
  { key: 'shiftKey', name: 'Shift', does: 'adds to what is picked, drags numbers finely' },
  { key: 'ctrlKey', name: 'Ctrl', does: 'picks one more layer, drags copies of keys' },
  { key: 'altKey', name: 'Alt', does: 'scales a whole curve, lets keys lie between frames' },
];

const press = (key: string): void => {
  document.body.dispatchEvent(
    new KeyboardEvent('keydown', { key, code: key, bubbles: true, cancelable: true }),
  );
  document.body.dispatchEvent(new KeyboardEvent('keyup', { key, code: key, bubbles: true }));
};

/** What a hand with a pen or a finger has no keys and no right button for, as buttons. */
export function PenStrip() {
  const { held, menu, moves } = useStore(pen);
  const hold = (key: Modifier) =>
    pen.setState({ held: held.includes(key) ? held.filter((one) => one !== key) : [...held, key] });
  return (
    <Box
      role="toolbar"
      aria-label="For pen and touch"
      display="flex"
      gap="2"
      flex="1"
      minWidth="0"
      overflow="hidden"
      {...{ [PEN_BUTTONS]: true }}
    >
      {KEYS.map(({ key, name, does }) => (
        <StripButton key={key} title={`${name}: ${does}`} on={held.includes(key)} onClick={() => hold(key)}>
          {name}
        </StripButton>
      ))}
      <StripButton
        title="The next touch opens the menu of what it touches; so does a long press"
        on={menu}
        onClick={() => pen.setState({ menu: !menu })}
      >
        Menu
      </StripButton>
      <StripButton
        title="One finger moves the camera, in place of turning it; two turn it and zoom"
        on={moves}
        onClick={() => pen.setState({ moves: !moves })}
      >
        Move camera
      </StripButton>
      {['Enter', 'Delete', 'Escape'].map((key) => (
        <StripButton key={key} title={`As the key ${key}`} onClick={() => press(key)}>
          {key}
        </StripButton>
      ))}
    </Box>
  );
}

interface StripButtonProps {
  readonly title: string;
  readonly on?: boolean;
  readonly onClick: () => void;
  readonly children: string;
}

const StripButton = ({ title, on, onClick, children }: StripButtonProps) => (
  <chakra.button
    type="button"
    title={title}
    aria-pressed={on}
    onClick={onClick}
    flex="none"
    height="32px"
    px="3"
    borderRadius="l1"
    borderWidth="1px"
    borderColor={on ? 'lamp' : 'line'}
    bg={on ? 'raised' : 'panel'}
    color={on ? 'lamp' : 'text'}
    cursor="pointer"
    touchAction="manipulation"
  >
    {children}
  </chakra.button>
);
