import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import type { Crossing, CrossingMap } from '@evlay/core/cross';
import { type Job, startJob } from '@evlay/core/job';
import { useCallback, useEffect, useRef, useState } from 'react';
import { perform } from '../../commands/command.js';
import { closeCrossings, crossHere, lookAtCrossing } from '../../commands/stack/crossings.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import type { WantedCrossing } from '../../editor/session.js';
import { lookForCrossings } from '../../jobs/crossings.js';
import { Choice } from '../../ui/Choice.js';
import { ProgressBar } from '../../ui/ProgressBar.js';
import { Row } from '../../ui/Row.js';
import { drawMap, markPlace } from './crossing-map.js';
import { WorkPanel } from './WorkPanel.js';

/** Milliseconds that the pointer rests on a crossing before it is played. */
const REST = 200;

/** Where one performance can take over from another: a map of time against time with the best crossings, and their list. */
export function CrossingPanel() {
  const wanted = useSession((state) => state.crossing);
  return wanted ? <Finder key={`${wanted.lower} ${wanted.upper}`} {...wanted} /> : null;
}

/** Where is looked: everywhere, or near the frame that is shown; each time it is asked anew. */
interface Where {
  readonly near: number | undefined;
}

function Finder({ lower, upper }: WantedCrossing) {
  const first = useFirst();
  const editor = useEditor();
  const names = useProject((project) =>
    [lower, upper].map((id) => layerById(project, id)?.name ?? '').join('\n'),
  );
  const unit = useProject((project) => 100 * project.metresPerUnit);
  const canvas = useRef<HTMLCanvasElement>(null);
  const rest = useRef<ReturnType<typeof setTimeout>>(undefined);
  const [where, setWhere] = useState<Where>({ near: undefined });
  const [map, setMap] = useState<CrossingMap>();
  const [job, setJob] = useState<Job<readonly Crossing[]>>();
  const [found, setFound] = useState<readonly Crossing[] | string>();
  const [taken, setTaken] = useState<Crossing>();
  const [under, setUnder] = useState<Crossing>();
  const [nameOfLower, nameOfUpper] = names.split('\n');
  const list = typeof found === 'string' ? [] : found;

  useEffect(() => {
    setFound(undefined);
    setMap(undefined);
    const own = startJob('Looking for crossings', (work) =>
      lookForCrossings(editor.history.project(), { lower, upper, ...where }, setMap, work),
    );
    setJob(own);
    own.result
      .then((crossings) => setFound(crossings ?? 'It was given up.'))
      .catch((error: Error) => setFound(error.message));
    return own.cancel;
  }, [editor, lower, upper, where]);

  useEffect(() => {
    if (canvas.current && map) drawMap(canvas.current, map);
  }, [map]);

  const point = useCallback(
    (crossing: Crossing | undefined) => {
      setUnder(crossing);
      clearTimeout(rest.current);
      rest.current = setTimeout(() => perform(editor, lookAtCrossing, crossing), crossing ? REST : 0);
    },
    [editor],
  );
  useEffect(
    () => () => {
      clearTimeout(rest.current);
      perform(editor, lookAtCrossing, undefined);
    },
    [editor],
  );
  const take = (crossing: Crossing) => {
    point(undefined);
    if (perform(editor, crossHere, { upper, crossing })) setTaken(crossing);
  };
  const pointed = (crossing: Crossing) => ({
    onPointerEnter: () => point(crossing),
    onPointerLeave: () => point(undefined),
    onFocus: () => point(crossing),
    onBlur: () => point(undefined),
    onClick: () => take(crossing),
  });

  return (
    <WorkPanel
      label="Crossings"
      help="Blend"
      leave={closeCrossings.name}
      onLeave={() => perform(editor, closeCrossings, undefined)}
    >
      <Text truncate title={`From “${nameOfLower}” to “${nameOfUpper}”`}>
        from “{nameOfLower}” to “{nameOfUpper}”
      </Text>
      <Row label="look">
        <Choice
          on={where.near === undefined}
          title="In all of the range in which both play"
          onClick={() => setWhere({ near: undefined })}
        >
          everywhere
        </Choice>
        <Choice
          on={where.near !== undefined}
          title="Within a second of the frame that is shown"
          onClick={() => setWhere({ near: editor.playhead.get() })}
        >
          {where.near === undefined ? 'near here' : `near ${where.near}`}
        </Choice>
      </Row>
      {found === undefined && job && (
        <>
          <Box display="flex" alignItems="center" gap="2">
            <ProgressBar label={job.name} done={job.progress} />
            <Choice on={false} onClick={job.cancel}>
              cancel
            </Choice>
          </Box>
          <Text color="quiet" fontSize="12px">
            Comparing poses and how they move, then how each would look…
          </Text>
        </>
      )}
      {typeof found === 'string' && (
        <Box>
          <Text color="alarm" role="alert">
            {found}
          </Text>
          <Choice on={false} onClick={() => setWhere({ ...where })}>
            look again
          </Choice>
        </Box>
      )}
      {typeof found !== 'string' && list?.length === 0 && (
        <Text color="quiet">
          The performances are too short here for a window of frames to be compared: give the range more
          frames{where.near !== undefined && ', or look everywhere'}.
        </Text>
      )}
      <Box as="ol" listStyleType="none" aria-label="Best crossings">
        {list?.map((crossing, k) => (
          <Box as="li" key={`${crossing.frame} ${crossing.other}`}>
            <chakra.button
              type="button"
              aria-pressed={crossing === taken}
              {...pointed(crossing)}
              title={changesOf(crossing, first)}
              display="grid"
              gridTemplateColumns="14px minmax(76px, auto) 62px 1fr"
              gap="2"
              width="100%"
              textAlign="left"
              px="1"
              py="0.5"
              borderRadius="l1"
              borderWidth="1px"
              borderColor={crossing === taken ? 'lamp' : 'transparent'}
              bg={crossing === under ? 'raised' : 'transparent'}
              cursor="pointer"
            >
              <Text color="quiet">{k + 1}</Text>
              <Text whiteSpace="nowrap">frame {first + crossing.frame}</Text>
              <Text color="quiet" whiteSpace="nowrap">
                {(unit * crossing.alignment.distance).toFixed(1)} cm
              </Text>
              <Text color="quiet" whiteSpace="nowrap">
                {slideOf(unit * crossing.slide, crossing.held !== undefined)}
              </Text>
            </chakra.button>
          </Box>
        ))}
      </Box>
      {list !== undefined && list.length > 0 && (
        <Text color="quiet" fontSize="12px">
          How far apart the poses are, and how far feet slide. Point at one to see it played; click it: it
          becomes keyed weights of parts, time and placement, with a layer that holds feet where it says
          “held”, and can be undone.
        </Text>
      )}
      <Box
        hidden={typeof found === 'string' || list?.length === 0}
        position="relative"
        width="100%"
        maxWidth="296px"
        aspectRatio="1"
        bg="ground"
        flex="none"
      >
        <chakra.canvas
          ref={canvas}
          width={1}
          height={1}
          position="absolute"
          inset="0"
          boxSize="100%"
          role="img"
          aria-label="How far the performances are apart, frame against frame: bright is near"
        />
        {map &&
          list?.map((crossing, k) => {
            const [x, y] = markPlace(map, crossing);
            const on = crossing === taken || crossing === under;
            return (
              <chakra.button
                key={`${crossing.frame} ${crossing.other}`}
                type="button"
                aria-label={`Crossing ${k + 1} on the map`}
                title={`Crossing ${k + 1}: at frame ${first + crossing.frame}`}
                {...pointed(crossing)}
                position="absolute"
                left={`calc(${100 * x}% - 10px)`}
                top={`calc(${100 * y}% - 10px)`}
                width="20px"
                height="20px"
                borderRadius="full"
                borderWidth="2px"
                borderColor={on ? 'lamp' : 'text'}
                bg="ground/70"
                color="text"
                fontSize="11px"
                fontWeight="700"
                lineHeight="1"
                cursor="pointer"
              >
                {k + 1}
              </chakra.button>
            );
          })}
      </Box>
      {map && list?.length !== 0 && (
        <Text color="quiet" fontSize="12px">
          → frames {first + Math.round(map.frames[0][0])} to {first + Math.round(map.frames[0][1])} of “
          {nameOfLower}”
          <br />↑ frames {Math.round(map.frames[1][0])} to {Math.round(map.frames[1][1])} of “{nameOfUpper}”
        </Text>
      )}
    </WorkPanel>
  );
}

const slideOf = (centimetres: number, held: boolean): string =>
  held
    ? `held${centimetres < 0.1 ? '' : `, ${centimetres.toFixed(1)}`}`
    : centimetres < 0.1
      ? 'feet stay'
      : `slide ${centimetres.toFixed(1)}`;

/** When each region changes over, in words; `first` is the number of frame 0. */
const changesOf = ({ changes, held }: Crossing, first: number): string =>
  [
    ...changes.map(({ region, frame, foot }) => {
      const how = foot === 'air' ? ', in the air' : foot === 'stands' ? ', standing' : '';
      return `${region}: frame ${first + Math.round(frame)}${how}`;
    }),
    ...(held ? ['Feet that would slide are held by a layer of contacts'] : []),
  ].join('\n');
