import { layerById } from '@evlay/core';
import { allowsJoint } from '@evlay/core/edit';
import type { ImageSize } from '@evlay/core/format';
import { characterOf, rigHeight, topologyOf } from '@evlay/core/rig';
import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useLayoutEffect, useMemo, useState } from 'react';
import type { MeshStandardMaterial } from 'three';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import { limbJoints, pickJoints } from '../../commands/poses/picking.js';
import { pickJoint } from '../../commands/view/view.js';
import { openMenu } from '../../controls/context-menu.js';
import { castOf, ownParts } from '../../editor/cast.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import type { SessionState } from '../../editor/session.js';
import { notify } from '../../ui/notify.js';
import { sameItems } from '../../ui/same-items.js';
import { pressedHandles } from '../handles/attach-handles.js';
import { touched } from '../handles/touched.js';
import { boneFigure } from './bone-figure.js';
import { disposeFigure } from './dispose.js';
import { anotherFigure, bonesOf, type FigureMesh, figureOf, jointAt, poseFigure } from './figure.js';
import { jointMenu } from './joint-menu.js';
import { LARGEST } from './textures.js';
import { type JointMarks, jointTints, layerColors, writeTints } from './tint.js';
import { useLightDisplay } from './use-light.js';

/** Says that a texture is too large to be shown as it is. */
const tellReduced = ({ width, height }: ImageSize): void => {
  notify({
    title: 'A texture is shown smaller',
    text: `It has ${width} × ${height} pixels; ${LARGEST} along a side are shown. The file stays as it is.`,
  });
};

const NO_MESHES: readonly FigureMesh[] = [];

/** The characters as they are seen, coloured by who drives them. Rig units; the parent scales them. */
export function Figures() {
  const names = useSeen(useShallow((project) => project.scene.characters.map(({ name }) => name)));
  return names.map((name, k) => <Figure key={k === 0 ? '' : `${name}/`} character={k} />);
}

