import { Box, chakra } from '@chakra-ui/react';
import { characterIn } from '@evlay/core';
import { WRITTEN_KINDS, writtenKind } from '@evlay/core/format';
import { usualLimits } from '@evlay/core/keys';
import { useEffect, useState } from 'react';
import { LikeColumn } from '../bake/LikeColumn.js';
import { OutColumn } from '../bake/OutColumn.js';
import { type BakeSettings, bakeInJob, piecesOf, settingsRefusal, takesFewKeys } from '../bake/settings.js';
import { WhatColumn } from '../bake/WhatColumn.js';
import { perform } from '../commands/command.js';
import { type BakingIn, bake, bakeIn } from '../commands/scene/bake.js';
import { TRANSPORT_SHORTCUTS } from '../commands/shortcuts.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { setDisplay, setPlayback, setPosing, setSelection } from '../editor/session.js';
import type { BakeWanted, DoneBake } from '../jobs/bake-pieces.js';
import { View } from '../view/View.js';
import { Guarded } from './Guarded.js';
import { Shortcuts } from './Shortcuts.js';

const PIECES = { variants: 'variants', marks: 'stretches', characters: 'characters' };

/** What is baked, what it will be like, and what came out. */
export const Bake = () => (
  <Guarded name="The bake">
    <BakeColumns />
  </Guarded>
);

function BakeColumns() {
  const editor = useEditor();
  const { session } = editor;
  const project = useProject((current) => current);
  const [settings, setSettings] = useState<BakeSettings>(() => ({
    what: 'stack',
    character: session.getState().character,
    range: project.range,
    rate: project.fps,
    format: (
      WRITTEN_KINDS.find(({ writes }) => writes.onCharacter === Boolean(characterIn(project.scene).figure)) ??
      WRITTEN_KINDS[0]
    ).id,
    props: false,
    together: false,
    pattern: '{project} {piece}',
    onTheSpot: false,
    travels: undefined,
    inFrames: 'every',
    nth: 2,
    few: false,
    straight: false,
    limits: usualLimits(project.rig),
  }));
  const baking = useSession((state) => state.baking);
  const running = baking !== undefined;
  const [result, setResult] = useState<DoneBake>();
  const [bakedIn, setBakedIn] = useState<string>();
  const { what, range, rate, format, props, few, limits, together, pattern, onTheSpot, travels } = settings;
  const pieces = piecesOf(project, what).length;
  const { name: kindName, writes } = writtenKind(format);

  // The result plays here without handles.
  useEffect(() => {
    const { take } = session.getState();
    const show = (previewing: boolean, chosen: typeof take): void => {
      setPlayback(session, { playing: false });
      setSelection(session, { take: chosen, ...(previewing && { picked: [] }) });
      if (previewing) setPosing(session, { trial: undefined });
      setDisplay(session, { alone: undefined, previewing });
    };
    show(true, undefined);
    return () => show(false, take);
  }, [session]);

  const onChange = (changes: Partial<BakeSettings>) => setSettings({ ...settings, ...changes });

  const wanted: BakeWanted = {
    job: {
      range,
      fps: rate,
      format,
      props: props && writes.props === true && !(together && what !== 'stack' && what !== 'characters'),
      onTheSpot,
      travels,
      character: settings.character,
      ...(few && takesFewKeys(format) && { limits, straight: settings.straight }),
    },
    what,
    together,
    pattern,
  };

  const run = () => {
    setResult(undefined);
    perform(editor, bake, { ...wanted, ended: setResult });
  };

  const runIn = (as: BakingIn['as']) => {
    setBakedIn(undefined);
    perform(editor, bakeIn, { as, job: bakeInJob(project, settings), ended: setBakedIn });
  };

  return (
    <Box as="main" flex="1" minHeight="0" display="flex">
      <Shortcuts commands={TRANSPORT_SHORTCUTS} />
      <Box
        width="330px"
        maxWidth="34vw"
        flex="none"
        overflowY="auto"
        bg="panel"
        borderRightWidth="1px"
        borderColor="line"
      >
        <chakra.h1 fontSize="18px" fontWeight="600" px="4" pt="3">
          Bake
        </chakra.h1>
        <WhatColumn settings={settings} running={running} onChange={onChange} />
      </Box>
      <Box flex="1" minWidth="0" display="flex" flexDirection="column" overflowY="auto">
        <Box flex="1" minHeight="220px">
          <Guarded name="The view">
            <View />
          </Guarded>
        </Box>
        <Box flex="none">
          <LikeColumn
            settings={settings}
            running={running}
            onLimits={(chosen) => setSettings({ ...settings, limits: chosen })}
          />
        </Box>
      </Box>
      <Box
        width="290px"
        maxWidth="30vw"
        flex="none"
        overflowY="auto"
        bg="panel"
        borderLeftWidth="1px"
        borderColor="line"
      >
        <OutColumn
          label={what === 'stack' ? `Bake to ${kindName}` : `Bake ${pieces} ${PIECES[what]} to ${kindName}`}
          baking={baking}
          refused={settingsRefusal(project, settings) !== undefined}
          result={result}
          settings={settings}
          wanted={wanted}
          onChange={onChange}
          onRun={run}
          onBakeIn={runIn}
          bakedIn={bakedIn}
        />
      </Box>
    </Box>
  );
}
