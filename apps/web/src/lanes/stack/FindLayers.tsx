import { Box, chakra } from '@chakra-ui/react';
import { Search, X } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { setView } from '../../commands/view/view.js';
import { useEditor, useSession } from '../../editor/context.js';
import type { LayerFilter } from '../../editor/session.js';
import { Choice } from '../../ui/Choice.js';
import { ToolButton } from '../../ui/ToolButton.js';
import { LaneBar } from './LaneBar.js';

const ONLY: readonly LayerFilter['only'][] = [
  'all',
  'additive',
  'override',
  'keys here',
  'does nothing here',
];

/** Shows or leaves the search among layers. */
export function FindButton() {
  const editor = useEditor();
  const find = useSession((state) => state.find);
  return (
    <ToolButton
      label="Find layers"
      icon={Search}
      on={find.open}
      onClick={() => perform(editor, setView, { find: { ...find, open: !find.open } })}
    />
  );
}

/** Finds layers: by a name or a part of the body, and by what they are or do at the frame that is shown. */
export function FindLayers({ found, of }: { found: number; of: number }) {
  const editor = useEditor();
  const find = useSession((state) => state.find);
  const set = (values: Partial<LayerFilter>) => perform(editor, setView, { find: { ...find, ...values } });
  return (
    <LaneBar role="search" aria-label="Layers">
      <chakra.input
        aria-label="Name, group or part"
        placeholder="Name, group or part"
        autoFocus
        value={find.text}
        onChange={(event) => set({ text: event.target.value })}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Escape') set({ open: false });
        }}
        width="180px"
        height="22px"
        px="2"
        bg="ground"
        borderRadius="l1"
      />
      {ONLY.map((only) => (
        <Choice key={only} on={find.only === only} onClick={() => set({ only })}>
          {only}
        </Choice>
      ))}
      <chakra.span color="quiet" ml="2">
        {found} of {of}
      </chakra.span>
      <Box flex="1" />
      <ToolButton
        label="Show all layers"
        icon={X}
        onClick={() => set({ open: false, text: '', only: 'all' })}
      />
    </LaneBar>
  );
}
