import { Box, chakra, Text } from '@chakra-ui/react';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import {
  keepVariant,
  rangeOfVariant,
  removeVariant,
  renameTheVariant,
  showVariant,
} from '../../commands/stack/variants.js';
import { setView } from '../../commands/view/view.js';
import { item, openMenu } from '../../controls/context-menu.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { NameField } from '../../ui/NameField.js';
import { LaneBar } from './LaneBar.js';

/** The variants of the stack as a row of names, of which one is shown; nothing where there are none. */
export function VariantBar() {
  const editor = useEditor();
  const names = useProject(useShallow((project) => project.variants.map(({ name }) => name)));
  const ranged = useProject(
    useShallow((project) => project.variants.flatMap(({ name, range }) => (range ? [name] : []))),
  );
  const shown = useSession((state) => state.variant);
  const takes = useSession((state) => state.variantTakes);
  const [naming, setNaming] = useState<string>();
  if (names.length === 0) return null;
  return (
    <LaneBar
      role="group"
      aria-label="Variants"
      overflowX="auto"
      data-does="Click a variant to show it; double click renames it; right click: more"
    >
      <Text color="quiet" flex="none" mr="1">
        variants
      </Text>
      <Choice on={shown === undefined} onClick={() => perform(editor, showVariant, undefined)}>
        as the layers are
      </Choice>
      {names.map((name) =>
        naming === name ? (
          <NameField
            key={name}
            label={`Name of the variant ${name}`}
            name={name}
            onRename={(to) => perform(editor, renameTheVariant, { from: name, to })}
            onLeave={() => setNaming(undefined)}
            autoFocus
            width="110px"
            height="22px"
          />
        ) : (
          <chakra.span
            key={name}
            flex="none"
            onDoubleClick={() => setNaming(name)}
            onContextMenu={(event) =>
              openMenu(event, [
                { label: 'Rename', refused: () => undefined, run: () => setNaming(name) },
                item(
                  rangeOfVariant,
                  { name, own: !ranged.includes(name) },
                  ranged.includes(name)
                    ? 'Let it have the range of the project'
                    : 'Give it the range that plays now as its own',
                ),
                item(removeVariant, name, `Delete ${name}`),
              ])
            }
          >
            <Choice on={shown === name} onClick={() => perform(editor, showVariant, name)}>
              {name}
            </Choice>
          </chakra.span>
        ),
      )}
      <chakra.button
        type="button"
        aria-label={keepVariant.name}
        title={keepVariant.name}
        onClick={() => perform(editor, keepVariant, undefined)}
        color="quiet"
        cursor="pointer"
        display="inline-flex"
        alignItems="center"
        px="1"
        _hover={{ color: 'text' }}
      >
        <Plus size={14} aria-hidden />
      </chakra.button>
      <Box flex="1" />
      {shown !== undefined && (
        <>
          <Text color="lamp" flex="none" fontSize="12px">
            Mutes, weights and the range go into
          </Text>
          {(['variant', 'layers'] as const).map((one) => (
            <Choice
              key={one}
              on={takes === one}
              title={
                one === 'variant'
                  ? `Into “${shown}” alone: the layers keep theirs`
                  : `Into the layers, for every variant that says nothing else of them`
              }
              onClick={() => perform(editor, setView, { variantTakes: one })}
            >
              {one === 'variant' ? `“${shown}”` : 'the layers'}
            </Choice>
          ))}
        </>
      )}
    </LaneBar>
  );
}
