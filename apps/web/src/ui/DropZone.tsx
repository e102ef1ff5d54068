import { Box } from '@chakra-ui/react';
import { checkSize } from '@evlay/core';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { notify } from '../state/notify.js';
import { openFile } from '../workers/open.js';

/** Opens files and goes to the project; says what is wrong with one that cannot be opened. */
export function useOpenFiles(): {
  open: (files: readonly File[]) => Promise<void>;
  busy: string | undefined;
} {
  const navigate = useNavigate();
  const [busy, setBusy] = useState<string>();
  const open = async (files: readonly File[]) => {
    const file = files[0];
    if (!file) return;
    if (files.length > 1)
      notify({ title: 'One file at a time', text: `Opening ${file.name}; drop the others one by one.` });
    setBusy(file.name);
    try {
      checkSize(file.name, file.size);
      if (!/\.(bvh|evlay)$/i.test(file.name)) {
        throw new Error(`${file.name}: a project starts from a motion (.bvh) or a project file (.evlay)`);
      }
      const opened = await openFile(file.name, new Uint8Array(await file.arrayBuffer()));
      if ('refused' in opened) throw new Error(opened.refused);
      for (const warning of opened.warnings) notify({ title: 'Opened, with a warning', text: warning });
      await navigate(`/p/${opened.id}`);
    } catch (error) {
      notify({ title: 'The file was not opened', text: (error as Error).message, alarm: true });
    } finally {
      setBusy(undefined);
    }
  };
  return { open, busy };
}

/** Takes files that are dropped anywhere on the page. */
export function DropZone({ children }: { children: React.ReactNode }) {
  const { open, busy } = useOpenFiles();
  const [over, setOver] = useState(false);
  useEffect(() => {
    const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files') ?? false;
    const onOver = (event: DragEvent) => {
      if (!hasFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const onLeave = (event: DragEvent) => {
      if (!event.relatedTarget) setOver(false);
    };
    const onDrop = (event: DragEvent) => {
      setOver(false);
      if (!hasFiles(event)) return;
      event.preventDefault();
      void open([...(event.dataTransfer?.files ?? [])]);
    };
    window.addEventListener('dragover', onOver);
    window.addEventListener('dragleave', onLeave);
    window.addEventListener('drop', onDrop);
    return () => {
      window.removeEventListener('dragover', onOver);
      window.removeEventListener('dragleave', onLeave);
      window.removeEventListener('drop', onDrop);
    };
  });
  return (
    <>
      {children}
      {(over || busy) && (
        <Box
          position="fixed"
          inset="0"
          zIndex="overlay"
          display="flex"
          alignItems="center"
          justifyContent="center"
          bg="ground/80"
          pointerEvents="none"
          role="status"
        >
          <Box
            bg="panel"
            borderWidth="2px"
            borderStyle="dashed"
            borderColor="lamp"
            borderRadius="l2"
            px="8"
            py="6"
            fontSize="16px"
          >
            {busy ? `Opening ${busy} …` : 'Drop a motion (.bvh) or a project (.evlay)'}
          </Box>
        </Box>
      )}
    </>
  );
}
