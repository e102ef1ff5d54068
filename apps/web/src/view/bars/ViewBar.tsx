import { Box, type BoxProps, Button } from '@chakra-ui/react';

/** A bar over the view that says something about what is seen and offers what follows from it. */
export const ViewBar = ({ children, ...place }: BoxProps) => (
  <Box
    position="absolute"
    maxWidth="calc(100% - 24px)"
    display="flex"
    alignItems="center"
    gap="2"
    bg="panel"
    borderWidth="1px"
    borderColor="lamp"
    borderRadius="l2"
    px="3"
    py="1.5"
    role="status"
    {...place}
  >
    {children}
  </Box>
);

interface BarButtonProps {
  /** Whether it is what one most likely wants. */
  readonly main?: boolean;
  readonly title?: string;
  readonly onClick: () => void;
  readonly children: string;
}

export const BarButton = ({ main, ...props }: BarButtonProps) => (
  <Button
    size="2xs"
    {...(main ? { bg: 'lamp', color: 'onLamp' } : { variant: 'outline', borderColor: 'line', color: 'text' })}
    {...props}
  />
);
