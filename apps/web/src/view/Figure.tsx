import { rigHeight } from '@evlay/core/rig';
import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useMemo, useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../commands/command.js';
import { pickJoint } from '../commands/view.js';
import { useEditor, useSeen, useSession } from '../editor/context.js';
import { notify } from '../ui/notify.js';
import { pressedHandles } from './attach-handles.js';
import { boneFigure } from './bone-figure.js';
import { type FigureMesh, jointAt, poseMesh, readFigure } from './figure.js';
import { jointTints, layerColors, writeTints } from './tint.js';

/** The character as it is seen, coloured by who drives it. Rig units; the parent scales it. */
export function Figure() {
  const editor = useEditor();
  const { stage, session } = editor;
  const rig = useSeen((project) => project.rig);
  const parts = useSeen((project) => project.parts);
  // Other changes of the layers are seen on the stage; React has nothing to do with them.
  const named = useSeen(useShallow((project) => project.layers.map(({ color }) => color)));
  const character = useSeen((project) => project.character);
  const surface = useSession((state) => state.surface);
  const [skin, setSkin] = useState<readonly FigureMesh[]>();
  const invalidate = useThree((state) => state.invalidate);

  useEffect(() => {
    setSkin(undefined);
    if (!character) return;
    let current = true;
    readFigure(character.bytes).then(
      (meshes) => current && setSkin(meshes),
      () =>
        current &&
        notify({
          title: 'The skin cannot be shown',
          text: 'The character’s file holds no mesh that can be read; its bones are shown.',
          alarm: true,
        }),
    );
    return () => {
      current = false;
    };
  }, [character]);

  const bones = useMemo(() => [boneFigure(rig, parts, Boolean(character))], [rig, parts, character]);
  const meshes = surface === 'skin' && skin ? skin : surface === 'skin' && character ? [] : bones;
  const colors = useMemo(() => layerColors(named), [named]);
  const height = useMemo(() => rigHeight(rig), [rig]);

  useEffect(() => {
    const tints = new Float32Array(4 * rig.joints.length);
    const draw = () => {
      const shown = stage.get();
      if (shown.project.rig !== rig) return;
      const { colours, picked } = session.getState();
      if (colours) jointTints(shown, colors, height, tints);
      for (const figure of meshes) {
        poseMesh(figure, shown.matrices);
        writeTints(figure.tint, figure.jointOf, colours ? tints : undefined, picked);
      }
      invalidate();
    };
    draw();
    const stops = [stage.subscribe(draw), session.subscribe(draw)];
    return () => {
      for (const stop of stops) stop();
    };
  }, [meshes, colors, height, rig, invalidate, stage, session]);

  const pick = (event: ThreeEvent<MouseEvent>, figure: FigureMesh) => {
    // A take that is shown alone is looked at, not posed.
    if (event.delta > 4 || pressedHandles() || session.getState().previewing) return;
    event.stopPropagation();
    const joint = jointAt(figure, event);
    if (joint >= 0) perform(editor, pickJoint, { joint, more: event.nativeEvent.shiftKey });
  };

  return meshes.map((figure) => (
    // biome-ignore lint/a11y/noStaticElementInteractions: an object of the 3D scene; joints are picked by key on the body map
    <primitive
      key={figure.mesh.uuid}
      object={figure.mesh}
      onClick={(event: ThreeEvent<MouseEvent>) => pick(event, figure)}
    />
  ));
}
