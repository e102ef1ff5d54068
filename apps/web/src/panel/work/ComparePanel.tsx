import { Text } from '@chakra-ui/react';
import { useRef } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import {
  addReference,
  compareBy,
  halfViews,
  showGhosts,
  showShot,
  stopComparing,
  toggleCompare,
  toggleSplit,
} from '../../commands/view/comparing.js';
import { beforeName } from '../../controls/before-name.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { item } from '../../controls/context-menu.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { MenuButton } from '../../controls/MenuButton.js';
import type { Before, SavedLook } from '../../editor/compare-choices.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';
import { ReferenceRows } from './ReferenceRows.js';
import { WorkPanel } from './WorkPanel.js';

const NOWHERE: SavedLook = { from: [0, 1, 3], at: [0, 1, 0] };

/** What is compared with what, and how: ghosts, a divided view, a second camera, a video. */
export function ComparePanel() {
  const editor = useEditor();
  const compare = useSession((state) => state.compare);
  const references = useSession((state) => state.references);
  const variants = useProject(useShallow((project) => project.variants.map(({ name }) => name)));
  const views = useProject((project) => project.views);
  const steps = useStore(editor.kept.store, ({ past }) => past.length);
  const file = useRef<HTMLInputElement>(null);
  const { before, ghosts, split, shot, halves } = compare;
  const cameras = useProject(
    useShallow((project) => project.scene.props.flatMap(({ name, camera }) => (camera ? [name] : []))),
  );
  const back = before.kind === 'step' ? Math.min(before.back, steps) : 0;
  const choose = (next: Before) => ({ before: next });
  const now = editor.viewpoint?.();
  return (
    <WorkPanel
      label="Compare"
      help="Compare"
      leave="Close the choices"
      onLeave={() => perform(editor, toggleCompare, undefined)}
      extra={
        <Choice
          on={false}
          title="Leaves ghosts, halves, the second view and references"
          onClick={() => perform(editor, stopComparing, undefined)}
        >
          none of it
        </Choice>
      }
    >
      <Row label="before">
        <CommandChoice command={compareBy} arg={choose({ kind: 'base' })} on={before.kind === 'base'}>
          base
        </CommandChoice>
        <CommandChoice command={compareBy} arg={choose({ kind: 'opened' })} on={before.kind === 'opened'}>
          as opened
        </CommandChoice>
        <MenuButton
          label="A variant as what was before"
          entries={() => [
            item(compareBy, choose({ kind: 'variant', name: undefined }), 'The layers as they are'),
            ...variants.map((name) => item(compareBy, choose({ kind: 'variant', name }), name)),
          ]}
          color={before.kind === 'variant' ? 'text' : 'quiet'}
        >
          {before.kind === 'variant' ? beforeName(before) : 'variant'}
        </MenuButton>
      </Row>
      <Row label="">
        <Choice
          on={before.kind === 'step'}
          title="The project so many steps of undo ago"
          disabled={steps === 0}
          onClick={() => perform(editor, compareBy, choose({ kind: 'step', back: 1 }))}
        >
          steps of undo ago
        </Choice>
        <LocalNumber
          label="How many steps of undo ago"
          read={() => back}
          min={steps === 0 ? 0 : 1}
          max={steps}
          step={0.1}
          decimals={0}
          width="36px"
          disabled={steps === 0}
          onChange={(value) =>
            perform(editor, compareBy, choose({ kind: 'step', back: Math.max(1, Math.round(value)) }))
          }
        />
        <Text color="quiet">of {steps}</Text>
      </Row>
      <Row label="ghosts">
        <CommandChoice command={showGhosts} arg={{ before: !ghosts.before }} on={ghosts.before}>
          before
        </CommandChoice>
        <CommandChoice
          command={showGhosts}
          arg={{ below: !ghosts.below }}
          on={ghosts.below}
          title="What lies below the lit layer"
        >
          below
        </CommandChoice>
        <CommandChoice
          command={showGhosts}
          arg={{ layer: !ghosts.layer }}
          on={ghosts.layer}
          title="The lit layer alone, over the rest pose"
        >
          layer
        </CommandChoice>
        <CommandChoice
          command={showGhosts}
          arg={{ picked: !ghosts.picked }}
          on={ghosts.picked}
          title="Each picked layer as a figure in its own colour, where it alone puts the character"
        >
          picked
        </CommandChoice>
      </Row>
      <Row label="">
        <Text color="quiet">and</Text>
        <LocalNumber
          label="Ghosts so many frames before and after"
          read={() => ghosts.around}
          min={0}
          max={60}
          step={0.1}
          decimals={0}
          width="30px"
          onChange={(value) => perform(editor, showGhosts, { around: Math.round(value) })}
        />
        <Text color="quiet">frames before and after</Text>
      </Row>
      <Row label="views">
        <CommandChoice command={toggleSplit} arg={undefined} on={split !== undefined}>
          divide
        </CommandChoice>
        <CommandChoice
          command={showShot}
          arg={shot ? undefined : now}
          on={shot !== undefined}
          title="A second view that stays where this one looks from now"
        >
          second view
        </CommandChoice>
        {shot && (
          <CommandChoice
            command={halfViews}
            arg={undefined}
            on={halves}
            title="Both views are of one size, side by side"
          >
            halves
          </CommandChoice>
        )}
        {views.length + cameras.length > 0 && (
          <MenuButton
            label="From where the second view looks"
            entries={() => [
              ...views.map((view) => item(showShot, { from: view.from, at: view.at }, view.name)),
              ...cameras.map((camera) => item(showShot, { ...(now ?? NOWHERE), camera }, camera)),
            ]}
          >
            from
          </MenuButton>
        )}
      </Row>
      <Row label="references">
        <input
          ref={file}
          type="file"
          accept="video/*,image/*"
          multiple
          hidden
          aria-label="Reference videos and pictures"
          onChange={(event) => {
            for (const one of event.target.files ?? []) perform(editor, addReference, one);
            event.target.value = '';
          }}
        />
        <Choice
          on={false}
          title="A video or picture of this machine: this browser keeps it beside the project, and it goes nowhere"
          onClick={() => file.current?.click()}
        >
          choose files
        </Choice>
      </Row>
      {references.map((one) => (
        <ReferenceRows key={one.id} reference={one} />
      ))}
    </WorkPanel>
  );
}
