import { Box, chakra } from '@chakra-ui/react';
import {
  addressKey,
  addressLabel,
  CHANNELS,
  type CurveAddress,
  channelsOf,
  type Layer,
  layerById,
  placementAddresses,
  scalarAtAddress,
  targetAddresses,
  targetsOf,
  weightsWithin,
} from '@evlay/core';
import { scalarAt } from '@evlay/core/curve';
import { memberIndex, type Parts } from '@evlay/core/rig';
import { ChevronsUp, KeyRound } from 'lucide-react';
import { type MouseEvent, memo, useContext, useEffect, useMemo, useRef } from 'react';
import { perform } from '../../commands/command.js';
import { keyValues } from '../../commands/keys/values.js';
import { pickJoints } from '../../commands/poses/picking.js';
import { keyTheTarget } from '../../commands/scene/targets.js';
import { showHeadroom } from '../../commands/stack/findings.js';
import { keyPlace } from '../../commands/stack/layer-values.js';
import { setView } from '../../commands/view/view.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { openMenu } from '../../controls/context-menu.js';
import { Value } from '../../controls/Value.js';
import { weightMenu } from '../../controls/weight-menu.js';
import { useEditor, useLayer, useProject, useSession } from '../../editor/context.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { useRowsInSight } from '../../ui/use-sight.js';
import { StripsContext } from '../keys/box.js';
import { KeyRow } from '../keys/KeyRow.js';
import type { Strip } from '../keys/strip.js';
import { Triangle } from '../Triangle.js';
import { CurveShape } from '../weights/CurveShape.js';
import { HeadroomLine } from '../weights/HeadroomLine.js';
import { cornersOf, valueLine } from '../weights/weight-shape.js';

const ROW = 24;

/** Whether a layer has anything that an open lane shows. */
export const hasRows = (layer: Layer, parts: Parts): boolean =>
  layer.placement !== undefined || layer.content.kind === 'curves' || weightsWithin(layer, parts).length > 0;

/** A row of an open lane. */
type RowOf =
  | { readonly kind: 'weight'; readonly address: CurveAddress }
  | { readonly kind: 'placement' }
  | { readonly kind: 'target'; readonly target: string; readonly joint: string; readonly space?: string }
  | { readonly kind: 'joint'; readonly joint: string; readonly opened: boolean }
  | { readonly kind: 'channel'; readonly address: CurveAddress };

/** The rows of an open lane, as text so that they stay the same while keys move. */
function rowsOf(layer: Layer | undefined, parts: Parts, opened: readonly string[]): string {
  if (!layer) return '[]';
  const rows: RowOf[] = weightsWithin(layer, parts).map((address) => ({ kind: 'weight', address }));
  if (layer.placement) rows.push({ kind: 'placement' });
  for (const { id, joint, space } of targetsOf(layer))
    rows.push({ kind: 'target', target: id, joint, ...(space !== undefined && { space }) });
  for (const [joint, channels] of Object.entries(channelsOf(layer))) {
    const open = opened.includes(`${layer.id} ${joint}`);
    rows.push({ kind: 'joint', joint, opened: open });
    if (!open) continue;
    for (const channel of CHANNELS)
      if (channels[channel])
        rows.push({ kind: 'channel', address: { kind: 'channel', layer: layer.id, joint, channel } });
  }
  return JSON.stringify(rows);
}

interface LaneRowsProps {
  readonly id: string;
  readonly scale: TimeScale;
  readonly header: number;
}

/**
 * The rows of an open lane: one for every part and joint that has a weight of its own, for the placement, and for each
 * joint that is keyed, which opens into its channels. Only rows in sight are there.
 */
