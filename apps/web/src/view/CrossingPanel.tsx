import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import type { Crossing } from '@evlay/core/cross';
import { type Job, startJob } from '@evlay/core/job';
import { X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { perform } from '../commands/command.js';
import { closeCrossings, crossHere } from '../commands/stack/crossings.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { type CrossingMap, findCrossings } from '../jobs/crossings.js';
import { Choice } from '../ui/Choice.js';
import { notify } from '../ui/notify.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { ToolButton } from '../ui/ToolButton.js';
import { drawMap, MAP, markPlace } from './crossing-map.js';
import { FloatingPanel } from './FloatingPanel.js';

/** Milliseconds between two drawings of a map that grows. */
const BETWEEN = 200;

/** Where one performance can take over from another: a map of time against time with the best crossings, and their list. */
export function CrossingPanel() {
  const wanted = useSession((state) => state.crossing);
  return wanted ? <Finder key={`${wanted.lower} ${wanted.upper}`} {...wanted} /> : null;
}

function Finder({ lower, upper }: { lower: string; upper: string }) {
  const editor = useEditor();
  const names = useProject((project) =>
    [lower, upper].map((id) => layerById(project, id)?.name ?? '').join('\n'),
  );
  const unit = useProject((project) => 100 * project.metresPerUnit);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [map, setMap] = useState<CrossingMap>();
  const [job, setJob] = useState<Job<readonly Crossing[]>>();
  const [found, setFound] = useState<readonly Crossing[]>();
  const [taken, setTaken] = useState<Crossing>();
  const [under, setUnder] = useState<Crossing>();
  const [nameOfLower, nameOfUpper] = names.split('\n');

  useEffect(() => {
    let drawn = 0;
    const news = {
      map(known: CrossingMap, whole: boolean) {
        setMap(known);
        if (!canvas.current || (!whole && performance.now() - drawn < BETWEEN)) return;
        drawMap(canvas.current, known);
        drawn = performance.now();
      },
    };
    const own = startJob('Looking for crossings', (work) =>
      findCrossings(editor.history.project(), lower, upper, editor.playhead.get(), news, work),
    );
    setJob(own);
    own.result
      .then((crossings) => crossings && setFound(crossings))
      .catch((error: Error) =>
        notify({ title: 'No crossings were found', text: error.message, alarm: true }),
      );
    return own.cancel;
  }, [editor, lower, upper]);

  return (
    <FloatingPanel label="Crossings" width="486px" onClose={() => perform(editor, closeCrossings, undefined)}>
      <Box display="flex" alignItems="center" gap="2" mb="2">
        <Text flex="1" truncate>
          <Text as="span" fontWeight="600">
            Crossings
          </Text>{' '}
          from “{nameOfLower}” to “{nameOfUpper}”
        </Text>
        <ToolButton
          label={closeCrossings.name}
          icon={X}
          onClick={() => perform(editor, closeCrossings, undefined)}
        />
      </Box>
      <Box display="flex" gap="3">
        <Box flex="none">
          <Box position="relative" width={`${MAP}px`} height={`${MAP}px`} bg="ground">
            <canvas
              ref={canvas}
              width={MAP}
              height={MAP}
              role="img"
              aria-label="How far the performances are apart, frame against frame: bright is near"
            />
            {map &&
              found?.map((crossing, k) => {
                const [x, y] = markPlace(map, crossing);
                const on = crossing === taken || crossing === under;
                return (
                  <chakra.button
                    key={`${crossing.frame} ${crossing.other}`}
                    type="button"
                    aria-label={`Crossing ${k + 1} on the map`}
                    title={`Crossing ${k + 1}: at frame ${crossing.frame}`}
                    onClick={() => take(crossing)}
                    onPointerEnter={() => setUnder(crossing)}
                    onPointerLeave={() => setUnder(undefined)}
                    position="absolute"
                    left={`${x - 10}px`}
                    top={`${y - 10}px`}
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
          {map && (
            <Text color="quiet" fontSize="12px" mt="1">
              → frames {map.first[0]} to {map.first[0] + map.count[0] - 1} of “{nameOfLower}”
              <br />↑ frames {map.first[1]} to {map.first[1] + map.count[1] - 1} of “{nameOfUpper}”
            </Text>
          )}
        </Box>
        <Box flex="1" minWidth="0">
          {!found && (
            <>
              <Box display="flex" alignItems="center" gap="2">
                {job && <ProgressBar label={job.name} done={job.progress} />}
              </Box>
              <Text color="quiet" mt="1">
                Comparing poses and how they move…
              </Text>
              <Choice on={false} onClick={() => perform(editor, closeCrossings, undefined)}>
                cancel
              </Choice>
            </>
          )}
          {found?.length === 0 && (
            <Text color="quiet">
              The performances are too short for a window of frames to be compared: give the range more
              frames.
            </Text>
          )}
          <Box as="ol" listStyleType="none" aria-label="Best crossings">
            {found?.map((crossing, k) => (
              <Box as="li" key={`${crossing.frame} ${crossing.other}`}>
                <chakra.button
                  type="button"
                  aria-pressed={crossing === taken}
                  onClick={() => take(crossing)}
                  onPointerEnter={() => setUnder(crossing)}
                  onPointerLeave={() => setUnder(undefined)}
                  title={changesOf(crossing)}
                  display="grid"
                  gridTemplateColumns="14px 62px 52px 1fr"
                  gap="1"
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
                  <Text>frame {crossing.frame}</Text>
                  <Text color="quiet" fontSize="12px" whiteSpace="nowrap">
                    {(unit * crossing.alignment.distance).toFixed(1)} cm
                  </Text>
                  <Text color="quiet" fontSize="12px" whiteSpace="nowrap">
                    {slideOf(unit * crossing.slide, crossing.held !== undefined)}
                  </Text>
                </chakra.button>
              </Box>
            ))}
          </Box>
          {found && found.length > 0 && (
            <Text color="quiet" fontSize="12px" mt="2">
              How far apart the poses are, and how far feet slide. Click one: it becomes keyed weights of
              parts, time and placement, with a layer that holds feet where it says “held”, and can be undone.
            </Text>
          )}
        </Box>
      </Box>
    </FloatingPanel>
  );

  function take(crossing: Crossing) {
    if (perform(editor, crossHere, { upper, crossing })) setTaken(crossing);
  }
}

const slideOf = (centimetres: number, held: boolean): string =>
  held
    ? `held${centimetres < 0.1 ? '' : `, ${centimetres.toFixed(1)}`}`
    : centimetres < 0.1
      ? 'feet stay'
      : `slide ${centimetres.toFixed(1)}`;

/** When each region changes over, in words. */
const changesOf = ({ changes, held }: Crossing): string =>
  [
    ...changes.map(({ region, frame, foot }) => {
      const how = foot === 'air' ? ', in the air' : foot === 'stands' ? ', standing' : '';
      return `${region}: frame ${frame}${how}`;
    }),
    ...(held ? ['Feet that would slide are held by a layer of contacts'] : []),
  ].join('\n');
