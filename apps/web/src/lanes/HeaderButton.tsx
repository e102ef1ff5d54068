import { chakra } from '@chakra-ui/react';
import type { MouseEvent } from 'react';

interface HeaderButtonProps {
  readonly label: string;
  readonly title: string;
  readonly does?: string;
  readonly on: boolean;
  readonly onClick: (event: MouseEvent) => void;
  readonly children: React.ReactNode;
}

/** A letter or a sign in the head of a lane or a group that is on or off. */
export const HeaderButton = ({ label, title, does, on, onClick, children }: HeaderButtonProps) => (
  <chakra.button
    type="button"
    aria-label={label}
    aria-pressed={on}
    title={title}
    data-does={does}
    onClick={onClick}
    width="24px"
    height="24px"
    display="inline-flex"
    alignItems="center"
    justifyContent="center"
    fontSize="11px"
    fontWeight="600"
    borderRadius="4px"
    cursor="pointer"
    bg={on ? 'lamp' : 'transparent'}
    color={on ? 'onLamp' : 'quiet'}
    _hover={on ? undefined : { bg: 'ground', color: 'text' }}
  >
    {children}
  </chakra.button>
);