/** One character. Its meshes know its joints by their own indices. */
function Figure({ character }: { character: number }) {
  const editor = useEditor();
  const { stage, session } = editor;
  const rig = useSeen((project) => project.rig);
  // Where props rest, and others stand, is nothing to the figure.
  const body = useSeen((project) => characterOf(project.rig, character));
  const { from, to, faceFrom } = topologyOf(rig).spans[character];
  const all = useSeen((project) => project.parts);
  const parts = useMemo(
    () =>
      ownParts(
        { parts: all, scene: editor.history.project().scene },
        castOf(editor.history.project(), character),
      ),
    [all, character, editor],
  );
  // Other changes of the layers are seen on the stage; React has nothing to do with them.
  const named = useSeen(useShallow((project) => project.layers.map(({ color }) => color)));
  const figure = useSeen((project) => project.scene.characters[character].figure);
  const surface = useSession((state) => state.surface);
  const light = useLightDisplay();
  const [skin, setSkin] = useState<readonly FigureMesh[]>();
  const invalidate = useThree((state) => state.invalidate);
  const scene = useThree((state) => state.scene);

  useEffect(() => {
    setSkin(undefined);
    if (!figure) return;
    let current = true;
    figureOf(figure.bytes, tellReduced).then(
      // Two characters may look alike, and a film shows the same one: each has meshes of its own, which can stand in another pose.
      (meshes) => current && setSkin(anotherFigure(meshes, (like) => like.clone())),
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
  }, [figure]);

  const bones = useMemo(
    () => [boneFigure(body, parts, Boolean(figure), light)],
    [body, parts, figure, light],
  );
  useEffect(() => () => bones.forEach(disposeFigure), [bones]);
  useEffect(() => () => skin?.forEach(disposeFigure), [skin]);
  const own = figure ? (skin ?? NO_MESHES) : bones;
  const meshes = useMemo(
    () => (surface === 'bones' ? bones : surface === 'skin' || !figure ? own : [...own, ...bones]),
    [surface, own, bones, figure],
  );
  // The bones are seen through the skin where both are shown.
  useEffect(() => {
    const through = surface === 'both' && figure !== undefined;
    for (const { mesh } of own) {
      const material = mesh.material as MeshStandardMaterial;
      material.transparent = through;
      material.opacity = through ? 0.38 : 1;
      material.depthWrite = !through;
      material.needsUpdate = true;
    }
    invalidate();
  }, [own, surface, figure, invalidate]);
  const colors = useMemo(() => layerColors(named), [named]);
  const height = useMemo(() => rigHeight(body), [body]);

  // Before anything is drawn: bones that nobody has placed yet put every joint's surface at the origin.
  useLayoutEffect(() => {
    const tints = new Float32Array(4 * rig.joints.length);
    const moved = bonesOf(meshes);
    const draw = () => {
      const shown = stage.get();
      if (shown.project.rig !== rig) return;
      const { drivenBy, picked, hidden: hiddenParts, lit } = session.getState();
      if (drivenBy !== 'off') jointTints(shown, colors, height, tints);
      const layer = layerById(shown.project, lit);
      const own = rig.joints.slice(from, to);
      const marks: JointMarks = {
        picked: from === 0 ? picked : picked.map((joint) => joint - from),
        edges: drivenBy === 'edges',
        hidden: hiddenParts.length > 0 ? all.slice(from, to).map((part) => hiddenParts.includes(part)) : [],
        outside: layer?.allows ? own.map(({ name }) => !allowsJoint(layer, name)) : [],
      };
      const matrices = shown.matrices.subarray(16 * from);
      const faces = shown.pose.faces.subarray(faceFrom);
      poseFigure(meshes, moved, matrices, faces);
      const seen = drivenBy === 'off' ? undefined : tints.subarray(4 * from);
      for (const { tint, jointOf } of moved) writeTints(tint, jointOf, seen, marks);
      invalidate();
    };
    draw();
    // A picture of the project is taken once its character is there.
    if (character === 0) scene.userData.posed = meshes !== NO_MESHES;
    // A pose that is tried is heard from the stage: of the session only what is drawn otherwise.
    const drawn = ({ drivenBy, picked, hidden, lit }: SessionState) => [drivenBy, picked, hidden, lit];
    const stops = [
      stage.subscribe(draw),
      session.subscribe((now, before) => !sameItems(drawn(now), drawn(before)) && draw()),
    ];
    return () => {
      for (const stop of stops) stop();
    };
  }, [meshes, colors, height, rig, all, from, to, faceFrom, character, scene, invalidate, stage, session]);

  /** The joint that is clicked; undefined where none is that can be picked. */
  const clicked = (event: ThreeEvent<MouseEvent>, figure: FigureMesh): number | undefined => {
    // A take that is shown alone is looked at, not posed.
    if (event.delta > 4 || pressedHandles() || session.getState().previewing) return undefined;
    event.stopPropagation();
    const joint = jointAt(figure, event);
    return joint < 0 || session.getState().hidden.includes(all[from + joint]) ? undefined : from + joint;
  };
  const menu = (event: ThreeEvent<MouseEvent>, figure: FigureMesh) => {
    const joint = clicked(event, figure);
    if (joint === undefined) return;
    if (!session.getState().picked.includes(joint)) perform(editor, pickJoint, { joint, more: false });
    openMenu(event.nativeEvent, jointMenu());
  };
  const pick = (event: ThreeEvent<MouseEvent>, figure: FigureMesh, limb: boolean) => {
    if (touched(editor, event)) return;
    const joint = clicked(event, figure);
    if (joint === undefined) return;
    if (!limb) perform(editor, pickJoint, { joint, more: event.nativeEvent.shiftKey });
    else perform(editor, pickJoints, limbJoints(editor, joint));
  };

  return meshes.map((figure) => (
    // biome-ignore lint/a11y/noStaticElementInteractions: an object of the 3D scene; joints are picked by key on the body map
    <primitive
      key={figure.mesh.uuid}
      object={figure.mesh}
      onClick={(event: ThreeEvent<MouseEvent>) => pick(event, figure, false)}
      onContextMenu={(event: ThreeEvent<MouseEvent>) => menu(event, figure)}
      onDoubleClick={(event: ThreeEvent<MouseEvent>) => pick(event, figure, true)}
    />
  ));
}
