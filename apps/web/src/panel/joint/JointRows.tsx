import { Text } from '@chakra-ui/react';
import type { Layer } from '@evlay/core';
import { KeyRound, RotateCcw } from 'lucide-react';
import { keyValues } from '../../commands/keys/values.js';
import { clearJointWeight } from '../../commands/stack/layer-values.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { Value } from '../../controls/Value.js';
import { useProject, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** More joints than these are not listed: the lane has a row for each. */
const LISTED = 4;

/** Weights of single joints: those that the layer has, and of the joint that is picked. */
export function JointRows({ layer }: { layer: Layer }) {
  const rig = useProject((project) => project.rig);
  const picked = useSession((state) => state.picked.at(-1));
  const weighed = Object.keys(layer.joints ?? {});
  const shown = picked === undefined ? undefined : rig.joints[picked]?.name;
  const others = weighed.filter((name) => name !== shown).slice(0, LISTED);
  const more = weighed.filter((name) => name !== shown).length - others.length;
  return [...(shown === undefined ? [] : [shown]), ...others].map((name, k, all) => (
    <Row key={name} label={k === 0 ? 'joints' : ''}>
      <Text truncate title={name} flex="1">
        {name}
        {k === all.length - 1 && more > 0 && ` and ${more} more`}
      </Text>
      <Value
        label={`Weight of ${layer.name} on the joint ${name}`}
        addresses={[{ kind: 'joint', layer: layer.id, joint: name }]}
      />
      <CommandButton
        command={keyValues}
        arg={[{ kind: 'joint', layer: layer.id, joint: name }] as const}
        label={`Key the weight of ${name}`}
        icon={KeyRound}
      />
      <CommandButton
        command={clearJointWeight}
        arg={{ layer: layer.id, joint: name }}
        label={`Let ${name} count as its part does`}
        icon={RotateCcw}
        disabled={!weighed.includes(name)}
      />
    </Row>
  ));
}
