import { chakra } from '@chakra-ui/react';

interface ChoiceProps {
  readonly on: boolean;
  readonly title?: string;
  readonly disabled?: boolean;
  /** Whether it does nothing now but tell why. */
  readonly dimmed?: boolean;
  readonly onClick: () => void;
  readonly children: React.ReactNode;
}

/** One of a few words of which one is chosen; or a small button in a row of values. */
export function Choice({ on, title, disabled, dimmed, onClick, children }: ChoiceProps) {
  return (
    <chakra.button
      type="button"
      aria-pressed={on}
      title={title}
      aria-disabled={dimmed || undefined}
      disabled={disabled}
      onClick={onClick}
      height="22px"
      minWidth="26px"
      truncate
      px="2"
      borderRadius="l1"
      borderWidth="1px"
      borderColor={on ? 'quiet' : 'line'}
      bg={on ? 'raised' : 'transparent'}
      color={on ? 'text' : 'quiet'}
      cursor="pointer"
      _hover={{ color: 'text' }}
      opacity={dimmed ? 0.5 : 1}
      _disabled={{ opacity: 0.5, cursor: 'default' }}
    >
      {children}
    </chakra.button>
  );
}
