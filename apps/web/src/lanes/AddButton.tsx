import { chakra, type HTMLChakraProps } from '@chakra-ui/react';

interface AddButtonProps extends HTMLChakraProps<'button'> {
  readonly label: string;
  readonly icon: React.ReactNode;
}

/** A button below the lanes that adds a layer. */
export function AddButton({ label, icon, ...rest }: AddButtonProps) {
  return (
    <chakra.button
      type="button"
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
      {label}
    </chakra.button>
  );
}
