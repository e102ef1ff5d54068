import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById, NARROWEST, type Prop, SHAPES, WIDEST } from '@evlay/core';
import { type ExtraJoint, extraJoints } from '@evlay/core/edit';
import { propsFrom, rigHeight, type Vector3 } from '@evlay/core/rig';
import { Eye, EyeOff, FileInput, Trash2 } from 'lucide-react';
import { useMemo, useRef } from 'react';
import { perform } from '../../commands/command.js';
import { pickJoints } from '../../commands/poses/picking.js';
import {
  addCamera,
  addShape,
  bringInProp,
  moveAsJoint,
  removeTheProp,
  renameTheProp,
  setProp,
} from '../../commands/scene/props.js';
import { hangChain, hangRope } from '../../commands/scene/ropes.js';
import { lookThrough } from '../../commands/view/view.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { ANGLE_UNITS, lengthUnits } from '../../controls/units.js';
import { useCalmProject, useEditor, useProject, useSession } from '../../editor/context.js';
import { NameField } from '../../ui/NameField.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { ToolButton } from '../../ui/ToolButton.js';

/** All props of the scene, to be picked, and what adds one. */
export function PropList() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const props = useProject((project) => project.scene.props);
  const first = propsFrom(rig);
  return (
    <Row label="props">
      <Box display="flex" flexWrap="wrap" gap="1">
        {props.map(({ name }, k) => (
          <CommandChoice key={name} command={pickJoints} arg={[first + k]} on={false}>
            {name}
          </CommandChoice>
        ))}
        {SHAPES.map((shape) => (
          <CommandChoice
            key={shape}
            command={addShape}
            arg={shape}
            on={false}
            title={`Put a ${shape} into the scene`}
          >
            + {shape}
          </CommandChoice>
        ))}
        <CommandChoice command={addCamera} arg={undefined} on={false} title={addCamera.name}>
          + camera
        </CommandChoice>
        <RopeChoices />
        <ModelButton
          label="Bring in a prop or cameras (.glb)"
          onFile={(file) => perform(editor, bringInProp, { file })}
        />
      </Box>
    </Row>
  );
}

/** What can hang between the two joints or props that are picked. */
export const BetweenRow = () => (
  <Row label="between">
    <RopeChoices />
  </Row>
);

const RopeChoices = () => (
  <>
    <CommandChoice command={hangRope} arg={undefined} on={false} title={hangRope.name}>
      + rope
    </CommandChoice>
    <CommandChoice command={hangChain} arg={undefined} on={false} title={hangChain.name}>
      + chain
    </CommandChoice>
  </>
);

/** Chooses a GLB file. */
function ModelButton({ label, onFile }: { label: string; onFile: (file: File) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <ToolButton label={label} icon={FileInput} onClick={() => input.current?.click()} />
      <input
        ref={input}
        type="file"
        accept=".glb"
        hidden
        aria-label={label}
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          if (file) onFile(file);
          event.target.value = '';
        }}
      />
    </>
  );
}

/** The picked prop: its name, its looks, and where it was put, which layers move it from. */
export function PropRows() {
  const rig = useProject((project) => project.rig);
  const picked = useSession((state) => state.picked.at(-1) ?? -1);
  const prop = useProject((project) => project.scene.props[picked - propsFrom(rig)]);
  return prop ? <PropBlock prop={prop} /> : null;
}

