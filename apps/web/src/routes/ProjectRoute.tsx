import { Box, Text } from '@chakra-ui/react';
import { type Progress, startJob } from '@evlay/core/job';
import { useEffect, useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Link, Outlet, useNavigate, useParams } from 'react-router';
import { PROJECT_SHORTCUTS } from '../commands/shortcuts.js';
import { Header } from '../controls/bars/Header.js';
import { ProjectHeader } from '../controls/bars/ProjectHeader.js';
import { openEditor, useApp } from '../editor/app.js';
import { EditorContext } from '../editor/context.js';
import { FilmStage } from '../film/FilmStage.js';
import { openStored } from '../jobs/open.js';
import { cancelImport } from '../jobs/workers.js';
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { Shortcuts, useClickedLetGo } from './Shortcuts.js';
import { TryBar } from './TryBar.js';

/** Opens the project that the address names, and shows it. */
export function ProjectRoute() {
  useClickedLetGo();
  const { id = '' } = useParams();
  const navigate = useNavigate();
  const editor = useApp((state) => state.editor);
  const [refused, setRefused] = useState<{ readonly id: string; readonly reason: string }>();

  const [progress, setProgress] = useState<Progress>();

  useEffect(() => {
    let current = true;
    const opening = startJob('Opening the project …', ({ onProgress }) =>
      openStored(id, undefined, onProgress),
    );
    setProgress(opening.progress);
    opening.result.then(
      (opened) => {
        if (!current || !opened) return;
        if ('refused' in opened) {
          if (openEditor()?.id !== id) setRefused({ id, reason: opened.refused });
          return;
        }
        for (const warning of opened.warnings)
          notify({ title: 'Not all of the project could be read', text: `${warning}.`, alarm: true });
        document.title = `${openEditor()?.history.project().name} · Evlay`;
      },
      (error) =>
        current && setRefused({ id, reason: `The project cannot be read: ${storageReason(error)}.` }),
    );
    return () => {
      current = false;
    };
  }, [id]);

  useHotkeys('?', () => void navigate('/help'), {
    enableOnFormTags: ['slider', 'spinbutton'],
    preventDefault: true,
    useKey: true,
  });

  if (refused?.id === id) {
    return (
      <Box height="100%" display="flex" flexDirection="column">
        <Header />
        <Box as="main" p="8">
          <Text role="alert" color="alarm" mb="3">
            {refused.reason}
          </Text>
          <Link to="/">Back to the projects</Link>
        </Box>
      </Box>
    );
  }
  if (editor?.id !== id) {
    return (
      <Box height="100%" display="flex" flexDirection="column">
        <Header />
        <Box as="main" p="8">
          <Text role="status" mb="3">
            Opening the project …
          </Text>
          {progress && (
            <Box mb="3" display="flex" alignItems="center" gap="2" width="240px">
              <ProgressBar label="Opening the project" done={progress} />
            </Box>
          )}
          <Link to="/" onClick={cancelImport}>
            Back to the projects
          </Link>
        </Box>
      </Box>
    );
  }
  return (
    <EditorContext.Provider value={editor}>
      <Shortcuts commands={PROJECT_SHORTCUTS} />
      <Box key={editor.id} height="100%" display="flex" flexDirection="column">
        <ProjectHeader project={id} />
        <Outlet />
        <TryBar />
        <FilmStage />
      </Box>
    </EditorContext.Provider>
  );
}
