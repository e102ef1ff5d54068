import type { Rig } from '@evlay/core';
import { characterOf } from '@evlay/core/rig';
import { useProject } from '../../editor/context.js';
import { Select } from '../../ui/Select.js';

interface SpaceChoiceProps {
  readonly label: string;
  /** The joint that is chosen; the world where undefined; nothing where it only offers, under `offer`. */
  readonly value: string | undefined;
  readonly offer?: string;
  readonly onChoose: (space: string | undefined) => void;
}

const WORLD = ' world';
const OFFER = ' offer';

/** The world, a prop or a joint, in whose space something is. */
export function SpaceChoice({ label, value, offer, onChoose }: SpaceChoiceProps) {
  const rig = useProject((project) => project.rig);
  return (
    <Select
      label={label}
      value={offer === undefined ? (value ?? WORLD) : OFFER}
      onChoose={(chosen) => onChoose(chosen === WORLD ? undefined : chosen)}
    >
      {offer === undefined ? (
        <option value={WORLD}>the world</option>
      ) : (
        <option value={OFFER}>{offer}</option>
      )}
      <SpaceOptions rig={rig} />
    </Select>
  );
}

function SpaceOptions({ rig }: { rig: Rig }) {
  const { joints } = characterOf(rig);
  const props = rig.joints.slice(joints.length);
  const options = (list: typeof joints) => list.map(({ name }) => <option key={name}>{name}</option>);
  return (
    <>
      {props.length > 0 && <optgroup label="props">{options(props)}</optgroup>}
      <optgroup label="joints">{options(joints)}</optgroup>
    </>
  );
}
