import { Box, chakra } from '@chakra-ui/react';
import {
  Archive,
  BookmarkPlus,
  ChartSpline,
  Footprints,
  LayersPlus,
  Link2,
  PencilLine,
  SquareStack,
  Unlink2,
} from 'lucide-react';
import { memo } from 'react';
import { perform } from '../../commands/command.js';
import { toggleCurves } from '../../commands/keys/curves.js';
import { toggleLocker } from '../../commands/kits/kits.js';
import { changeRange } from '../../commands/project/project.js';
import { keepTheContacts } from '../../commands/scene/contacts.js';
import { addAdditiveLayer, addOverrideLayer } from '../../commands/stack/layers.js';
import { keepVariant } from '../../commands/stack/variants.js';
import { setView } from '../../commands/view/view.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import { Transport } from '../../timeline/Transport.js';
import { ToolButton } from '../../ui/ToolButton.js';
import { AddButton } from './AddButton.js';
import { AddTakeLayer } from './AddTakeLayer.js';
import { FindButton } from './FindLayers.js';
import { FramesMenu } from './FramesMenu.js';
import { RateMenu } from './RateMenu.js';

/** Plays and steps, and says how poses are keyed and weights drawn. */
export const TimeBar = memo(function TimeBar({ width }: { width: number }) {
  const editor = useEditor();
  const autoKey = useSession((state) => state.autoKey);
  const drawing = useSession((state) => state.drawing);
  const linked = useSession((state) => state.limbLinked);
  const curves = useSession((state) => state.curves);
  return (
    <Box width={`${width}px`} flex="none" display="flex" alignItems="center" gap="1" px="2">
      <Transport />
      <Box flex="1" />
      <FramesMenu />
      <CommandButton command={toggleCurves} arg={undefined} icon={ChartSpline} on={curves} />
      <ToolButton
        label="Draw the weight of the lit layer"
        icon={PencilLine}
        on={drawing}
        onClick={() => perform(editor, setView, { drawing: !drawing })}
      />
      <ToolButton
        label="Keys of a limb stay together"
        icon={linked ? Link2 : Unlink2}
        on={linked}
        onClick={() => perform(editor, setView, { limbLinked: !linked })}
      />
      <chakra.button
        type="button"
        aria-pressed={autoKey}
        onClick={() => perform(editor, setView, { autoKey: !autoKey })}
        title="Changing the pose sets keys"
        height="24px"
        px="2"
        borderRadius="l1"
        cursor="pointer"
        color={autoKey ? 'lamp' : 'quiet'}
        _hover={{ bg: 'raised' }}
        whiteSpace="nowrap"
      >
        auto key {autoKey ? 'on' : 'off'}
      </chakra.button>
    </Box>
  );
});

/** The buttons that add a layer above the lit one. */
export const AddLayerButtons = memo(function AddLayerButtons() {
  const editor = useEditor();
  return (
    <Box display="flex" gap="1">
      <AddButton
        label={addAdditiveLayer.name}
        short="additive"
        icon={<LayersPlus size={14} aria-hidden />}
        onClick={() => perform(editor, addAdditiveLayer, undefined)}
      />
      <AddButton
        label={addOverrideLayer.name}
        short="override"
        icon={<SquareStack size={14} aria-hidden />}
        onClick={() => perform(editor, addOverrideLayer, undefined)}
      />
      <AddTakeLayer />
      <AddButton
        label={keepTheContacts.name}
        short="contacts"
        icon={<Footprints size={14} aria-hidden />}
        onClick={() => perform(editor, keepTheContacts, undefined)}
      />
      <AddButton
        label="Keep as variant"
        short="variant"
        icon={<BookmarkPlus size={14} aria-hidden />}
        onClick={() => perform(editor, keepVariant, undefined)}
      />
      <LockerButton />
      <FindButton />
    </Box>
  );
});

function LockerButton() {
  const open = useSession((state) => state.locker);
  return <CommandButton command={toggleLocker} arg={undefined} icon={Archive} on={open} label="Locker" />;
}

/** First and last frame of the range; the rate, and the number of the first frame. */
export const RangeFields = memo(function RangeFields() {
  const [first, last] = useProject((project) => project.range);
  const fps = useProject((project) => project.fps);
  const zero = useFirst();
  return (
    <Box display="flex" alignItems="center" gap="1" color="quiet" whiteSpace="nowrap">
      range
      <DragNumber
        label="First frame of the range"
        read={() => first}
        step={1}
        decimals={0}
        units={frameUnits(fps)}
        origin={zero}
        width="48px"
        command={changeRange}
        to={(value) => [Math.min(value, last), last] as const}
      />
      to
      <DragNumber
        label="Last frame of the range"
        read={() => last}
        step={1}
        decimals={0}
        units={frameUnits(fps)}
        origin={zero}
        width="48px"
        command={changeRange}
        to={(value) => [first, Math.max(value, first)] as const}
      />
      <RateMenu />
    </Box>
  );
});
