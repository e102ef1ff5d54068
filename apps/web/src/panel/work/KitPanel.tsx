import { Box, Input, Text } from '@chakra-ui/react';
import { contactsOf, type Layer, layerById, layerIndex, layerTags, type Project } from '@evlay/core';
import { type PutReport, projectOfCharacter } from '@evlay/core/edit';
import { eventsOf, extentOf, type Fit, hangsOn, type Kit, type MotionEvent } from '@evlay/core/kit';
import { Download } from 'lucide-react';
import { useMemo, useState } from 'react';
import { perform } from '../../commands/command.js';
import {
  changeKit,
  closeKit,
  correctEvent,
  eventsAsFound,
  fitInKit,
  keepKit,
  kitOf,
  putTheKit,
  saveKitFile,
} from '../../commands/kits/kits.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { LayerTag } from '../../controls/LayerMark.js';
import { castOf } from '../../editor/cast.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { kitPut } from '../../editor/kit-preview.js';
import type { KitWork } from '../../editor/session.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { EventAxes } from './EventAxes.js';
import { WorkFoot, WorkPanel } from './WorkPanel.js';

/** A kit that is made of layers, or looked at before it is put on the stack. */
export function KitPanel() {
  const work = useSession((state) => state.kit);
  if (!work) return null;
  return work.doing === 'make' ? <MakeKit work={work} /> : <PutKit work={work} />;
}

function MakeKit({ work }: { work: Extract<KitWork, { doing: 'make' }> }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const layers = work.layers.flatMap((id) => layerById(project, id) ?? []);
  const kit = useMemo(() => kitOf(project, work), [project, work]);
  const [under, setUnder] = useState<string>();
  const close = () => perform(editor, closeKit, undefined);
  return (
    <WorkPanel
      label="Make a kit"
      help="Repeat"
      leave={closeKit.name}
      onLeave={close}
      foot={
        <>
          <CommandButton command={saveKitFile} arg={work} icon={Download} />
          <Box flex="1" />
          <WorkFoot
            name="Put it in the locker"
            onPut={() => perform(editor, keepKit, work)}
            onLeave={close}
          />
        </>
      }
    >
      <Row label="name">
        <Input
          size="xs"
          aria-label="Name of the kit"
          value={work.name}
          onChange={({ target }) => perform(editor, changeKit, { name: target.value })}
        />
      </Row>
      <Row label="place">
        <Choice
          on={work.place === 'world'}
          title="Props and targets stay where they are in the world"
          onClick={() => perform(editor, changeKit, { place: 'world' })}
        >
          in the world
        </Choice>
        <Choice
          on={work.place === 'root'}
          title="Props and targets in the world go along with where the root starts on each take"
          onClick={() => perform(editor, changeKit, { place: 'root' })}
        >
          with the root
        </Choice>
      </Row>
      <Text color="quiet" fontSize="12px">
        What of the motion the layers hang on: feet that come down ▾ or leave the floor ▴, marks and moments
        in the air ◆. Drag one that is not where it should be.
      </Text>
      <EventAxes
        kit={kit}
        marked={under ? extentsOf(layers.filter(({ id }) => id === under)) : []}
        correct={() => correctIn(editor)}
      />
      <AsFound work={work} />
      <FitRows
        kit={kit}
        layers={layers}
        tags={layerTags(project.layers)}
        places={layers.map(({ id }) => layerIndex(project, id))}
        onPoint={setUnder}
      />
    </WorkPanel>
  );
}

/** What corrects events of the kit that is worked on, as it is now. */
const correctIn = (editor: Editor) => {
  const begun = editor.session.getState().kit;
  return (event: MotionEvent, frame: number | undefined) =>
    begun && perform(editor, correctEvent, { begun, event, frame });
};

/** The way back from events that were corrected. */
const AsFound = ({ work }: { work: KitWork }) =>
  work.events ? (
    <Box display="flex">
      <CommandChoice
        command={eventsAsFound}
        arg={undefined}
        on={false}
        title="What was corrected of the events goes"
      >
        events as they were found
      </CommandChoice>
    </Box>
  ) : null;

const extentsOf = (layers: readonly Layer[]): (readonly [number, number])[] =>
  layers.map(extentOf).filter((extent) => extent !== undefined);

