import { layerById, type Project } from '@evlay/core';
import { characterOf, topologyOf } from '@evlay/core/rig';
import { useThree } from '@react-three/fiber';
import { useCallback, useEffect, useMemo, useState } from 'react';
import * as THREE from 'three';
import { castOf, ownParts } from '../../editor/cast.js';
import {
  otherStage,
  projectBefore,
  projectBelow,
  projectOfLayer,
  projectOfOne,
} from '../../editor/compare.js';
import { useEditor, useProject, useSeen, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import type { Stage } from '../../editor/stage.js';
import { boneFigure } from '../scene/bone-figure.js';
import { disposeFigure } from '../scene/dispose.js';
import { anotherFigure, bonesOf, type FigureMesh, figureOf, poseFigure } from '../scene/figure.js';

/** Names of what is shown or hidden when the view is drawn more than once. */
export const NOW = 'now';
export const BEFORE = 'before';
export const TOOLS = 'tools';

/** How a figure beside the one that is seen looks: as that does, or shown through in a colour. */
interface Look {
  readonly color: string;
  /** 1 for a whole figure in its own colours. */
  readonly opacity: number;
}

const LOOKS = {
  whole: { color: '#FFFFFF', opacity: 1 },
  before: { color: '#CFE7EA', opacity: 0.34 },
  below: { color: '#7FB8D6', opacity: 0.34 },
  alone: { color: '#FFC857', opacity: 0.34 },
  earlier: { color: '#9DB5B2', opacity: 0.2 },
  later: { color: '#FFE3B3', opacity: 0.2 },
} as const satisfies Record<string, Look>;

const seenProject = ({ seen }: Editor): Project => seen.getState().project;
const before = (editor: Editor): Project => projectBefore(editor, editor.session.getState().compare.before);

/** The figures with which the one that is seen is compared: ghosts, and the whole one on the left of a divided view. */
export function Others({ scale }: { scale: number }) {
  const { before: withBefore, below, layer, picked, around } = useSession(({ compare }) => compare.ghosts);
  const split = useSession(({ compare }) => compare.split !== undefined);
  return (
    <group scale={scale}>
      <group name={BEFORE}>{split && <Other read={before} look={LOOKS.whole} />}</group>
      {withBefore && !split && <Other read={before} look={LOOKS.before} />}
      {below && <Other read={projectBelow} look={LOOKS.below} />}
      {layer && <Other read={projectOfLayer} look={LOOKS.alone} />}
      {picked && <PickedLayers />}
      {around > 0 && (
        <>
          <Other read={seenProject} look={LOOKS.earlier} beside={-around} />
          <Other read={seenProject} look={LOOKS.later} beside={around} />
        </>
      )}
    </group>
  );
}

/** Each of the picked layers, or the lit one, as a figure in its own colour: as it alone, over the rest pose, puts the character. */
function PickedLayers() {
  const lit = useSession((state) => state.lit);
  const layers = useSession((state) => state.layers);
  const ids = layers.length > 0 ? layers : [lit];
  return ids.map((id) => <OneLayer key={id} id={id} />);
}

function OneLayer({ id }: { id: string }) {
  const color = useProject((project) => layerById(project, id)?.color ?? LOOKS.before.color);
  const read = useCallback((editor: Editor) => projectOfOne(editor, id), [id]);
  const look = useMemo(() => ({ color, opacity: 0.45 }), [color]);
  return <Other read={read} look={look} />;
}

interface OtherProps {
  readonly read: (editor: Editor) => Project;
  readonly look: Look;
  readonly beside?: number;
}

/** All characters in the pose of another project, or of another frame. They are looked at, and not picked. */
function Other({ read, beside = 0, look }: OtherProps) {
  const editor = useEditor();
  const count = useSeen((project) => project.scene.characters.length);
  const [stage, setStage] = useState<Stage>();
  useEffect(() => {
    const own = otherStage(editor, () => read(editor), beside);
    setStage(own);
    return own.stop;
  }, [editor, read, beside]);
  if (!stage) return null;
  return Array.from({ length: count }, (_, k) => (
    <OtherFigure key={String(k)} character={k} stage={stage} look={look} />
  ));
}

interface OtherFigureProps {
  readonly character: number;
  readonly stage: Stage;
  readonly look: Look;
}

function OtherFigure({ character, stage, look }: OtherFigureProps) {
  const editor = useEditor();
  const rig = useSeen((project) => project.rig);
  const body = useSeen((project) => characterOf(project.rig, character));
  const all = useSeen((project) => project.parts);
  const { from, faceFrom } = topologyOf(rig).spans[character];
  const parts = useMemo(
    () =>
      ownParts(
        { parts: all, scene: editor.history.project().scene },
        castOf(editor.history.project(), character),
      ),
    [all, character, editor],
  );
  const figure = useSeen((project) => project.scene.characters[character].figure);
  const invalidate = useThree((state) => state.invalidate);
  const [skin, setSkin] = useState<readonly FigureMesh[]>([]);
  useEffect(() => {
    if (!figure) return;
    let current = true;
    // What cannot be read is told where the figure itself is shown.
    figureOf(figure.bytes).then(
      (meshes) => current && setSkin(meshes),
      () => undefined,
    );
    return () => {
      current = false;
    };
  }, [figure]);
  const { color, opacity } = look;
  const meshes = useMemo(() => {
    const own = figure ? skin : [boneFigure(body, parts, false)];
    const others = anotherFigure(own, (like) => {
      const material = like.clone();
      if (opacity < 1) {
        material.map = null;
        material.vertexColors = false;
        material.color = new THREE.Color(color);
        material.transparent = true;
        material.opacity = opacity;
        material.depthWrite = false;
        // Where it is where the character is, the character alone is seen: about a millimetre at the usual distance.
        material.polygonOffset = true;
        material.polygonOffsetFactor = 2;
        material.polygonOffsetUnits = 60;
      } else {
        material.transparent = false;
        material.opacity = 1;
      }
      return material;
    });
    for (const { mesh } of others) {
      mesh.castShadow = opacity === 1;
      mesh.raycast = () => undefined;
    }
    return others;
  }, [skin, body, parts, figure, color, opacity]);
  useEffect(() => () => meshes.forEach(disposeFigure), [meshes]);

  useEffect(() => {
    const bones = bonesOf(meshes);
    const draw = () => {
      const shown = stage.get();
      if (shown.project.rig !== rig) return;
      poseFigure(meshes, bones, shown.matrices.subarray(16 * from), shown.pose.faces.subarray(faceFrom));
      invalidate();
    };
    draw();
    const stop = stage.subscribe(draw);
    return () => {
      stop();
      invalidate();
    };
  }, [stage, from, faceFrom, meshes, rig, invalidate]);

  return meshes.map(({ mesh }) => <primitive key={mesh.uuid} object={mesh} />);
}
