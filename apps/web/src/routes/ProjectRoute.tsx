import { Box, Text } from '@chakra-ui/react';
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
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';
import { Shortcuts, useClickedLetGo } from './Shortcuts.js';
import { TryBar } from './TryBar.js';

/** Opens the project that the address names, and shows it. */
export function ProjectRoute() {
  useClickedLetGo();
  const { id = '' } = useParams();
  const navigate = useNavigate();
  const editor = useApp((state) => state.editor);
  const [refused, setRefused] = useState<{ readonly id: string; readonly reason: string }>();

  useEffect(() => {
    let current = true;
    openStored(id).then(
      (opened) => {
        if (!current) return;
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
      <Box p="8" role="status">
        Opening the project …
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