export const LaneRows = memo(function LaneRows({ id, scale, header }: LaneRowsProps) {
  const opened = useSession((state) => state.openJoints);
  const parts = useProject((project) => project.parts);
  const { text, name } = useLayer(
    id,
    (layer) => ({ text: rowsOf(layer, parts, opened), name: layer?.name ?? '' }),
    parts,
    opened,
  );
  const rows = useMemo(() => JSON.parse(text) as RowOf[], [text]);
  const list = useRef<HTMLUListElement>(null);
  const [first, end] = useRowsInSight(list, rows.length, ROW);
  return (
    <Box
      as="ul"
      ref={list}
      listStyleType="none"
      aria-label={`Rows of ${name}`}
      bg="ground/40"
      position="relative"
      height={`${rows.length * ROW}px`}
    >
      {rows.slice(first, end).map((row, k) => (
        <Box
          as="li"
          key={
            row.kind === 'joint'
              ? `joint ${row.joint}`
              : row.kind === 'target'
                ? `target ${row.target}`
                : 'address' in row
                  ? addressKey(row.address)
                  : row.kind
          }
          position="absolute"
          top={`${(first + k) * ROW}px`}
          left="0"
          right="0"
          height={`${ROW}px`}
          display="flex"
          borderTopWidth="1px"
          borderColor="line"
        >
          {row.kind === 'weight' ? (
            <WeightRow id={id} address={row.address} scale={scale} header={header} />
          ) : row.kind === 'placement' ? (
            <PlacementRow id={id} scale={scale} header={header} />
          ) : row.kind === 'target' ? (
            <TargetRow id={id} {...row} scale={scale} header={header} />
          ) : row.kind === 'joint' ? (
            <JointRow id={id} joint={row.joint} opened={row.opened} scale={scale} header={header} />
          ) : (
            <ChannelRow id={id} address={row.address} scale={scale} header={header} />
          )}
        </Box>
      ))}
    </Box>
  );
});

interface RowProps extends LaneRowsProps {
  readonly address: CurveAddress;
}

function WeightRow({ id, address, scale, header }: RowProps) {
  const label = addressLabel(address);
  const layer = useProject((project) => layerById(project, id));
  const scalar = layer ? scalarAtAddress(layer, address)! : 0;
  const strips = useContext(StripsContext);
  const svg = useRef<SVGSVGElement>(null);
  const key = addressKey(address);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which address it is
  useEffect(() => {
    if (svg.current)
      return strips.add({ element: svg.current, strip: { kind: 'curve', layer: id, address } });
    return undefined;
  }, [strips, id, key]);
  const line = useMemo(
    () => valueLine((frame) => scalarAt(scalar, frame), cornersOf([scalar]), scale, ROW - 1, 1),
    [scalar, scale],
  );
  if (!layer) return null;
  return (
    <>
      <RowHead
        header={header}
        label={label}
        dim={scalar === 0}
        menu={(event) => openMenu(event, weightMenu([address]))}
      >
        <Value label={`Weight of ${layer.name} on the ${label}`} addresses={[address]} />
        <CommandButton
          command={keyValues}
          arg={[address]}
          label={`Key the weight of the ${label} on ${layer.name}`}
          icon={KeyRound}
          on={typeof scalar !== 'number'}
        />
        {address.kind === 'part' && <PartHeadroom layer={id} part={address.part} label={label} />}
      </RowHead>
      <svg
        ref={svg}
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
        {address.kind === 'part' && (
          <HeadroomLine layer={id} part={address.part} scale={scale} height={ROW - 1} top={1} />
        )}
      </svg>
    </>
  );
}

/** Shows how far a layer can be turned up in a part. */
function PartHeadroom({ layer, part, label }: { layer: string; part: string; label: string }) {
  const shown = useSession((state) => state.headroom?.layer === layer && state.headroom.part === part);
  return (
    <CommandButton
      command={showHeadroom}
      arg={shown ? undefined : { layer, part }}
      label={shown ? `Hide the headroom of the ${label}` : `Show the headroom of the ${label}`}
      icon={ChevronsUp}
      on={shown}
    />
  );
}

function PlacementRow({ id, scale, header }: LaneRowsProps) {
  const name = useProject((project) => layerById(project, id)?.name ?? '');
  const keyed = useProject((project) => {
    const layer = layerById(project, id);
    return (
      layer !== undefined &&
      placementAddresses(layer).some((one) => typeof scalarAtAddress(layer, one) !== 'number')
    );
  });
  const strip = useMemo<Strip>(() => ({ kind: 'placement', layer: id }), [id]);
  return (
    <>
      <RowHead header={header} label="placement">
        <CommandButton
          command={keyPlace}
          arg={id}
          label={`Key the placement of ${name}`}
          icon={KeyRound}
          on={keyed}
        />
      </RowHead>
      <KeyRow strip={strip} name={`the placement of ${name}`} scale={scale} height={ROW - 1} tall={12} />
    </>
  );
}

interface TargetRowProps extends LaneRowsProps {
  readonly target: string;
  readonly joint: string;
  readonly space?: string;
}

