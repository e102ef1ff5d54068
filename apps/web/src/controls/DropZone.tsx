import { Box, Button } from '@chakra-ui/react';
import { useEffect, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { type Busy, useApp } from '../editor/app.js';
import { droppedFiles, type PathFile } from '../ui/dropped.js';
import { ProgressBar } from '../ui/ProgressBar.js';

/** Opens files and goes to the project. What reads them is fetched when it is wanted. */
export function useOpenFiles(): {
  open: (files: readonly PathFile[]) => Promise<void>;
  busy: Busy | undefined;
} {
  const navigate = useNavigate();
  const busy = useApp((state) => state.busy);
  const { pathname } = useLocation();
  const open = async (files: readonly PathFile[]) =>
    (await import('./open-dropped.js')).openDropped(files, pathname, navigate);
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
      if (event.dataTransfer) void droppedFiles(event.dataTransfer).then(open);
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
          pointerEvents={busy ? 'auto' : 'none'}
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
            {busy ? <BusyWith {...busy} /> : <OpenedText />}
          </Box>
        </Box>
      )}
    </>
  );
}

/** What can be dropped, in words. */
function OpenedText() {
  const [text, setText] = useState('a motion, a character or a project');
  useEffect(() => void import('@evlay/core/format').then(({ openedText }) => setText(openedText())), []);
  return `Drop ${text}`;
}

/** What the page is busy with, how far that is, and a way to stop it. */
const BusyWith = ({ text, progress, cancel }: Busy) => (
  <Box display="flex" alignItems="center" gap="4">
    {text}
    {progress && (
      <Box display="flex" alignItems="center" gap="2" width="160px">
        <ProgressBar label={text} done={progress} />
      </Box>
    )}
    <Button size="xs" variant="outline" borderColor="line" color="text" onClick={cancel}>
      Cancel
    </Button>
  </Box>
);
