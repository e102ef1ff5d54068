import { Box, Text } from '@chakra-ui/react';
import { useEffect, useState } from 'react';
import { Link, Outlet, useParams } from 'react-router';
import { startAutosave } from '../state/autosave.js';
import { projectStore } from '../state/project-store.js';
import { storageReason } from '../state/storage.js';
import { Header } from '../ui/Header.js';
import { openStored } from '../workers/open.js';
import { useProjectKeys } from './project-keys.js';

/** Opens the project that the address names, and saves it while it is open. */
export function ProjectRoute() {
  const { id = '' } = useParams();
  const [state, setState] = useState<{ ready?: string; refused?: string }>({});

  useEffect(() => {
    let current = true;
    openStored(id).then(
      (opened) => {
        if (!current) return;
        if ('refused' in opened) setState({ refused: opened.refused });
        else {
          document.title = `${projectStore.getState().project?.name} · Evlay`;
          setState({ ready: id });
        }
      },
      (error) => current && setState({ refused: `The project cannot be read: ${storageReason(error)}.` }),
    );
    return () => {
      current = false;
    };
  }, [id]);

  useEffect(startAutosave, []);
  useProjectKeys();

  if (state.refused) {
    return (
      <Box height="100%" display="flex" flexDirection="column">
        <Header />
        <Box as="main" p="8">
          <Text role="alert" color="alarm" mb="3">
            {state.refused}
          </Text>
          <Link to="/">Back to the projects</Link>
        </Box>
      </Box>
    );
  }
  if (state.ready !== id) {
    return (
      <Box p="8" role="status">
        Opening the project …
      </Box>
    );
  }
  return (
    <Box height="100%" display="flex" flexDirection="column">
      <Header project={id} />
      <Outlet />
    </Box>
  );
}
