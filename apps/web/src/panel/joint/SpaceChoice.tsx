import { Text } from '@chakra-ui/react';
import type { Project, Rig } from '@evlay/core';
import { movedAbove } from '@evlay/core/edit';
import { charactersOf, jointIndex, ownerOf, ownName, propsFrom, topologyOf } from '@evlay/core/rig';
import { useShallow } from 'zustand/react/shallow';
import { castOf } from '../../editor/cast.js';
import { useCalmProject, useProject } from '../../editor/context.js';
import { Select } from '../../ui/Select.js';

interface SpaceChoiceProps {
  readonly label: string;
  /** The joint that is chosen; the world where undefined; nothing where it only offers, under `offer`. */
  readonly value: string | undefined;
  readonly offer?: string;
  /** What the world is called here. */
  readonly world?: string;
  readonly onChoose: (space: string | undefined) => void;
}

const WORLD = ' world';
const OFFER = ' offer';

/** The world, a prop or a joint, in whose space something is. */
export function SpaceChoice({ label, value, offer, world = 'the world', onChoose }: SpaceChoiceProps) {
  const rig = useProject((project) => project.rig);
  return (
    <Select
      label={label}
      value={offer === undefined ? (value ?? WORLD) : OFFER}
      onChoose={(chosen) => onChoose(chosen === WORLD ? undefined : chosen)}
    >
      {offer === undefined ? <option value={WORLD}>{world}</option> : <option value={OFFER}>{offer}</option>}
      <SpaceOptions rig={rig} />
    </Select>
  );
}

function SpaceOptions({ rig }: { rig: Rig }) {
  const { spans } = topologyOf(rig);
  const props = rig.joints.slice(propsFrom(rig));
  const options = (list: typeof props) =>
    list.map(({ name }) => (
      <option key={name} value={name}>
        {ownName(name)}
      </option>
    ));
  return (
    <>
      {props.length > 0 && <optgroup label="props">{options(props)}</optgroup>}
      {charactersOf(rig).map(({ name }, k) => (
        <optgroup key={name} label={name === '' ? 'joints' : `joints of ${name}`}>
          {options(rig.joints.slice(spans[k].from, spans[k].to))}
        </optgroup>
      ))}
    </>
  );
}

/** Says who follows whom: a joint that is in the space of another. */
export function Follows({ joint, space }: { joint: string; space: string }) {
  const [one, other] = useProject(
    useShallow((project) => [joint, space].map((name) => withOwner(project, name))),
  );
  return (
    <Text color="quiet">
      {one} follows {other}, as it is below this layer.
    </Text>
  );
}

/** What a joint is called together with whose it is, where there are several characters. */
function withOwner(project: Project, name: string): string {
  const owner = ownerOf(project.rig, jointIndex(project.rig, name));
  if (project.scene.characters.length < 2 || owner === undefined || owner < 0) return name;
  return `${castOf(project, owner).name}’s ${ownName(name)}`;
}

/** Says that what a layer is in the space of moves only above it, so that it rests there. */
export function MovedAbove({ layer, space }: { layer: string; space: string | undefined }) {
  const by = useCalmProject((project) =>
    space === undefined ? undefined : movedAbove(project, layer, space),
  );
  return by === undefined ? null : (
    <Text color="alarm">
      {ownName(space!)} is moved by {by} above, and not yet here: bring that layer below this one.
    </Text>
  );
}