function PropBlock({ prop }: { prop: Prop }) {
  const editor = useEditor();
  const { name, shape, model, hidden, camera } = prop;
  const through = useSession((state) => state.through);
  return (
    <Box as="section" aria-label={`Prop ${name}`} display="flex" flexDirection="column" gap="1">
      <Row label="prop">
        <NameField
          label="Name of the prop"
          name={name}
          onRename={(to) => perform(editor, renameTheProp, { from: name, to })}
          flex="1"
          minWidth="0"
        />
        <CommandButton
          command={setProp}
          arg={{ name, values: { hidden: !hidden } }}
          label={hidden ? `Show ${name}` : `Hide ${name}`}
          icon={hidden ? EyeOff : Eye}
        />
        <CommandButton command={removeTheProp} arg={name} label={`Take ${name} out`} icon={Trash2} />
      </Row>
      {camera && (
        <Row label="sees">
          <DragNumber
            label={`Field of view of ${name}, from edge to edge upright`}
            read={() => camera.fov}
            min={NARROWEST}
            max={WIDEST}
            step={0.25}
            decimals={1}
            units={ANGLE_UNITS}
            width="56px"
            command={setProp}
            to={(fov) => ({ name, values: { camera: { fov } } })}
          />
          <CommandChoice
            command={lookThrough}
            arg={through === name ? undefined : name}
            on={through === name}
            title={`The view shows what ${name} sees`}
          >
            look through
          </CommandChoice>
        </Row>
      )}
      {!camera && (
        <Row label="looks">
          {model ? (
            <>
              <Text truncate flex="1" title={model.file}>
                {model.file}
              </Text>
              <CommandChoice command={setProp} arg={{ name, values: { model: undefined } }} on={false}>
                plain shape
              </CommandChoice>
            </>
          ) : (
            <>
              {SHAPES.map((one) => (
                <CommandChoice
                  key={one}
                  command={setProp}
                  arg={{ name, values: { shape: one } }}
                  on={shape === one}
                >
                  {one}
                </CommandChoice>
              ))}
              <chakra.span flex="1" />
            </>
          )}
          <ModelButton
            label={`Let ${name} look like a file (.glb)`}
            onFile={(file) => perform(editor, bringInProp, { file, prop: name })}
          />
        </Row>
      )}
      <MovesRow prop={name} />
      {!model && !camera && <Three prop={prop} field="size" label="size" />}
      <Three prop={prop} field="at" label="put at" />
      <Three prop={prop} field="turn" label="turned" />
    </Box>
  );
}

/** Lets the prop move as a joint that a take has beside those of the character, where one is played that has some. */
function MovesRow({ prop }: { prop: string }) {
  const editor = useEditor();
  const text = useCalmProject((project) =>
    JSON.stringify(extraJoints(project).map((as) => ({ ...as, of: layerById(project, as.layer)?.name }))),
  );
  const joints = useMemo(() => JSON.parse(text) as (ExtraJoint & { readonly of: string })[], [text]);
  if (joints.length === 0) return null;
  return (
    <Row label="moves">
      <Select
        label={`As which joint of a take ${prop} moves`}
        value=""
        onChoose={(chosen) => {
          const { layer, joint } = joints[Number(chosen)];
          perform(editor, moveAsJoint, { prop, as: { layer, joint } });
        }}
      >
        <option value="" disabled>
          as a take has …
        </option>
        {joints.map(({ of, layer, joint }, k) => (
          <option key={`${layer} ${joint}`} value={k}>{`${joint}, ${of}`}</option>
        ))}
      </Select>
    </Row>
  );
}

const AXES = ['x', 'y', 'z'] as const;

/** Three numbers of a prop. */
function Three({ prop, field, label }: { prop: Prop; field: 'size' | 'at' | 'turn'; label: string }) {
  const rig = useProject((project) => project.rig);
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const turns = field === 'turn';
  const step = useMemo(
    () => (turns ? 0.5 : 10 ** Math.floor(Math.log10((rigHeight(rig) || 1) / 200))),
    [rig, turns],
  );
  const least = field === 'size' ? step : undefined;
  return (
    <Row label={label}>
      {AXES.map((axis, k) => (
        <DragNumber
          key={axis}
          label={`${prop.name} ${label}, ${axis}`}
          read={() => prop[field][k]}
          min={least}
          step={step}
          decimals={turns ? 1 : Math.max(0, Math.min(4, Math.ceil(-Math.log10(step))))}
          units={turns ? ANGLE_UNITS : lengthUnits(metresPerUnit)}
          width="60px"
          command={setProp}
          to={(value) => ({
            name: prop.name,
            values: {
              [field]: prop[field].map((old, i) =>
                i === k ? Math.max(least ?? value, value) : old,
              ) as unknown as Vector3,
            },
          })}
        />
      ))}
    </Row>
  );
}
