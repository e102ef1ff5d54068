import { HStack, Stack, Toast, Toaster } from '@chakra-ui/react';
import { toaster } from './notify.js';

/** The corner in which notices appear. */
export function Notices() {
  return (
    <Toaster toaster={toaster}>
      {(toast) => (
        <Toast.Root
          width="340px"
          bg="raised"
          color="text"
          borderWidth="1px"
          borderColor={toast.type === 'error' ? 'alarm' : 'line'}
          boxShadow="float"
        >
          <Stack gap="1" flex="1">
            <Toast.Title color={toast.type === 'error' ? 'alarm' : 'text'}>{toast.title}</Toast.Title>
            {toast.description && <Toast.Description color="text">{toast.description}</Toast.Description>}
            {toast.action && (
              <HStack>
                <Toast.ActionTrigger color="lamp" borderColor="line">
                  {toast.action.label}
                </Toast.ActionTrigger>
              </HStack>
            )}
          </Stack>
          <Toast.CloseTrigger color="quiet" aria-label="Close the notice" />
        </Toast.Root>
      )}
    </Toaster>
  );
}
