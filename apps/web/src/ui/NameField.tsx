import { chakra, type HTMLChakraProps } from '@chakra-ui/react';
import { useRef, useState } from 'react';

interface NameFieldProps extends Omit<HTMLChakraProps<'input'>, 'onChange'> {
  readonly label: string;
  readonly name: string;
  readonly onRename: (name: string) => void;
  /** Called when the field is left, renamed or not. */
  readonly onLeave?: () => void;
}

/** A name that is edited where it stands: Enter or leaving keeps it, Escape does not. */
export function NameField({ label, name, onRename, onLeave, ...style }: NameFieldProps) {
  const [draft, setDraft] = useState<string>();
  const dropped = useRef(false);
  return (
    <chakra.input
      aria-label={label}
      value={draft ?? name}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => {
        const wanted = draft?.trim();
        if (wanted && wanted !== name && !dropped.current) onRename(wanted);
        dropped.current = false;
        setDraft(undefined);
        onLeave?.();
      }}
      onKeyDown={(event) => {
        event.stopPropagation();
        dropped.current = event.key === 'Escape';
        if (event.key === 'Enter' || event.key === 'Escape') event.currentTarget.blur();
      }}
      bg="transparent"
      borderRadius="l1"
      px="1.5"
      py="0.5"
      _hover={{ bg: 'raised' }}
      _focus={{ bg: 'ground' }}
      {...style}
    />
  );
}