function PutKit({ work }: { work: Extract<KitWork, { doing: 'put' }> }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const put = useMemo(() => kitPut(project, work), [project, work]);
  const { above } = work;
  const kit = { ...work.kit, events: work.events ?? work.kit.events };
  const character = project.scene.characters[work.character] ? work.character : 0;
  const take = useMemo(() => eventsBelow(project, above, character), [project, above, character]);
  // The kit's own frames, as they are counted there.
  const ratio = project.fps / kit.fps;
  const pairs = put.report.pairs.map((pair) => ({ ...pair, kit: pair.kit / ratio }));
  const lonely = put.report.lonely.map((event) => nearest(kit.events, event, ratio));
  const fitted = {
    ...kit,
    layers: kit.layers.map((one) => ({ ...one, fit: work.fits[one.layer.id] ?? one.fit })),
  };
  const layers = kit.layers.map(({ layer }) => layer);
  const close = () => perform(editor, closeKit, undefined);
  return (
    <WorkPanel
      label="Put a kit on the stack"
      help="Repeat"
      leave={closeKit.name}
      onLeave={close}
      foot={
        <WorkFoot
          name={putTheKit.name}
          disabled={put.layers.length === 0}
          onPut={() => perform(editor, putTheKit, work)}
          onLeave={close}
        />
      }
    >
      <Text truncate title={kit.name}>
        “{kit.name}”, {layers.length} {layers.length === 1 ? 'layer' : 'layers'}, on “
        {character === 0 ? baseName(project) : castOf(project, character).name}”
      </Text>
      <EventAxes kit={fitted} take={take} pairs={pairs} lonely={lonely} correct={() => correctIn(editor)} />
      <AsFound work={work} />
      <Text color="quiet" fontSize="12px">
        Above the events of the kit, which can be dragged; below those of what plays here, which go with its
        contacts and marks; lines where they meet. The character shows how it will be.
      </Text>
      <Remarks report={put.report} />
      <FitRows kit={fitted} layers={layers} tags={layerTags(layers)} places={layers.map((_, k) => k)} />
    </WorkPanel>
  );
}

const baseName = ({ layers: [base] }: Project): string => base.name;

const eventsBelow = (project: Project, above: string | undefined, character: number) => ({
  range: project.range,
  events: eventsOf(
    projectOfCharacter(project, character),
    above === undefined ? project.layers.length : layerIndex(project, above) + 1,
  ),
});

/** The event of a kit that one counted at another rate is. */
const nearest = (events: readonly MotionEvent[], { name, frame }: MotionEvent, ratio: number): MotionEvent =>
  events.find((one) => one.name === name && Math.abs(one.frame * ratio - frame) < 1e-6) ?? {
    name,
    frame: frame / ratio,
  };

/** What is to be known before a kit is put on. */
function Remarks({ report }: { report: PutReport }) {
  const { lonely, shifted, bent, spansOut, leftOut, idle } = report;
  const said = [
    ...(lonely.length > 0
      ? [`${lonely.length} ${lonely.length === 1 ? 'event meets' : 'events meet'} none here`]
      : []),
    ...(shifted.length > 0
      ? [`${quoted(shifted)} ${shifted.length === 1 ? 'is' : 'are'} only moved to the start`]
      : []),
    ...(bent.length > 0
      ? [
          `${bent.length} ${bent.length === 1 ? 'stretch becomes' : 'stretches become'} less than half or more than twice as long`,
        ]
      : []),
    ...spansOut.map(({ layer, count }) => `${count} contacts of “${layer}” would be too short`),
    ...leftOut.map(({ layer, what, name }) => `“${layer}” leaves out the ${what} ${name}`),
    ...(idle.length > 0 ? [`Nothing is left of ${quoted(idle)}`] : []),
  ];
  if (said.length === 0) return <Text color="quiet">Everything finds its place.</Text>;
  const shown = said.slice(0, 8);
  return (
    <Box as="ul" listStyleType="none" aria-label="What to know">
      {shown.map((text) => (
        <Text as="li" key={text} color="lamp" fontSize="12px">
          {text}
        </Text>
      ))}
      {said.length > shown.length && (
        <Text as="li" color="quiet" fontSize="12px">
          and {said.length - shown.length} more
        </Text>
      )}
    </Box>
  );
}

const quoted = (names: readonly string[]): string => names.map((name) => `“${name}”`).join(', ');

interface FitRowsProps {
  readonly kit: Pick<Kit, 'range' | 'events' | 'layers'>;
  readonly layers: readonly Layer[];
  readonly tags: readonly string[];
  readonly places: readonly number[];
  readonly onPoint?: (layer: string | undefined) => void;
}

/** How each layer finds its place, the topmost first. */
function FitRows({ kit, layers, tags, places, onPoint }: FitRowsProps) {
  return (
    <Box
      as="ul"
      listStyleType="none"
      aria-label="Layers of the kit"
      display="flex"
      flexDirection="column"
      gap="1"
    >
      {layers
        .map((layer, k) => (
          <FitRow
            key={layer.id}
            layer={layer}
            tag={tags[places[k]]}
            fit={kit.layers.find((one) => one.layer.id === layer.id)?.fit ?? 'events'}
            found={kit.layers.find((one) => one.layer.id === layer.id)?.found ?? []}
            kit={kit}
            onPoint={onPoint}
          />
        ))
        .reverse()}
    </Box>
  );
}

