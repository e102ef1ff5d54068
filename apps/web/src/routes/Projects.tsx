import { Box, Button, chakra, Grid, Menu, Portal, Text } from '@chakra-ui/react';
import { EllipsisVertical, PersonStanding, TriangleAlert } from 'lucide-react';
import { useCallback, useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { Header } from '../controls/bars/Header.js';
import { ChooseFiles } from '../controls/ChooseFiles.js';
import { openEditor } from '../editor/app.js';
import { type Listed, listProjects, storageReason } from '../storage/storage.js';
import { NameField } from '../ui/NameField.js';
import { notify } from '../ui/notify.js';
import { preferences } from '../ui/preferences.js';

/** What is only wanted when something is opened, or done to a project of the list. */
const opening = () => import('../jobs/open.js');
const dropped = () => import('../controls/open-dropped.js');
const workers = () => import('../jobs/workers.js');
const listed = () => import('../commands/project/projects.js');

/** The demo projects that come with the application. */
const DEMOS = {
  wick: {
    file: 'lamp-lighting.evlay',
    label: 'Open the demo',
    picture: '/pictures/wick.jpg',
    title: 'Wick, the lamplighter',
    text: 'He walks the quay, weary, holds up his lantern and glances at the gulls: three layers on a keyed walk.',
  },
  brindle: {
    file: 'quay-run.evlay',
    label: 'Open Brindle’s quay run',
    picture: '/pictures/brindle.jpg',
    title: 'Brindle, his dog',
    text: 'She walks along the quay and breaks into a trot, leg by leg: two performances, blended by part.',
  },
  gull: {
    file: 'gull-over-the-quay.evlay',
    label: 'Open the gull over the quay',
    picture: '/pictures/gull.jpg',
    title: 'Skerry, a gull',
    text: 'She rows along, climbs, and leans into a curve: slow and fast beats of the wings and a bank, weighed over a glide.',
  },
  hook: {
    file: 'lantern-hook.evlay',
    label: 'Open the lantern on its hook',
    picture: '/pictures/hook.jpg',
    title: 'The lantern on its hook',
    text: 'Wick takes his lantern from its hook and hangs it back, while a barrel rolls down the ramp: props, targets and feet that hold.',
  },
} as const;

/** The projects that are kept in this browser. */
export function Projects() {
  const [projects, setProjects] = useState<readonly Listed[]>();
  const [blocked, setBlocked] = useState<string>();
  const [accept, setAccept] = useState('');
  const refresh = useCallback(async () => {
    try {
      // What was open is on disk first, and what is done to it here is done to what is on disk.
      if (openEditor()) await (await opening()).closeProject();
      setProjects(await listProjects());
    } catch (error) {
      setProjects([]);
      setBlocked(storageReason(error));
    }
  }, []);
  useEffect(() => {
    document.title = 'Evlay';
    void refresh();
  }, [refresh]);
  // What opens a project is fetched while the list is looked at, and what reads it is begun.
  useEffect(() => {
    void workers().then(({ beginImporter }) => beginImporter());
    void import('@evlay/core/format').then(({ openedEndings }) => setAccept(openedEndings()));
    void dropped();
    void import('./ProjectRoute.js');
    void import('./Layers.js');
  }, []);

  return (
    <Box height="100%" display="flex" flexDirection="column">
      <Header />
      <Box as="main" flex="1" overflowY="auto" px="8" py="6" maxWidth="1180px" width="100%" mx="auto">
        <Box display="flex" alignItems="center" gap="3" mb="4">
          <chakra.h1 fontSize="22px" fontWeight="600">
            Projects
          </chakra.h1>
          <Box flex="1" />
          {projects && projects.length > 0 && (
            <>
              <DemoButton demo="wick" quiet tries />
              <DemoButton demo="wick" quiet />
              <DemoButton demo="brindle" quiet />
              <DemoButton demo="gull" quiet />
              <DemoButton demo="hook" quiet />
            </>
          )}
          <ChooseFiles
            label="Open a file"
            what="Motion, character or project file"
            accept={accept}
            size="sm"
          />
        </Box>
        {blocked && (
          <Text color="alarm" mb="4" role="alert">
            Nothing can be saved here: {blocked}. Projects can still be opened, worked on and exported.
          </Text>
        )}
        {projects?.length === 0 && <FirstStart />}
        <Grid templateColumns="repeat(auto-fill, minmax(250px, 1fr))" gap="4" as="ul" listStyleType="none">
          {projects?.map((project) => (
            <ProjectCard key={project.id} project={project} refresh={refresh} />
          ))}
        </Grid>
      </Box>
    </Box>
  );
}

function FirstStart() {
  return (
    <Box mt="4">
      <chakra.h2 fontSize="18px" fontWeight="600" mb="2">
        Put layers on a performance
      </chakra.h2>
      <Text color="quiet" mb="5" maxWidth="720px">
        A project is one character with its performance and the layers on it. Start with one of these, or drop
        a character (.glb) or a motion capture (.bvh) anywhere on this page. Everything stays in this browser.
      </Text>
      <Box
        display="grid"
        gridTemplateColumns="repeat(auto-fit, minmax(280px, 1fr))"
        gap="4"
        maxWidth="1116px"
      >
        {(['wick', 'brindle', 'gull', 'hook'] as const).map((demo, k) => (
          <Box key={demo} bg="panel" borderWidth="1px" borderColor="line" borderRadius="l2" overflow="hidden">
            <chakra.img
              src={DEMOS[demo].picture}
              alt=""
              width="100%"
              aspectRatio="16/9"
              objectFit="cover"
              bg="ground"
            />
            <Box p="4">
              <chakra.h3 fontWeight="600" mb="1">
                {DEMOS[demo].title}
              </chakra.h3>
              <Text color="quiet" mb="4">
                {DEMOS[demo].text}
              </Text>
              <Box display="flex" gap="2">
                <DemoButton demo={demo} quiet={k > 0} />
                {demo === 'wick' && <DemoButton demo="wick" quiet tries />}
              </Box>
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}

interface DemoButtonProps {
  readonly demo: keyof typeof DEMOS;
  readonly quiet?: boolean;
  /** Whether short pieces of work are tried on it. */
  readonly tries?: boolean;
}

function DemoButton({ demo, quiet, tries }: DemoButtonProps) {
  const { file, label } = DEMOS[demo];
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const open = async () => {
    setBusy(true);
    try {
      const response = await fetch(`/demo/${file}`);
      if (!response.ok) throw new Error('The demo is not there: build it with "npm run build:demo".');
      await (await dropped()).openDropped([{ path: file, file: await response.blob() }], '/', navigate);
      if (tries && openEditor()) preferences.setState({ trying: 0 });
    } catch (error) {
      notify({ title: 'The demo was not opened', text: (error as Error).message, alarm: true });
    }
    setBusy(false);
  };
  return (
    <Button
      size="sm"
      disabled={busy}
      onClick={open}
      {...(quiet
        ? { variant: 'outline', borderColor: 'line', color: 'text' }
        : { bg: 'lamp', color: 'onLamp' })}
    >
      {tries ? 'Try it' : label}
    </Button>
  );
}

function ProjectCard({ project, refresh }: { project: Listed; refresh: () => Promise<void> }) {
  const navigate = useNavigate();
  const [renaming, setRenaming] = useState(false);
  // The menu gives the focus back when it closes; the field takes it after that.
  const wantsRename = useRef(false);
  const startRenaming = () => {
    if (wantsRename.current) setRenaming(true);
    wantsRename.current = false;
  };
  const inList = { id: project.id, name: project.name, done: () => void refresh() };
  return (
    <Box
      as="li"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      borderRadius="l2"
      overflow="hidden"
      position="relative"
      _hover={{ borderColor: 'quiet' }}
    >
      <Box width="100%" aspectRatio="16/9" bg="ground">
        {project.picture ? (
          <chakra.img src={project.picture} alt="" width="100%" height="100%" objectFit="cover" />
        ) : (
          <Box display="flex" height="100%" alignItems="center" justifyContent="center" color="line">
            <PersonStanding size={64} aria-hidden />
          </Box>
        )}
      </Box>
      {/* The whole card opens the project; what stands above it does what it says. */}
      <chakra.button
        type="button"
        onClick={() => navigate(`/p/${project.id}`)}
        aria-label={`Open ${project.name}`}
        position="absolute"
        inset="0"
        borderRadius="l2"
        cursor="pointer"
      />
      <Box display="flex" alignItems="center" px="3" py="2" gap="2">
        <Box flex="1" minWidth="0">
          {renaming ? (
            <NameField
              label="Name of the project"
              name={project.name}
              autoFocus
              onRename={(name) => void listed().then(({ renameListed }) => renameListed(inList, name))}
              onLeave={() => setRenaming(false)}
              width="100%"
              position="relative"
            />
          ) : (
            <Text fontWeight="600" truncate title={project.name}>
              {project.name}
            </Text>
          )}
          {project.damaged && (
            <Text color="alarm" fontSize="12px" display="flex" gap="1" alignItems="center">
              <TriangleAlert size={12} aria-hidden /> part of it cannot be read
            </Text>
          )}
          {project.layers !== undefined && project.seconds !== undefined && (
            <Text fontSize="12px">
              {project.seconds.toFixed(1)} s ·{' '}
              {project.layers === 1 ? 'one layer' : `${project.layers === 0 ? 'no' : project.layers} layers`}{' '}
              on the base
            </Text>
          )}
          <Text color="quiet" fontSize="12px">
            {project.saved > 0 &&
              new Date(project.saved).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
          </Text>
        </Box>
        <Menu.Root positioning={{ placement: 'bottom-end' }} onExitComplete={startRenaming}>
          <Menu.Trigger asChild>
            <chakra.button
              type="button"
              aria-label={`More for ${project.name}`}
              color="quiet"
              cursor="pointer"
              position="relative"
              p="1"
              borderRadius="l1"
              _hover={{ bg: 'raised', color: 'text' }}
            >
              <EllipsisVertical size={16} aria-hidden />
            </chakra.button>
          </Menu.Trigger>
          <Portal>
            <Menu.Positioner>
              <Menu.Content bg="raised" borderWidth="1px" borderColor="line" boxShadow="float">
                <Menu.Item
                  value="rename"
                  onClick={() => {
                    wantsRename.current = true;
                  }}
                >
                  Rename
                </Menu.Item>
                <Menu.Item
                  value="duplicate"
                  onClick={() => void listed().then(({ duplicateListed }) => duplicateListed(inList))}
                >
                  Duplicate
                </Menu.Item>
                <Menu.Item
                  value="export"
                  onClick={() => void listed().then(({ exportListed }) => exportListed(inList))}
                >
                  Export
                </Menu.Item>
                <Menu.Item
                  value="delete"
                  color="alarm"
                  onClick={() => void listed().then(({ deleteListed }) => deleteListed(inList))}
                >
                  Delete
                </Menu.Item>
              </Menu.Content>
            </Menu.Positioner>
          </Portal>
        </Menu.Root>
      </Box>
    </Box>
  );
}
