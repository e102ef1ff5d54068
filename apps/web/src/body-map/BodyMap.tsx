import { Box, Input, Text } from '@chakra-ui/react';
import { type CurveAddress, layerById, layerIndex } from '@evlay/core';
import { characterOf, charactersOf, facesOf, partLabel, sceneName } from '@evlay/core/rig';
import { Brush, ChevronDown, ChevronUp, Crosshair, KeyRound, Smile } from 'lucide-react';
import { type PointerEvent, useEffect, useMemo, useRef, useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../commands/command.js';
import { keyValues } from '../commands/keys/values.js';
import { letAllCount } from '../commands/stack/layer-values.js';
import { countIn, invertParts, type Region } from '../commands/stack/weighing.js';
import { setView } from '../commands/view/view.js';
import { lookAtFace } from '../commands/view/views.js';
import { CommandButton } from '../controls/CommandButton.js';
import { item, type MenuEntry } from '../controls/context-menu.js';
import { LocalNumber } from '../controls/DragNumber.js';
import { LayerMark } from '../controls/LayerMark.js';
import { MenuButton } from '../controls/MenuButton.js';
import { Value } from '../controls/Value.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { ToolButton } from '../ui/ToolButton.js';
import { FaceList } from './FaceList.js';
import { mapOfCharacter, stripShapes } from './map-shapes.js';
import { PartsDrawing } from './PartsDrawing.js';

/** Pixels that the column has to have so that the map stands beside a tab of 400. */
const ROOMY = 680;
/** How large the map is that opens over the edge of the view, in pixels. */
const OPENED = { width: 300, height: 320 };

const REGION_NAMES: readonly (readonly [Region, string])[] = [
  ['upper', 'Upper body alone'],
  ['lower', 'Lower body alone'],
  ['left', 'Left side alone'],
  ['right', 'Right side alone'],
  ['arms', 'Arms alone'],
  ['legs', 'Legs alone'],
  ['head', 'Head alone'],
  ['picked', 'The picked parts alone'],
  ['all but picked', 'All but the picked parts'],
];

/** Where the layer counts: halves and kinds of parts at one go. */
const regionMenu = (lit: string): readonly MenuEntry[] => [
  ...REGION_NAMES.map(([region, name]) => item(countIn, region, name)),
  item(invertParts, undefined, 'The other way round'),
  item(letAllCount, lit, 'The whole body'),
];

/**
 * The character as a map: who drives each part at this frame; picks parts and weighs the lit layer on them. Where the column
 * has no room for it, it is folded to a strip of cells, one a part, and opens over the edge of the view under the pointer.
 */
export function BodyMap() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const lit = useSession((state) => state.lit);
  const picked = useSession((state) => state.parts);
  const fold = useSession((state) => state.mapFold);
  const character = useSession((state) => state.character);
  const map = useMemo(() => {
    const { name } = charactersOf(rig)[character] ?? charactersOf(rig)[0];
    return mapOfCharacter(rig, character, parts, parts.includes(sceneName(name, 'face')));
  }, [rig, parts, character]);
  const strip = useMemo(() => stripShapes(map), [map]);
  const [under, setUnder] = useState<string>();
  const { index, name } = useProject(
    useShallow((project) => ({ index: layerIndex(project, lit), name: layerById(project, lit)?.name ?? '' })),
  );
  const [paints, setPaints] = useState(false);
  const [painted, setPainted] = useState(1);
  const [wanted, setWanted] = useState('');
  const section = useRef<HTMLDivElement>(null);
  const roomy = useRoomy(section);
  const hasFace = facesOf(characterOf(rig, character)).length > 0;
  const listed = useSession((state) => state.faceList) && hasFace;
  const folded = !listed && (fold === 'auto' ? !roomy : fold === 'folded');
  const [over, setOver] = useState<DOMRect>();
  const leave = (event: PointerEvent) => {
    // A drag that leaves it goes on; the map stays until it ends.
    if (event.buttons === 0) setOver(undefined);
    else window.addEventListener('pointerup', () => setOver(undefined), { once: true });
  };
  const drawing = (
    <PartsDrawing map={folded && !over ? strip : map} paints={paints} painted={painted} onPoint={setUnder} />
  );
  const said = (
    <PartRow
      named={under ?? picked.at(-1)}
      index={index}
      name={name}
      stroke={paints ? { painted, onChange: setPainted } : undefined}
    />
  );
  return (
    <Box
      ref={section}
      display="flex"
      flexDirection="column"
      flex={folded ? 'none' : listed ? '2 0 240px' : '1 0 240px'}
      minHeight={folded ? undefined : '240px'}
      maxHeight={folded ? undefined : listed ? '58%' : '46%'}
      px="3"
      pt="2"
      as="section"
      aria-label="Body map"
      onPointerLeave={leave}
    >
      <Box display="flex" alignItems="center" gap="2" height="24px" flex="none">
        <ToolButton
          label={folded ? 'Keep the body map open' : 'Fold the body map to a strip'}
          icon={folded ? ChevronDown : ChevronUp}
          ml="-2"
          onClick={() =>
            perform(editor, setView, {
              mapFold: folded ? 'open' : 'folded',
              ...(listed && { faceList: false }),
            })
          }
        />
        <Text fontWeight="600" flex="none" ml="-2">
          {listed ? 'Face' : 'Body map'}
        </Text>
        {hasFace && (
          <ToolButton
            label={listed ? 'Back to the body map' : 'Open the face: its channels as sliders'}
            icon={Smile}
            on={listed}
            onClick={() => perform(editor, setView, { faceList: !listed })}
          />
        )}
        {listed && <CommandButton command={lookAtFace} arg={undefined} icon={Crosshair} />}
        {!listed && (
          <ToolButton
            label="Weigh parts by a stroke over them: Alt weighs them 0"
            icon={Brush}
            on={paints}
            onClick={() => setPaints(!paints)}
          />
        )}
        {listed ? (
          <Input
            size="2xs"
            flex="1"
            minWidth="60px"
            aria-label="Find a face channel"
            placeholder="find"
            value={wanted}
            onChange={(event) => setWanted(event.target.value)}
          />
        ) : (
          <MenuButton label="Where the layer counts" entries={() => regionMenu(lit)}>
            parts
          </MenuButton>
        )}
        {/* Of a character with a face there is one button more, and the name of the layer says more than the word. */}
        <Text color="quiet" marginLeft="auto" flex="none">
          {!listed && !hasFace && 'weighs'}
        </Text>
        <LayerMark index={Math.max(0, index)} small />
        <Text truncate title={name}>
          {name}
        </Text>
      </Box>
      {folded ? (
        <Box
          height="30px"
          flex="none"
          display="flex"
          alignItems="center"
          onPointerEnter={() => setOver(section.current?.getBoundingClientRect())}
        >
          {over ? said : drawing}
        </Box>
      ) : listed ? (
        <FaceList wanted={wanted} />
      ) : (
        <>
          <Box flex="1" minHeight="0" display="flex" justifyContent="center">
            {drawing}
          </Box>
          {said}
        </>
      )}
      {folded && over && (
        <Box
          position="fixed"
          top={`${over.top}px`}
          left={`${over.left - OPENED.width}px`}
          width={`${OPENED.width}px`}
          height={`${OPENED.height}px`}
          zIndex="popover"
          p="3"
          bg="panel"
          borderWidth="1px"
          borderColor="line"
          borderRadius="l2"
          boxShadow="float"
          display="flex"
          justifyContent="center"
        >
          {drawing}
        </Box>
      )}
    </Box>
  );
}

