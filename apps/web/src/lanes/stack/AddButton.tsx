import { chakra, type HTMLChakraProps } from '@chakra-ui/react';

interface AddButtonProps extends HTMLChakraProps<'button'> {
  readonly label: string;
  /** What stands on it where there is little room: a word of the label. */
  readonly short: string;
  readonly icon: React.ReactNode;
}

/** A button below the lanes that adds something. */
export function AddButton({ label, short, icon, ...rest }: AddButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={label}
      whiteSpace="nowrap"
      display="inline-flex"
      alignItems="center"
      gap="1.5"
      height="24px"
      px="2"
      borderRadius="l1"
      borderWidth="1px"
      borderColor="line"
      cursor="pointer"
      fontSize="12px"
      bg="raised"
      _hover={{ borderColor: 'quiet' }}
      {...rest}
    >
      {icon}
      <chakra.span hideBelow="xl">{label}</chakra.span>
      <chakra.span hideFrom="xl">{short}</chakra.span>
    </chakra.button>
  );
}
