import { Box, chakra, Text } from '@chakra-ui/react';
import { type Layer } from '@evlay/core';
import { setLayer } from '@evlay/core/edit';
import { Lock, LockOpen } from 'lucide-react';
import { edit, useProject } from '../state/project-store.js';
import { light } from '../state/session-store.js';
import { LayerMark } from '../ui/LayerMark.js';
import { LayerWeight } from '../ui/LayerWeight.js';
import { PartCells } from './PartCells.js';

interface LaneHeaderProps {
  readonly layer: Layer;
  readonly index: number;
  readonly lit: boolean;
  readonly width: number;
  readonly height: number;
}

/** Name, mode, weight at this frame, switches, and which parts the layer counts in. */
export function LaneHeader({ layer, index, lit, width, height }: LaneHeaderProps) {
  return (
    <Box
      width={`${width}px`}
      height={`${height}px`}
      flex="none"
      pl="2"
      pr="1"
      borderLeftWidth="3px"
      borderLeftColor={lit ? 'lamp' : 'transparent'}
    >
      <Box display="flex" alignItems="center" gap="2" height="25px">
        <chakra.button
          type="button"
          aria-pressed={lit}
          onClick={() => light(layer.id)}
          display="flex"
          alignItems="center"
          gap="2"
          flex="1"
          minWidth="0"
          height="22px"
          textAlign="left"
          cursor="pointer"
          title={layer.name}
        >
          <LayerMark index={index} small />
          <chakra.span truncate fontWeight={lit ? 600 : 400} flex="1">
            {layer.name}
          </chakra.span>
          <chakra.span color="quiet" fontSize="12px" width="52px" flex="none">
            {index === 0 ? 'base' : layer.mode}
          </chakra.span>
        </chakra.button>
        <Box display="flex" alignItems="center" height="22px" gap="0" flex="none">
          <PartCells id={layer.id} />
          <LayerWeight layer={layer} label={`Weight of ${layer.name}`} />
          <Switch
            label={`Mute ${layer.name}`}
            on={layer.muted}
            onClick={() => edit((p) => setLayer(p, layer.id, { muted: !layer.muted }))}
          >
            M
          </Switch>
          <Switch
            label={`Solo ${layer.name}`}
            on={layer.solo}
            onClick={() => edit((p) => setLayer(p, layer.id, { solo: !layer.solo }))}
          >
            S
          </Switch>
          <Switch
            label={`Lock ${layer.name}`}
            on={layer.locked}
            onClick={() => edit((p) => setLayer(p, layer.id, { locked: !layer.locked }))}
          >
            {layer.locked ? <Lock size={11} aria-hidden /> : <LockOpen size={11} aria-hidden />}
          </Switch>
        </Box>
      </Box>
      {lit && <Hint layer={layer} index={index} />}
    </Box>
  );
}

/** What the lit lane is for, under its name. */
function Hint({ layer, index }: { layer: Layer; index: number }) {
  const take = useProject((project) => project.takes.find((candidate) => candidate.id === layer.take?.id));
  let text = 'Drag the shape to weigh it, its feet for the span, its slopes for the fades.';
  if (layer.locked) text = 'Locked: it takes no keys.';
  else if (take)
    text = `Plays the take ${take.name}: ${take.count} samples, ${Number((1 / take.interval).toFixed(2))} a second.`;
  else if (index === 0) text = 'No take: the rest pose.';
  else if (Object.keys(layer.channels).length === 0)
    text = 'No keys yet: click the character, then turn or move the joint.';
  return (
    <Text color="quiet" fontSize="12px" lineHeight="1.35" pt="1" pr="4" maxWidth="300px">
      {text}
    </Text>
  );
}

function Switch({
  label,
  on,
  onClick,
  children,
}: {
  label: string;
  on: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      aria-pressed={on}
      title={label}
      onClick={onClick}
      width="24px"
      height="24px"
      display="inline-flex"
      alignItems="center"
      justifyContent="center"
      fontSize="11px"
      fontWeight="600"
      borderRadius="4px"
      cursor="pointer"
      bg={on ? 'lamp' : 'transparent'}
      color={on ? 'onLamp' : 'quiet'}
      _hover={on ? undefined : { bg: 'ground', color: 'text' }}
    >
      {children}
    </chakra.button>
  );
}
