import { Button, type ButtonProps } from '@chakra-ui/react';
import { FolderOpen } from 'lucide-react';
import { useRef } from 'react';
import { useOpenFiles } from './DropZone.js';

interface ChooseFilesProps {
  readonly label: string;
  /** What the files are, for readers. */
  readonly what: string;
  /** Endings of names, as a file field takes them. */
  readonly accept: string;
  readonly size: ButtonProps['size'];
}

/** A button that lets files be chosen, and does with them what a drop does. */
export function ChooseFiles({ label, what, accept, size }: ChooseFilesProps) {
  const input = useRef<HTMLInputElement>(null);
  const { open, busy } = useOpenFiles();
  return (
    <>
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple
        hidden
        aria-label={what}
        onChange={(event) => {
          void open([...(event.target.files ?? [])].map((file) => ({ path: file.name, file })));
          event.target.value = '';
        }}
      />
      <Button size={size} bg="lamp" color="onLamp" disabled={!!busy} onClick={() => input.current?.click()}>
        <FolderOpen size={15} aria-hidden />
        {label}
      </Button>
    </>
  );
}