/** Whether the column that an element stands in is high enough for the map beside a tab. */
function useRoomy(element: React.RefObject<HTMLElement | null>): boolean {
  const [roomy, setRoomy] = useState(false);
  useEffect(() => {
    const column = element.current?.parentElement;
    if (!column) return;
    const look = () => setRoomy(column.clientHeight >= ROOMY);
    const watch = new ResizeObserver(look);
    watch.observe(column);
    look();
    return () => watch.disconnect();
  }, [element]);
  return roomy;
}

const ofPart = (layer: string, part: string): CurveAddress => ({ kind: 'part', layer, part });

interface PartRowProps {
  /** The part that is pointed at, or picked last. */
  readonly named: string | undefined;
  readonly index: number;
  readonly name: string;
  /** What parts weigh that a stroke passes, while there are strokes. */
  readonly stroke: { readonly painted: number; readonly onChange: (value: number) => void } | undefined;
}

/** What the lit layer weighs in a part, as a number. */
function PartRow({ named, index, name, stroke }: PartRowProps) {
  const lit = useSession((state) => state.lit);
  const picked = useSession((state) => state.parts);
  // What is pointed at may be one of several that are picked: then the number changes them all.
  const meant =
    named === undefined
      ? []
      : picked.includes(named)
        ? [named, ...picked.filter((one) => one !== named)]
        : [named];
  const addresses = meant.map((part) => ofPart(lit, part));
  return (
    <Box display="flex" alignItems="center" gap="2" height="28px" flex="none">
      {stroke ? (
        <>
          <Text color="quiet" truncate>
            Drag over parts: they weigh
          </Text>
          <LocalNumber
            label="Weight of a stroke"
            read={() => stroke.painted}
            min={0}
            max={1}
            step={0.01}
            decimals={2}
            onChange={stroke.onChange}
          />
          <Text color="quiet">with Alt 0</Text>
        </>
      ) : named && index >= 0 ? (
        <>
          <Text truncate>{partLabel(named)}</Text>
          <Value
            key={addresses.map((address) => JSON.stringify(address)).join()}
            label={`Weight of ${name} on the ${partLabel(named)}`}
            addresses={addresses}
          />
          <CommandButton
            command={keyValues}
            arg={addresses}
            label={`Key the weight of the ${meant.map(partLabel).join(', ')}`}
            icon={KeyRound}
          />
        </>
      ) : (
        <Text color="quiet">Pick a part; drag it up or down to weigh it.</Text>
      )}
    </Box>
  );
}
