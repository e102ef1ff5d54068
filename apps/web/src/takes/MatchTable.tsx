import { Box, Button, chakra, Text } from '@chakra-ui/react';
import type { Take } from '@evlay/core';
import { mappingFor, sourceOf } from '@evlay/core/edit';
import { mappingText, readMapping } from '@evlay/core/format';
import {
  alignedPositions,
  alignmentDegrees,
  alignRest,
  followsOf,
  mappingOf,
  matchRigs,
} from '@evlay/core/match';
import { partLabel, positionsAtRest } from '@evlay/core/rig';
import { type Mapping, turnedUp } from '@evlay/core/take';
import { useMemo, useState } from 'react';
import { perform } from '../commands/command.js';
import { fitTake } from '../commands/scene/takes.js';
import { useEditor, useProject } from '../editor/context.js';
import { download, fileName } from '../ui/download.js';
import { notify } from '../ui/notify.js';
import { useMaking } from './making.js';
import { SkeletonMap } from './SkeletonMap.js';

const NONE = '';

/** Which joint of the capture each joint of the character follows, beside both skeletons; every row can be changed. */
export function MatchTable({ take, onClose }: { take: Take; onClose: () => void }) {
  const project = useProject((current) => current);
  const source = sourceOf(project, take);
  const target = project.rig;
  const editor = useEditor();
  const making = useMaking(take);
  const [row, setRow] = useState(-1);
  const upright = useMemo(() => turnedUp(source, take.made?.up ?? 'y').rig, [source, take.made?.up]);
  const found = useMemo(() => matchRigs(upright, target), [upright, target]);
  const mapping = take.made?.mapping ?? mappingFor(project, source);
  const follows = useMemo(() => followsOf(upright, target, mapping), [upright, target, mapping]);
  const aligned = useMemo(() => alignRest(upright, target, follows), [upright, target, follows]);
  const degrees = useMemo(() => alignmentDegrees(target, aligned), [target, aligned]);

  const fit = (joints: Mapping) => perform(editor, fitTake, { take: take.id, mapping: joints });
  const follow = (j: number, name: string) => {
    const { [target.joints[j].name]: _, ...others } = mapping;
    fit(name === NONE ? others : { ...others, [target.joints[j].name]: name });
  };
  const matchedSources = new Set(follows);
  const matched = follows.filter((j) => j >= 0).length;
  return (
    <Box
      as="section"
      aria-label="Match joints"
      flex="1"
      minHeight="0"
      display="flex"
      flexDirection="column"
      p="3"
    >
      <Box display="flex" alignItems="center" gap="2" mb="2">
        <chakra.h2 fontWeight="600" fontSize="15px" whiteSpace="nowrap">
          Match joints
        </chakra.h2>
        <Text color="quiet" role="status" whiteSpace="nowrap">
          {making && !making.refused ? 'fitting …' : `${matched} of ${target.joints.length} matched`}
        </Text>
        <Box flex="1" />
        <MappingFile take={take} mapping={mapping} onRead={fit} />
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          color="text"
          onClick={() => fit(mappingOf(upright, target, found))}
        >
          Match anew
        </Button>
        <Button size="xs" bg="lamp" color="onLamp" onClick={onClose}>
          Done
        </Button>
      </Box>
      <Box flex="none" display="flex" gap="3" bg="ground" borderRadius="l2" p="2">
        <SkeletonMap
          title={`${source.name} at rest`}
          rig={upright}
          positions={positionsAtRest(upright)}
          marked={row < 0 ? -1 : follows[row]}
          matched={(j) => matchedSources.has(j)}
          onPick={row < 0 ? undefined : (j) => follow(row, upright.joints[j].name)}
        />
        <SkeletonMap
          title="the character, aligned (dashed: at rest)"
          rig={target}
          positions={alignedPositions(target, aligned)}
          before={positionsAtRest(target)}
          marked={row}
          matched={(j) => follows[j] >= 0}
          onPick={setRow}
        />
      </Box>
      <Box flex="1" minHeight="0" overflowY="auto" mt="2">
        <chakra.table
          width="100%"
          css={{ borderCollapse: 'collapse', '& td, & th': { textAlign: 'left', padding: '2px 8px' } }}
        >
          <chakra.thead position="sticky" top="0" bg="ground" color="quiet">
            <tr>
              <th scope="col">joint</th>
              <th scope="col">part</th>
              <th scope="col">follows</th>
              <th scope="col">how sure</th>
              <th scope="col">aligned</th>
            </tr>
          </chakra.thead>
          <tbody>
            {target.joints.map(({ name }, j) => (
              <chakra.tr
                key={name}
                bg={j === row ? 'raised' : undefined}
                _hover={{ bg: 'raised' }}
                onClick={() => setRow(j)}
                onFocus={() => setRow(j)}
              >
                <td>{name}</td>
                <chakra.td color="quiet">{partLabel(project.parts[j])}</chakra.td>
                <td>
                  <chakra.select
                    aria-label={`${name} follows`}
                    value={follows[j] < 0 ? NONE : upright.joints[follows[j]].name}
                    onChange={(event) => follow(j, event.target.value)}
                    bg="panel"
                    color={follows[j] < 0 ? 'quiet' : 'text'}
                    borderWidth="1px"
                    borderColor="line"
                    borderRadius="l1"
                    height="22px"
                    width="180px"
                  >
                    <option value={NONE}>none: rests</option>
                    {upright.joints.map((joint) => (
                      <option key={joint.name} value={joint.name}>
                        {joint.name}
                      </option>
                    ))}
                  </chakra.select>
                </td>
                <td>
                  <Sureness follows={follows[j]} found={found[j].source} confidence={found[j].confidence} />
                </td>
                <chakra.td color="quiet" fontFamily="mono" fontSize="12px">
                  {follows[j] >= 0 && degrees[j] > 0.5 ? `${degrees[j].toFixed(0)}°` : ''}
                </chakra.td>
              </chakra.tr>
            ))}
          </tbody>
        </chakra.table>
      </Box>
    </Box>
  );
}

