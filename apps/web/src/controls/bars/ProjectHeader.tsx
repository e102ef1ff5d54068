import { Box, chakra, Text } from '@chakra-ui/react';
import { Download } from 'lucide-react';
import { useEffect } from 'react';
import { NavLink } from 'react-router';
import { useStore } from 'zustand';
import { perform } from '../../commands/command.js';
import { exportProject, rename, takeProjectOver } from '../../commands/project/project.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { openSheets, sheetStore, sheetWith } from '../../jobs/sheets.js';
import { NameField } from '../../ui/NameField.js';
import { CommandButton } from '../CommandButton.js';
import { Header } from './Header.js';
import { StepButton } from './StepButton.js';

/** The bar above the screens of a project: its name, its screens, undo, export, and whether it is saved. */
export function ProjectHeader({ project: id }: { project: string }) {
  return (
    <Header
      name={<ProjectName />}
      screens={
        <Box as="nav" aria-label="Screens" display="flex" gap="1">
          <Tab to={`/p/${id}/takes`}>Takes</Tab>
          <Tab to={`/p/${id}`}>Layers</Tab>
          <Tab to={`/p/${id}/bake`}>Bake</Tab>
          <SheetTab project={id} />
        </Box>
      }
      tools={<ProjectTools />}
    />
  );
}

function Tab({ to, children }: { to: string; children: React.ReactNode }) {
  return (
    <NavLink to={to} end style={{ borderRadius: 6 }}>
      {({ isActive }) => (
        <Box
          px="3"
          py="1"
          borderRadius="l1"
          bg={isActive ? 'raised' : 'transparent'}
          color={isActive ? 'text' : 'quiet'}
          _hover={{ color: 'text' }}
        >
          {children}
        </Box>
      )}
    </NavLink>
  );
}

/** The sheet of the project, or the one in which it is what a take was opened as. */
function SheetTab({ project }: { project: string }) {
  useEffect(() => void openSheets(), []);
  const of = useStore(sheetStore, ({ sheets }) => (sheets.has(project) ? project : sheetWith(project)?.of));
  return of === undefined ? null : (
    <Tab to={`/p/${of}/sheet`}>{of === project ? 'Sheet' : 'Back to the sheet'}</Tab>
  );
}

function ProjectName() {
  const editor = useEditor();
  const name = useProject((project) => project.name);
  return (
    <NameField
      label="Name of the project"
      name={name}
      onRename={(wanted) => perform(editor, rename, wanted)}
      width="220px"
    />
  );
}

function ProjectTools() {
  return (
    <Box display="flex" alignItems="center" gap="1">
      <StepButton way="undo" />
      <StepButton way="redo" />
      <CommandButton command={exportProject} arg={undefined} icon={Download} />
      <SavingState />
    </Box>
  );
}

function SavingState() {
  const editor = useEditor();
  const saving = useStore(editor.saving);
  const looking = useSession((state) => state.looking);
  if (looking) {
    return (
      <Box display="flex" alignItems="center" gap="2" role="status">
        <Text color="lamp">open in another tab: only to look at</Text>
        <chakra.button
          type="button"
          onClick={() => perform(editor, takeProjectOver, undefined)}
          textDecoration="underline"
          cursor="pointer"
          whiteSpace="nowrap"
        >
          take it over
        </chakra.button>
      </Box>
    );
  }
  if (saving.state === 'failed') {
    return (
      <Box display="flex" alignItems="center" gap="2" color="alarm" role="alert">
        <Text title={`Not saved: ${saving.reason}`}>not saved: {saving.reason}</Text>
        <chakra.button
          type="button"
          onClick={() => perform(editor, exportProject, undefined)}
          textDecoration="underline"
          cursor="pointer"
        >
          export it
        </chakra.button>
      </Box>
    );
  }
  return (
    <Text color="quiet" width="52px" textAlign="center" role="status">
      {saving.state === 'saved' ? 'saved ✓' : 'saving …'}
    </Text>
  );
}
