import { Box, chakra } from '@chakra-ui/react';
import {
  addressKey,
  addressLabel,
  type CurveAddress,
  type Layer,
  placementAddresses,
  STILL_TIME,
  scalarAtAddress,
  weightsWithin,
} from '@evlay/core';
import { scalarAt } from '@evlay/core/curve';
import type { Parts } from '@evlay/core/rig';
import { KeyRound } from 'lucide-react';
import { memo, useMemo } from 'react';
import { keyPlace } from '../commands/layers.js';
import { keyValues } from '../commands/values.js';
import { CommandButton } from '../controls/CommandButton.js';
import { Value } from '../controls/Value.js';
import { useProject } from '../editor/context.js';
import type { TimeScale } from '../timeline/time-scale.js';
import { CurveShape } from './CurveShape.js';
import { KeyMarks } from './KeyMarks.js';
import { cornersOf, valueLine } from './weight-shape.js';

const ROW = 24;

/** Whether a layer has anything that an open lane shows. */
export const hasRows = (layer: Layer, parts: Parts): boolean =>
  layer.placement !== undefined || weightsWithin(layer, parts).length > 0;

interface LaneRowsProps {
  readonly layer: Layer;
  readonly scale: TimeScale;
  readonly header: number;
}

/** The rows of an open lane: one for every part and joint that has a weight of its own, and one for the placement. */
export const LaneRows = memo(function LaneRows({ layer, scale, header }: LaneRowsProps) {
  const parts = useProject((project) => project.parts);
  const within = useMemo(() => weightsWithin(layer, parts), [layer, parts]);
  return (
    <Box as="ul" listStyleType="none" aria-label={`Parts of ${layer.name}`} bg="ground/40">
      {within.map((address) => (
        <WeightRow key={addressKey(address)} layer={layer} address={address} scale={scale} header={header} />
      ))}
      {layer.placement && <PlacementRow layer={layer} scale={scale} header={header} />}
    </Box>
  );
});

interface RowProps extends LaneRowsProps {
  readonly address: CurveAddress;
}

function WeightRow({ layer, address, scale, header }: RowProps) {
  const label = addressLabel(address);
  const scalar = scalarAtAddress(layer, address)!;
  const line = useMemo(
    () => valueLine((frame) => scalarAt(scalar, frame), cornersOf([scalar]), scale, ROW - 1, 1),
    [scalar, scale],
  );
  return (
    <Frame header={header} label={label} dim={scalar === 0}>
      <Value label={`Weight of ${layer.name} on the ${label}`} addresses={[address]} />
      <CommandButton
        command={keyValues}
        arg={[address]}
        label={`Key the weight of the ${label} on ${layer.name}`}
        icon={KeyRound}
        on={typeof scalar !== 'number'}
      />
      <svg
        width={scale.width}
        height={ROW - 1}
        style={{ display: 'block', flex: 'none', touchAction: 'none', opacity: scalar === 0 ? 0.5 : 1 }}
        aria-hidden="true"
        data-row={label}
      >
        <CurveShape
          address={address}
          line={line}
          scale={scale}
          height={ROW - 1}
          top={1}
          color={layer.color ?? 'var(--evlay-colors-quiet)'}
          fillOpacity={0.35}
          live
        />
      </svg>
    </Frame>
  );
}

function PlacementRow({ layer, scale, header }: LaneRowsProps) {
  const addresses = useMemo(() => placementAddresses(layer), [layer]);
  const keyed = addresses.some((address) => typeof scalarAtAddress(layer, address) !== 'number');
  return (
    <Frame header={header} label="placement" dim={false}>
      <CommandButton
        command={keyPlace}
        arg={layer.id}
        label={`Key the placement of ${layer.name}`}
        icon={KeyRound}
        on={keyed}
      />
      <svg
        width={scale.width}
        height={ROW - 1}
        style={{ display: 'block', flex: 'none', touchAction: 'none' }}
        aria-hidden="true"
        data-row="placement"
      >
        <line
          x1={0}
          x2={scale.width}
          y1={ROW / 2}
          y2={ROW / 2}
          stroke="var(--evlay-colors-line)"
          strokeDasharray={keyed ? undefined : '3 4'}
        />
        <KeyMarks
          layer={layer}
          addresses={addresses}
          time={STILL_TIME}
          scale={scale}
          height={ROW - 1}
          tall={12}
        />
      </svg>
    </Frame>
  );
}

interface FrameProps {
  readonly header: number;
  readonly label: string;
  readonly dim: boolean;
  readonly children: readonly [React.ReactNode, ...React.ReactNode[]];
}

/** A row below a lane: what it is, its controls at the end of the header, and its track. Drawn only where it is seen. */
function Frame({ header, label, dim, children }: FrameProps) {
  const controls = children.slice(0, -1);
  return (
    <Box
      as="li"
      display="flex"
      height={`${ROW}px`}
      borderTopWidth="1px"
      borderColor="line"
      css={{ contentVisibility: 'auto', containIntrinsicSize: `auto ${ROW}px` }}
    >
      <Box
        width={`${header}px`}
        flex="none"
        pl="9"
        pr="2"
        display="flex"
        alignItems="center"
        gap="1"
        fontSize="12px"
      >
        <chakra.span truncate flex="1" color={dim ? 'quiet' : 'text'}>
          {label}
        </chakra.span>
        {controls}
      </Box>
      {children.at(-1)}
    </Box>
  );
}
