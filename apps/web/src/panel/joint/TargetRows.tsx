import { Box, chakra, Text } from '@chakra-ui/react';
import {
  type CurveAddress,
  isCurve,
  layerById,
  PLACE_AXES,
  type Target,
  type TargetField,
  TURN_AXES,
  targetScalars,
  targetsOf,
} from '@evlay/core';
import { jointIndex, rigHeight } from '@evlay/core/rig';
import { Compass, KeyRound, Minus, Plus, RotateCw, Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import { perform } from '../../commands/command.js';
import { pickJoints } from '../../commands/poses/picking.js';
import { addPathPoint, dropPathPoint, leanAlong, setPath } from '../../commands/scene/paths.js';
import {
  keyTheTarget,
  moveToSpace,
  pointWithTarget,
  removeTheTarget,
  turnWithTarget,
} from '../../commands/scene/targets.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { ANGLE_UNITS, lengthUnits } from '../../controls/units.js';
import { Value } from '../../controls/Value.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { limbEndingAt } from '../../editor/limbs.js';
import { Row } from '../../ui/Row.js';
import { Follows, MovedAbove, SpaceChoice } from './SpaceChoice.js';
import { TargetGap } from './TargetGap.js';

/** What of a target the rows show, beside its numbers. */
interface Outline {
  readonly id: string;
  readonly joint: string;
  readonly space?: string;
  readonly turns: boolean;
  readonly points: boolean;
  readonly keyed: boolean;
  /** Of its path how many points it has, and how it goes. */
  readonly path?: { readonly points: number; readonly closed: boolean; readonly heading: boolean };
}

const outlineOf = (target: Target): Outline => ({
  id: target.id,
  joint: target.joint,
  ...(target.space !== undefined && { space: target.space }),
  turns: target.turn !== undefined,
  points: target.toward !== undefined,
  ...(target.path && {
    path: {
      points: target.path.points.length,
      closed: target.path.closed,
      heading: target.path.heading,
    },
  }),
  keyed: targetScalars(target).some(({ scalar }) => isCurve(scalar)),
});

/** The targets of a layer: which joint each holds, in whose space, where, and what it does about angle and bend. */
export function TargetRows({ layer }: { layer: string }) {
  const text = useProject((project) => {
    const own = layerById(project, layer);
    return own ? JSON.stringify(targetsOf(own).map(outlineOf)) : '[]';
  });
  const targets = useMemo(() => JSON.parse(text) as Outline[], [text]);
  return targets.map((target) => <TargetBlock key={target.id} layer={layer} target={target} />);
}

const NAMES: Record<TargetField, string> = {
  at: 'place',
  turn: 'angle',
  toward: 'toward',
  path: 'path',
};

function TargetBlock({ layer, target }: { layer: string; target: Outline }) {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const additive = useProject((project) => layerById(project, layer)?.mode === 'additive');
  const limb = useProject((project) => limbEndingAt(project, jointIndex(rig, target.joint)) !== undefined);
  const picked = useSession((state) => rig.joints[state.picked.at(-1) ?? -1]?.name === target.joint);
  const of = { layer, target: target.id };
  return (
    <Box as="section" aria-label={`Target of ${target.joint}`}>
      <Row label="target">
        <chakra.button
          type="button"
          truncate
          cursor="pointer"
          flex="1"
          minWidth="0"
          textAlign="left"
          color={picked ? 'lamp' : 'text'}
          title={`Pick ${target.joint}`}
          onClick={() => perform(editor, pickJoints, [jointIndex(rig, target.joint)])}
        >
          {target.joint}
        </chakra.button>
        <CommandButton
          command={keyTheTarget}
          arg={of}
          label={`Key the target of ${target.joint}`}
          icon={KeyRound}
          on={target.keyed}
        />
        <CommandButton
          command={turnWithTarget}
          arg={{ ...of, on: !target.turns }}
          label={
            target.turns
              ? `Let ${target.joint} keep the angle that it has below`
              : `Hold the angle of ${target.joint} too`
          }
          icon={RotateCw}
          on={target.turns}
        />
        {limb && !additive && (
          <CommandButton
            command={pointWithTarget}
            arg={{ ...of, on: !target.points }}
            label={target.points ? 'Let knee or elbow go where it will' : 'Say where knee or elbow points'}
            icon={Compass}
            on={target.points}
          />
        )}
        <CommandButton
          command={removeTheTarget}
          arg={of}
          label={`Take the target of ${target.joint} off`}
          icon={Trash2}
        />
      </Row>
      {!additive && (
        <Row label="on">
          <SpaceChoice
            label={`In whose space the target of ${target.joint} is`}
            value={target.space}
            onChoose={(space) => perform(editor, moveToSpace, { ...of, space })}
          />
        </Row>
      )}
      {target.space !== undefined && <Follows joint={target.joint} space={target.space} />}
      <MovedAbove layer={layer} space={target.space} />
      {target.path ? (
        <PathRows layer={layer} target={target} path={target.path} />
      ) : (
        <Numbers layer={layer} target={target} field="at" />
      )}
      {target.turns && <Numbers layer={layer} target={target} field="turn" />}
      {target.points && <Numbers layer={layer} target={target} field="toward" />}
      <TargetGap layer={layer} joint={target.joint} />
    </Box>
  );
}

/** How far along its path a target has come, and how the path goes. */
function PathRows({
  layer,
  target,
  path,
}: {
  layer: string;
  target: Outline;
  path: NonNullable<Outline['path']>;
}) {
  const of = { layer, target: target.id };
  const { joint } = target;
  return (
    <>
      <Row label="along">
        <Value
          label={`How far ${joint} has come along its path, 0 to 1`}
          addresses={[{ kind: 'target', layer, target: target.id, joint, field: 'path', channel: 'along' }]}
          step={0.005}
          decimals={3}
          width="60px"
        />
        <CommandChoice
          command={setPath}
          arg={{ ...of, values: { heading: !path.heading } }}
          on={path.heading}
          title={`${joint} turns to where the path goes`}
        >
          heads along
        </CommandChoice>
        <CommandChoice
          command={leanAlong}
          arg={of}
          on={false}
          title={`Keys the turn of ${joint}, so that it leans into the bends at its pace`}
        >
          lean
        </CommandChoice>
      </Row>
      <Row label="points">
        <Text color="quiet" flex="1">
          {path.points} in the view
        </Text>
        <CommandChoice
          command={setPath}
          arg={{ ...of, values: { closed: !path.closed } }}
          on={path.closed}
          title="The last point joins the first"
        >
          closed
        </CommandChoice>
        <CommandButton
          command={addPathPoint}
          arg={{ ...of, after: path.points - 1 }}
          label={`Add a point to the path of ${joint}`}
          icon={Plus}
        />
        <CommandButton
          command={dropPathPoint}
          arg={{ ...of, point: path.points - 1 }}
          label={`Take the last point out of the path of ${joint}`}
          icon={Minus}
        />
      </Row>
    </>
  );
}

function Numbers({ layer, target, field }: { layer: string; target: Outline; field: TargetField }) {
  const rig = useProject((project) => project.rig);
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const step = useMemo(() => 10 ** Math.floor(Math.log10((rigHeight(rig) || 1) / 200)), [rig]);
  const turns = field === 'turn';
  return (
    <Row label={NAMES[field]}>
      {(turns ? TURN_AXES : PLACE_AXES).map((channel) => {
        const address: CurveAddress = {
          kind: 'target',
          layer,
          target: target.id,
          joint: target.joint,
          field,
          channel,
        };
        return (
          <Value
            key={channel}
            label={`${NAMES[field]} of the target of ${target.joint}, ${channel}`}
            addresses={[address]}
            step={turns ? 0.5 : step}
            decimals={turns ? 1 : Math.max(0, Math.min(4, Math.ceil(-Math.log10(step))))}
            width="60px"
            units={turns ? ANGLE_UNITS : lengthUnits(metresPerUnit)}
          />
        );
      })}
    </Row>
  );
}