/** The keys of a target; its name picks its joint in the view. */
function TargetRow({ id, target, joint, space, scale, header }: TargetRowProps) {
  const editor = useEditor();
  const name = useProject((project) => layerById(project, id)?.name ?? '');
  const keyed = useProject((project) => {
    const layer = layerById(project, id);
    return (
      layer !== undefined &&
      targetAddresses(layer).some(
        (one) =>
          one.kind === 'target' && one.target === target && typeof scalarAtAddress(layer, one) !== 'number',
      )
    );
  });
  const strip = useMemo<Strip>(() => ({ kind: 'target', layer: id, target }), [id, target]);
  const pick = () => {
    const j = memberIndex(editor.history.project().rig, joint);
    if (j >= 0) perform(editor, pickJoints, [j]);
  };
  return (
    <>
      <RowHead header={header} label={`${joint} on ${space ?? 'the world'}`} onPick={pick}>
        <CommandButton
          command={keyTheTarget}
          arg={{ layer: id, target }}
          label={`Key the target of ${joint} on ${name}`}
          icon={KeyRound}
          on={keyed}
        />
      </RowHead>
      <KeyRow
        strip={strip}
        name={`the target of ${joint} on ${name}`}
        scale={scale}
        height={ROW - 1}
        tall={12}
      />
    </>
  );
}

interface JointRowProps extends LaneRowsProps {
  readonly joint: string;
  readonly opened: boolean;
}

/** The keys of a joint; its name picks it in the view, its triangle opens its channels. */
function JointRow({ id, joint, opened, scale, header }: JointRowProps) {
  const editor = useEditor();
  const name = useProject((project) => layerById(project, id)?.name ?? '');
  const picked = useSession(
    (state) =>
      state.faces.includes(joint) ||
      state.picked.some((j) => editor.history.project().rig.joints[j]?.name === joint),
  );
  const strip = useMemo<Strip>(() => ({ kind: 'joint', layer: id, joint }), [id, joint]);
  const toggle = () => {
    const own = `${id} ${joint}`;
    const { openJoints } = editor.session.getState();
    perform(editor, setView, {
      openJoints: opened ? openJoints.filter((one) => one !== own) : [...openJoints, own],
    });
  };
  const pick = () => {
    const j = memberIndex(editor.history.project().rig, joint);
    if (j >= 0) perform(editor, pickJoints, [j]);
  };
  return (
    <>
      <RowHead
        header={header}
        label={joint}
        lit={picked}
        onPick={pick}
        before={<Triangle open={opened} what={`the channels of ${joint}`} size={12} onToggle={toggle} />}
      />
      <KeyRow strip={strip} name={`${joint} on ${name}`} scale={scale} height={ROW - 1} tall={12} />
    </>
  );
}

function ChannelRow({ id, address, scale, header }: RowProps) {
  const label = addressLabel(address);
  const name = useProject((project) => layerById(project, id)?.name ?? '');
  const key = addressKey(address);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which address it is
  const strip = useMemo<Strip>(() => ({ kind: 'curve', layer: id, address }), [id, key]);
  return (
    <>
      <RowHead header={header} label={address.kind === 'channel' ? address.channel : label} deep />
      <KeyRow strip={strip} name={`${label} on ${name}`} scale={scale} height={ROW - 1} tall={9} />
    </>
  );
}

interface RowHeadProps {
  readonly header: number;
  readonly label: string;
  readonly dim?: boolean;
  readonly deep?: boolean;
  /** Whether what it names is picked. */
  readonly lit?: boolean;
  readonly onPick?: () => void;
  /** Opens what can be done with it. */
  readonly menu?: (event: MouseEvent) => void;
  readonly before?: React.ReactNode;
  readonly children?: React.ReactNode;
}

/** What a row is of, at the left of its track. */
function RowHead({ header, label, dim, deep, lit, onPick, menu, before, children }: RowHeadProps) {
  return (
    <Box
      width={`${header}px`}
      flex="none"
      pl={deep ? '14' : before ? '4' : '9'}
      pr="2"
      display="flex"
      alignItems="center"
      gap="1"
      fontSize="12px"
      onContextMenu={menu}
      data-does={menu && 'Right click: fade the weight, copy it, paste it'}
    >
      {before}
      {onPick ? (
        <chakra.button
          type="button"
          truncate
          flex="1"
          textAlign="left"
          cursor="pointer"
          color={lit ? 'lamp' : 'text'}
          title={`Pick ${label}`}
          onClick={onPick}
        >
          {label}
        </chakra.button>
      ) : (
        <chakra.span truncate flex="1" color={dim ? 'quiet' : 'text'}>
          {label}
        </chakra.span>
      )}
      {children}
    </Box>
  );
}
