import { Box, Text } from '@chakra-ui/react';
import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import { rectSortingStrategy, SortableContext } from '@dnd-kit/sortable';
import type { SavedPose } from '@evlay/core';
import { facesOf } from '@evlay/core/rig';
import { suitsRig } from '@evlay/core/solve';
import { Download, Upload } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useStore } from 'zustand';
import { perform } from '../commands/command.js';
import {
  exportPoses,
  importPoses,
  movePose,
  type PoseHome,
  saveThePose,
} from '../commands/poses/pose-book.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { useLitRig } from '../editor/lit-character.js';
import { openPoseLibrary, poseLibrary } from '../jobs/pose-library.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';
import { ToolButton } from '../ui/ToolButton.js';
import { PoseCard } from './PoseCard.js';

const NONE: readonly SavedPose[] = [];

/** The saved poses of the project, or those that this browser keeps for all projects. */
export function PoseBook() {
  const editor = useEditor();
  const [home, setHome] = useState<PoseHome>('project');
  const [tag, setTag] = useState<string>();
  const [edited, setEdited] = useState<string>();
  const ofProject = useProject((project) => project.poses);
  const ofBrowser = useStore(poseLibrary, (state) => state.poses);
  const rig = useLitRig();
  // Whether a pose can be saved or applied depends on what is picked and lit.
  useSession((state) => state.picked);
  useSession((state) => state.faces);
  const hasFace = facesOf(rig).length > 0;
  useSession((state) => state.lit);
  useEffect(() => void openPoseLibrary(), []);
  const input = useRef<HTMLInputElement>(null);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const all = home === 'project' ? ofProject : (ofBrowser ?? NONE);
  const fitting = useMemo(() => all.filter((pose) => suitsRig(rig, pose)), [all, rig]);
  const tags = useMemo(() => [...new Set(fitting.flatMap((pose) => pose.tags))].sort(), [fitting]);
  const wanted = tag !== undefined && tags.includes(tag) ? tag : undefined;
  const shown = fitting.filter((pose) => wanted === undefined || pose.tags.includes(wanted));
  const ordered = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id)
      perform(editor, movePose, { home, id: String(active.id), onto: String(over.id) });
  };
  return (
    <>
      <Row label="save">
        <CommandChoice command={saveThePose} arg="hand" on={false} title="The fingers of the picked hand">
          hand
        </CommandChoice>
        <CommandChoice command={saveThePose} arg="part" on={false} title="What is picked">
          picked
        </CommandChoice>
        <CommandChoice command={saveThePose} arg="whole" on={false} title="The whole character">
          whole
        </CommandChoice>
        {hasFace && (
          <CommandChoice
            command={saveThePose}
            arg="face"
            on={false}
            title="The expression: the picked face channels, or all"
          >
            face
          </CommandChoice>
        )}
        <Box flex="1" />
        <CommandButton command={exportPoses} arg={home} icon={Download} />
        <ToolButton label="Import poses" icon={Upload} onClick={() => input.current?.click()} />
        <input
          ref={input}
          type="file"
          accept=".json"
          hidden
          aria-label="Poses to bring in"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) perform(editor, importPoses, { home, file });
            event.target.value = '';
          }}
        />
      </Row>
      <Row label="kept in">
        <Choice on={home === 'project'} onClick={() => setHome('project')}>
          this project
        </Choice>
        <Choice on={home === 'browser'} title="All projects see them" onClick={() => setHome('browser')}>
          this browser
        </Choice>
      </Row>
      {tags.length > 0 && (
        <Box display="flex" flexWrap="wrap" gap="1">
          <Choice on={wanted === undefined} onClick={() => setTag(undefined)}>
            all
          </Choice>
          {tags.map((one) => (
            <Choice key={one} on={wanted === one} onClick={() => setTag(one)}>
              {one}
            </Choice>
          ))}
        </Box>
      )}
      {shown.length === 0 ? (
        <Text color="quiet">
          {home === 'project'
            ? 'No pose is saved yet. Pose the character, pick a hand or some joints, and save it here.'
            : 'This browser keeps no pose for such a character yet. Copy one here from a project, or import a file.'}
          {all.length > fitting.length && ` ${all.length - fitting.length} are of other characters.`}
        </Text>
      ) : (
        <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={ordered}>
          <SortableContext items={shown.map(({ id }) => id)} strategy={rectSortingStrategy}>
            <Box
              as="ul"
              listStyleType="none"
              display="grid"
              gridTemplateColumns="repeat(3, minmax(0, 1fr))"
              gap="2"
            >
              {shown.map((pose) => (
                <PoseCard
                  key={pose.id}
                  pose={pose}
                  home={home}
                  edited={edited === pose.id}
                  onEdit={(on) => setEdited(on ? pose.id : undefined)}
                />
              ))}
            </Box>
          </SortableContext>
        </DndContext>
      )}
    </>
  );
}