/** How sure a match is: found by itself with some confidence, or set by hand. */
function Sureness({ follows, found, confidence }: { follows: number; found: number; confidence: number }) {
  if (follows < 0) return <Text color="quiet">{found < 0 ? 'not in the capture' : 'set to rest'}</Text>;
  if (follows !== found) return <Text>by hand</Text>;
  return (
    <Box display="flex" alignItems="center" gap="2">
      <Box width="56px" height="6px" bg="raised" borderRadius="l1" overflow="hidden">
        <Box height="100%" width={`${confidence * 100}%`} bg={confidence < 0.75 ? 'lamp' : 'quiet'} />
      </Box>
      <Text color="quiet">{confidence > 0.9 ? 'sure' : confidence > 0.75 ? 'likely' : 'a guess'}</Text>
    </Box>
  );
}

/** Writes a mapping to a file, for other projects and the command line, and reads one. */
function MappingFile({
  take,
  mapping,
  onRead,
}: {
  take: Take;
  mapping: Mapping;
  onRead: (joints: Mapping) => void;
}) {
  const read = async (file: File | undefined) => {
    if (!file) return;
    try {
      onRead(readMapping(file.name, new Uint8Array(await file.arrayBuffer())));
    } catch (error) {
      notify({ title: 'The mapping was not read', text: (error as Error).message, alarm: true });
    }
  };
  return (
    <>
      <Button
        size="xs"
        variant="outline"
        borderColor="line"
        color="text"
        onClick={() =>
          download(fileName(`${take.name} mapping`, 'json'), [mappingText(mapping)], 'application/json')
        }
      >
        Save
      </Button>
      <chakra.label
        display="inline-flex"
        alignItems="center"
        height="24px"
        px="2"
        borderWidth="1px"
        borderColor="line"
        borderRadius="l1"
        cursor="pointer"
        _focusWithin={{ outline: '2px solid {colors.lamp}' }}
      >
        Load
        <chakra.input
          type="file"
          accept=".json"
          aria-label="Mapping to load"
          position="absolute"
          opacity="0"
          width="1px"
          height="1px"
          onChange={(event) => void read(event.target.files?.[0])}
        />
      </chakra.label>
    </>
  );
}