interface FitRowProps {
  readonly layer: Layer;
  readonly tag: string;
  readonly fit: Fit;
  readonly found: readonly string[];
  readonly kit: Pick<Kit, 'range' | 'events'>;
  readonly onPoint?: (layer: string | undefined) => void;
}

const PLAIN = { events: 'by events', stretch: 'stretched', shift: 'as long as it is' } as const;
/** Frames of a window around an event where a layer has nothing that says more. */
const WINDOW = 8;

function FitRow({ layer, tag, fit, found, kit, onPoint }: FitRowProps) {
  const editor = useEditor();
  const first = useFirst();
  const names = [...new Set(kit.events.map(({ name }) => name))].filter(
    (name) => name !== 'start' && name !== 'end',
  );
  const change = (next: Fit) => perform(editor, fitInKit, { layer: layer.id, fit: next });
  const choose = (value: string) => {
    if (value === 'events' || value === 'stretch' || value === 'shift') change(value);
    else change(windowOf(layer, value.slice(5), kit.events));
  };
  const contacts = contactsOf(layer);
  const hangs = hangsOn({ layer, fit }, kit);
  return (
    <Box
      as="li"
      borderTopWidth="1px"
      borderColor="line"
      pt="1"
      onPointerEnter={() => onPoint?.(layer.id)}
      onPointerLeave={() => onPoint?.(undefined)}
    >
      <Box display="flex" alignItems="center" gap="1.5">
        <LayerTag color={layer.color} tag={tag} />
        <Text flex="1" truncate title={layer.name}>
          {layer.name}
        </Text>
        <Box width="142px" display="flex">
          <Select
            label={`On what “${layer.name}” hangs`}
            value={typeof fit === 'string' ? fit : `each ${fit.each}`}
            onChoose={choose}
          >
            {Object.entries(PLAIN).map(([value, text]) => (
              <option key={value} value={value}>
                {text}
              </option>
            ))}
            {names.map((name) => (
              <option key={name} value={`each ${name}`}>
                at each {name}
              </option>
            ))}
          </Select>
        </Box>
      </Box>
      {typeof fit === 'object' && (
        <Box display="flex" alignItems="center" gap="1" pl="6">
          <Text color="quiet">frames</Text>
          <LocalNumber
            label={`First frame around the event of “${layer.name}”`}
            read={() => fit.from}
            min={-10_000}
            max={fit.to}
            step={0.1}
            decimals={0}
            width="40px"
            onChange={(from) => change({ ...fit, from: Math.round(from) })}
          />
          <Text color="quiet">to</Text>
          <LocalNumber
            label={`Last frame around the event of “${layer.name}”`}
            read={() => fit.to}
            min={fit.from}
            max={10_000}
            step={0.1}
            decimals={0}
            width="40px"
            onChange={(to) => change({ ...fit, to: Math.round(to) })}
          />
          <Text color="quiet">around {Number((first + fit.at).toFixed(1))}</Text>
        </Box>
      )}
      <Text color="quiet" fontSize="12px" pl="6">
        {contacts && found.length > 0
          ? `contacts of ${found.join(', ')} are found anew on each take`
          : hangsText(hangs, first)}
      </Text>
    </Box>
  );
}

/** Events by name and frame, a few of them. */
function hangsText(events: readonly MotionEvent[], first: number): string {
  if (events.length === 0) return 'hangs on nothing: it has no frames';
  const few = events.slice(0, 3).map(({ name, frame }) => `${name} at ${Number((first + frame).toFixed(1))}`);
  return `hangs on ${few.join(', ')}${events.length > 3 ? ` and ${events.length - 3} more` : ''}`;
}

/** A window around the event of a name that is nearest to the middle of what a layer has, as wide as that. */
function windowOf(layer: Layer, name: string, events: readonly MotionEvent[]): Fit {
  const extent = extentOf(layer);
  const middle = extent ? (extent[0] + extent[1]) / 2 : 0;
  const at = events
    .filter((event) => event.name === name)
    .reduce(
      (best, { frame }) => (Math.abs(frame - middle) < Math.abs(best - middle) ? frame : best),
      Number.POSITIVE_INFINITY,
    );
  const wide = extent && extent[1] - extent[0] <= 4 * WINDOW;
  return {
    each: name,
    at,
    from: wide ? Math.min(0, Math.floor(extent[0] - at)) : -WINDOW,
    to: wide ? Math.max(0, Math.ceil(extent[1] - at)) : WINDOW,
  };
}
