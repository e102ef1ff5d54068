import { Box, chakra } from '@chakra-ui/react';
import { type CurveAddress, groupById } from '@evlay/core';
import { scalarAt } from '@evlay/core/curve';
import { layersOfGroup } from '@evlay/core/edit';
import { FolderOpen, KeyRound } from 'lucide-react';
import { memo, useContext, useEffect, useMemo, useRef, useState } from 'react';
import { perform } from '../../commands/command.js';
import { keyValues } from '../../commands/keys/values.js';
import {
  foldGroup,
  letGroupGo,
  moveGroupDown,
  moveGroupUp,
  pickGroup,
  renameGroup,
  toggleGroupMute,
  toggleGroupSolo,
} from '../../commands/stack/groups.js';
import { mergeGroup } from '../../commands/stack/merging.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { item, openMenu } from '../../controls/context-menu.js';
import { Value } from '../../controls/Value.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { NameField } from '../../ui/NameField.js';
import { HeaderButton } from '../HeaderButton.js';
import { StripsContext } from '../keys/box.js';
import { Triangle } from '../Triangle.js';
import { CurveShape } from '../weights/CurveShape.js';
import { cornersOf, valueLine } from '../weights/weight-shape.js';
import { dragLayers } from './drag-layers.js';

interface GroupLaneProps {
  readonly id: string;
  readonly scale: TimeScale;
  readonly header: number;
  readonly height: number;
}

/** The head of a group: its name, its weight over time, its switches. Its layers follow below it. */
export const GroupLane = memo(function GroupLane({ id, scale, header, height }: GroupLaneProps) {
  const editor = useEditor();
  const group = useProject((project) => groupById(project, id));
  const count = useProject((project) => layersOfGroup(project, id).length);
  const folded = useSession((state) => state.folded.includes(id));
  const [naming, setNaming] = useState(false);
  const address = useMemo<CurveAddress>(() => ({ kind: 'weight', layer: id }), [id]);
  const strips = useContext(StripsContext);
  const svg = useRef<SVGSVGElement>(null);
  useEffect(() => {
    if (svg.current)
      return strips.add({ element: svg.current, strip: { kind: 'curve', layer: id, address } });
    return undefined;
  }, [strips, id, address]);
  const weight = group?.weight ?? 1;
  const line = useMemo(
    () => valueLine((frame) => scalarAt(weight, frame, 0, 1), cornersOf([weight]), scale, height - 1, 1),
    [weight, scale, height],
  );
  if (!group) return null;
  const { name, muted, solo } = group;
  const menu = (event: React.MouseEvent) =>
    openMenu(event, [
      item(pickGroup, id, 'Pick its layers'),
      item(toggleGroupMute, id, muted ? 'Unmute the group' : 'Mute the group'),
      item(toggleGroupSolo, id, solo ? 'Let go of the solo' : 'Solo the group'),
      item(keyValues, [address], 'Key its weight'),
      item(moveGroupUp, id),
      item(moveGroupDown, id),
      item(mergeGroup, id),
      item(letGroupGo, id),
    ]);
  return (
    <Box role="listitem" data-group={id} borderBottomWidth="1px" borderColor="line" bg="ground/50">
      <Box display="flex" height={`${height - 1}px`} _hover={{ bg: 'raised' }}>
        <Box
          width={`${header}px`}
          flex="none"
          pr="1"
          pl="3px"
          display="flex"
          alignItems="center"
          gap="1"
          onContextMenu={menu}
          data-does="Drag the sign to move the group; click it to pick its layers; double click the name to rename it; right click: more"
        >
          <Triangle
            open={!folded}
            what={`the group ${name}`}
            title={folded ? 'Show its layers' : 'Show only its head'}
            onToggle={() => perform(editor, foldGroup, id)}
          />
          <chakra.button
            type="button"
            aria-label={`Pick the layers of ${name}`}
            title={`Pick the layers of ${name}; drag to move the group`}
            onPointerDown={(event) => dragLayers(editor, event, { group: id })}
            onClick={() => perform(editor, pickGroup, id)}
            cursor="grab"
            color="quiet"
            display="inline-flex"
            width="20px"
            justifyContent="center"
            touchAction="none"
          >
            <FolderOpen size={14} aria-hidden />
          </chakra.button>
          {naming ? (
            <NameField
              label="Name of the group"
              name={name}
              onRename={(to) => perform(editor, renameGroup, { group: id, name: to })}
              onLeave={() => setNaming(false)}
              autoFocus
              flex="1"
              minWidth="0"
              height="22px"
            />
          ) : (
            <chakra.button
              type="button"
              truncate
              flex="1"
              textAlign="left"
              fontWeight="600"
              title={`${name}: double click, or Enter, renames it`}
              aria-label={`Rename the group ${name}`}
              onDoubleClick={() => setNaming(true)}
              onKeyDown={(event) => {
                if (event.key !== 'Enter') return;
                event.preventDefault();
                event.stopPropagation();
                setNaming(true);
              }}
            >
              {name}
            </chakra.button>
          )}
          <chakra.span color="quiet" fontSize="12px" flex="none">
            {count === 1 ? '1 layer' : `${count} layers`}
          </chakra.span>
          <Box display="flex" alignItems="center" flex="none">
            <CommandButton
              command={keyValues}
              arg={[address] as const}
              label={`Key the weight of ${name}`}
              icon={KeyRound}
              on={typeof weight !== 'number'}
            />
            <Value label={`Weight of ${name}`} addresses={[address]} />
            <Box width="24px" />
            <HeaderButton
              label={`Mute ${name}`}
              title={`Mute ${name}`}
              on={muted}
              onClick={() => perform(editor, toggleGroupMute, id)}
            >
              M
            </HeaderButton>
            <HeaderButton
              label={`Solo ${name}`}
              title={`Solo ${name}`}
              on={solo}
              onClick={() => perform(editor, toggleGroupSolo, id)}
            >
              S
            </HeaderButton>
            <Box width="24px" />
          </Box>
        </Box>
        <svg
          ref={svg}
          width={scale.width}
          height={height - 1}
          style={{ display: 'block', flex: 'none', touchAction: 'none', opacity: muted ? 0.35 : 1 }}
          aria-hidden="true"
        >
          <CurveShape
            address={address}
            line={line}
            scale={scale}
            height={height - 1}
            top={1}
            color="var(--evlay-colors-quiet)"
            fillOpacity={0.22}
            live
          />
        </svg>
      </Box>
    </Box>
  );
});
