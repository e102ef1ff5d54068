import { createToaster } from '@chakra-ui/react';

/** Notices that wait to be shown, over the view and below the header, where they cover neither lanes nor numbers. */
export const toaster = createToaster({
  placement: 'top',
  offsets: { top: '52px', bottom: '16px', left: '16px', right: '16px' },
  pauseOnPageIdle: true,
  max: 4,
});

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
    // What offers a way on stays until there was time to read it and to reach its button.
    duration: action ? 30_000 : alarm ? 12_000 : 8_000,
    closable: true,
    action: action && { label: action.label, onClick: action.run },
  });
}
