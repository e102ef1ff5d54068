import { Text } from '@chakra-ui/react';
import { chainOf } from '@evlay/core/solve';
import { useShallow } from 'zustand/react/shallow';
import { setView } from '../../commands/view/view.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { HANDLE_AXES, type HandleAxes, setPosing, TOGETHER, type Together } from '../../editor/session.js';
import { Row } from '../../ui/Row.js';

const AXES_TITLES: Record<HandleAxes, string> = {
  joint: 'In the axes of each joint',
  parent: 'In the axes of what each joint hangs on',
  world: 'In the axes of the scene',
  view: 'As you look at it',
};

const TOGETHER_TITLES: Record<Together, string> = {
  each: 'Each joint turns about itself',
  pivot: 'All turn about the joint that has the handles; roots and hands go round it',
  share: 'The joints of a chain share one turn, so that its end turns by all of it',
};

/** How the handles go: their axes, how several joints turn together, steps, and the other side. */
export function HandleRows() {
  const editor = useEditor();
  const { handle, turnAxes, moveAxes, together, picked, snap, snapAngle, snapLength, handleSize } =
    useSession(
      useShallow(
        ({ handle, turnAxes, moveAxes, together, picked, snap, snapAngle, snapLength, handleSize }) => ({
          handle,
          turnAxes,
          moveAxes,
          together,
          picked,
          snap,
          snapAngle,
          snapLength,
          handleSize,
        }),
      ),
    );
  const axes = handle === 'turn' ? turnAxes : moveAxes;
  return (
    <>
      <Row label="axes">
        {HANDLE_AXES.map((one) => (
          <CommandChoice
            key={one}
            command={setView}
            arg={handle === 'turn' ? { turnAxes: one } : { moveAxes: one }}
            on={axes === one}
            title={AXES_TITLES[one]}
          >
            {one}
          </CommandChoice>
        ))}
      </Row>
      {snap && (
        <Row label="steps">
          <LocalNumber
            label="Step of a turn"
            read={() => snapAngle}
            min={0.1}
            max={180}
            step={0.5}
            decimals={1}
            onChange={(value) => setPosing(editor.session, { snapAngle: value })}
          />
          <Text color="quiet">°</Text>
          <LocalNumber
            label="Step of a move"
            read={() => snapLength * 100}
            min={0.1}
            step={0.5}
            decimals={1}
            onChange={(value) => setPosing(editor.session, { snapLength: value / 100 })}
          />
          <Text color="quiet">cm</Text>
        </Row>
      )}
      {picked.length > 1 && (
        <Row label="turn">
          {TOGETHER.map((one) => (
            <CommandChoice
              key={one}
              command={setView}
              arg={{ together: one }}
              on={together === one}
              title={TOGETHER_TITLES[one]}
            >
              {one}
            </CommandChoice>
          ))}
        </Row>
      )}
      <Row label="handles">
        <LocalNumber
          label="Size of the handles"
          read={() => handleSize}
          min={0.3}
          max={2.5}
          step={0.01}
          decimals={1}
          units={{ '%': 0.01 }}
          onChange={(value) => setPosing(editor.session, { handleSize: value })}
        />
        <Text color="quiet">as large as usual</Text>
      </Row>
      {picked.length > 1 && together === 'share' && <Shares />}
    </>
  );
}

/** How much of a shared turn each joint of the chain takes. */
function Shares() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const picked = useSession((state) => state.picked);
  const shares = useSession((state) => state.shares);
  const chain = chainOf(rig, picked);
  const sum = chain.reduce((total, j) => total + (shares[j] ?? 1), 0);
  return chain.map((j, k) => (
    <Row key={j} label={k === 0 ? 'shares' : ''}>
      <Text truncate flex="1">
        {rig.joints[j].name}
      </Text>
      <LocalNumber
        label={`Share of ${rig.joints[j].name}`}
        read={() => shares[j] ?? 1}
        min={0}
        step={0.02}
        decimals={2}
        onChange={(value) => setPosing(editor.session, { shares: { ...shares, [j]: value } })}
      />
      <Text color="quiet" width="44px" textAlign="right" fontFamily="mono">
        {sum > 0 ? `${Math.round((100 * (shares[j] ?? 1)) / sum)} %` : '–'}
      </Text>
    </Row>
  ));
}
