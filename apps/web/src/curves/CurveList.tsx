import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { valueAt } from '@evlay/core/edit';
import { Eye, EyeOff } from 'lucide-react';
import { memo, useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { pickKeys } from '../commands/keys/keys.js';
import { setView } from '../commands/view/view.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { ToolButton } from '../ui/ToolButton.js';
import { useRowsInSight } from '../ui/use-sight.js';
import { keysOfCurve } from './pick.js';
import { type ShownCurve, unitShape } from './shown.js';

interface CurveListProps {
  readonly layer: string;
  readonly curves: readonly ShownCurve[];
  readonly width: number;
}

/** The curves that are shown, each with its number at the playhead; each can be hidden. */
export const CurveList = memo(function CurveList({ layer, curves, width }: CurveListProps) {
  const name = useProject((project) => layerById(project, layer)?.name ?? '');
  const plays = useProject((project) => layerById(project, layer)?.content.kind === 'take');
  const picked = useSession((state) => state.picked.length);
  return (
    <Box
      width={`${width}px`}
      flex="none"
      overflowY="auto"
      borderRightWidth="1px"
      borderColor="line"
      data-scrolls
    >
      {curves.length === 0 ? (
        <Text color="quiet" px="3" py="2" fontSize="12px">
          {plays
            ? `${name} plays a take, which has no keys. Key its weight, or light a layer with keys.`
            : picked > 0
              ? `Nothing of what is picked is keyed on ${name}. Pose it there, or pick another joint.`
              : `${name} has no keys yet: click the character, then turn or move the joint.`}
        </Text>
      ) : (
        <Rows layer={layer} curves={curves} />
      )}
    </Box>
  );
});

const ROW = 26;

/** A row for each curve; only those in sight are there. */
function Rows({ layer, curves }: Pick<CurveListProps, 'layer' | 'curves'>) {
  const list = useRef<HTMLUListElement>(null);
  const [first, end] = useRowsInSight(list, curves.length, ROW);
  return (
    <Box
      as="ul"
      ref={list}
      listStyleType="none"
      aria-label="Curves"
      position="relative"
      height={`${curves.length * ROW}px`}
    >
      {curves.slice(first, end).map((curve, k) => (
        <CurveRow key={curve.key} curve={curve} layer={layer} top={(first + k) * ROW} />
      ))}
    </Box>
  );
}

interface CurveRowProps {
  readonly curve: ShownCurve;
  readonly layer: string;
  /** Pixels from the upper edge of the list. */
  readonly top: number;
}

function CurveRow({ curve, layer, top }: CurveRowProps) {
  const editor = useEditor();
  const hidden = useSession((state) => state.hiddenCurves.includes(curve.key));
  const color = useProject((project) => curve.color ?? layerById(project, layer)?.color ?? 'currentColor');
  const toggle = () => {
    const { hiddenCurves } = editor.session.getState();
    perform(editor, setView, {
      hiddenCurves: hidden ? hiddenCurves.filter((key) => key !== curve.key) : [...hiddenCurves, curve.key],
    });
  };
  return (
    <Box
      as="li"
      position="absolute"
      top={`${top}px`}
      left="0"
      right="0"
      display="flex"
      alignItems="center"
      gap="2"
      height={`${ROW}px`}
      px="2"
      opacity={hidden ? 0.5 : 1}
    >
      <ToolButton
        label={`${hidden ? 'Show' : 'Hide'} ${curve.label}`}
        icon={hidden ? EyeOff : Eye}
        on={!hidden}
        onClick={toggle}
      />
      <Box
        width="14px"
        height="3px"
        flex="none"
        borderRadius="2px"
        style={{ background: color }}
        aria-hidden
      />
      <chakra.button
        type="button"
        truncate
        flex="1"
        textAlign="left"
        fontSize="12px"
        lineHeight="24px"
        cursor="pointer"
        title={`Pick all keys of ${curve.label}`}
        _hover={{ color: 'lamp' }}
        onClick={(event) =>
          perform(editor, pickKeys, {
            picks: keysOfCurve(editor.history.project(), curve.address),
            more: event.shiftKey,
          })
        }
      >
        {curve.label}
      </chakra.button>
      <Now curve={curve} />
    </Box>
  );
}

/** What a curve holds at the playhead. */
function Now({ curve }: { curve: ShownCurve }) {
  const { stage, history, playhead } = useEditor();
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const field = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const { factor, sign, decimals } = unitShape(curve.unit, metresPerUnit);
    const show = () => {
      const value = valueAt(history.project(), curve.address, playhead.get()) / factor;
      const text = `${value.toFixed(decimals)}${sign === 'cm' ? ' cm' : sign}`;
      if (field.current && field.current.textContent !== text) field.current.textContent = text;
    };
    show();
    return stage.subscribe(show);
  }, [stage, history, playhead, curve, metresPerUnit]);
  return (
    <chakra.span
      ref={field}
      fontFamily="mono"
      fontSize="12px"
      color="quiet"
      fontVariantNumeric="tabular-nums"
      whiteSpace="nowrap"
    />
  );
}
