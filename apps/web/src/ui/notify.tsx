import { createToaster, HStack, Stack, Toast, Toaster } from '@chakra-ui/react';

const toaster = createToaster({ placement: 'bottom-end', pauseOnPageIdle: true, max: 4 });

export interface Notice {
  readonly title: string;
  readonly text?: string;
  readonly alarm?: boolean;
  readonly action?: { readonly label: string; readonly run: () => void };
}

/** Tells the user something, with a way on where there is one. */
export function notify({ title, text, alarm, action }: Notice): void {
  toaster.create({
    title,
    description: text,
    type: alarm ? 'error' : 'info',
    duration: alarm ? 12_000 : 8_000,
    closable: true,
    action: action && { label: action.label, onClick: action.run },
  });
}

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
