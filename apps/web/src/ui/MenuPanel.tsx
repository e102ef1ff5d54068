import { Menu, Portal } from '@chakra-ui/react';

/** The panel on which the items of an open menu stand. */
export const MenuPanel = (props: Menu.ContentProps) => (
  <Portal>
    <Menu.Positioner>
      <Menu.Content bg="raised" borderWidth="1px" borderColor="line" boxShadow="float" {...props} />
    </Menu.Positioner>
  </Portal>
);
