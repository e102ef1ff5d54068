import type { Prop } from '@evlay/core';
import { propsFrom, rigHeight } from '@evlay/core/rig';
import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useMemo, useState } from 'react';
import * as THREE from 'three';
import { mergeGeometries } from 'three/addons/utils/BufferGeometryUtils.js';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import { pickJoint } from '../../commands/view/view.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import { notify } from '../../ui/notify.js';
import { pressedHandles } from '../handles/attach-handles.js';
import { touched } from '../handles/touched.js';
import { disposeObject } from './dispose.js';
import { propModel } from './prop-model.js';
import { jointTints, layerColors } from './tint.js';
import { useLightDisplay } from './use-light.js';

/** The props of the scene as they are seen, each coloured by who drives it. Rig units; the parent scales them. */
export function Props() {
  const props = useSeen((project) => project.scene.props);
  const rig = useSeen((project) => project.rig);
  const first = propsFrom(rig);
  return props.map((prop, k) =>
    prop.hidden ? null : <PropSeen key={prop.name} prop={prop} joint={first + k} />,
  );
}

/** Warm wood, so that props stand apart from the figure. */
const WOOD = '#A9845A';
const PICKED = '#5A4310';
/** How much of its own colour a layer may cover. */
const STRONGEST = 0.45;

function geometryOf({ shape, camera, size: [x, y, z] }: Prop): THREE.BufferGeometry {
  if (camera) return cameraGeometry(x);
  if (shape === 'box') return new THREE.BoxGeometry(x, y, z);
  if (shape === 'ball') return new THREE.SphereGeometry(0.5, 32, 20).scale(x, y, z);
  return new THREE.CylinderGeometry(0.5, 0.5, 1, 36).scale(x, y, z);
}

/** A camera: its body, and in front of it, along -Z, the hood of its lens. */
function cameraGeometry(size: number): THREE.BufferGeometry {
  const body = new THREE.BoxGeometry(0.5 * size, 0.4 * size, 0.8 * size).translate(0, 0, 0.4 * size);
  const hood = new THREE.CylinderGeometry(0.15 * size, 0.34 * size, 0.35 * size, 4, 1, true)
    .rotateY(Math.PI / 4)
    .rotateX(Math.PI / 2)
    .translate(0, 0, -0.17 * size);
  const whole = mergeGeometries([body.toNonIndexed(), hood.toNonIndexed()]);
  return whole ?? body;
}

/** The meshes of a prop: of its file, or of its plain shape until that is read and where there is none. */
function useLooks(prop: Prop): THREE.Object3D {
  const { model, shape, size, camera } = prop;
  const [x, y, z] = size;
  const looking = camera !== undefined;
  const [read, setRead] = useState<THREE.Object3D>();
  useEffect(() => {
    setRead(undefined);
    if (!model) return;
    let current = true;
    propModel(model.bytes).then(
      (object) => current && setRead(object),
      () =>
        current &&
        notify({
          title: 'The prop cannot be shown',
          text: `${model.file} holds no mesh that can be read; a plain shape stands in its place.`,
          alarm: true,
        }),
    );
    return () => {
      current = false;
    };
  }, [model]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: shape and size say what is drawn of a prop
  const plain = useMemo(() => {
    const mesh = new THREE.Mesh(
      geometryOf(prop),
      new THREE.MeshStandardMaterial({ color: WOOD, roughness: 0.75 }),
    );
    mesh.castShadow = true;
    mesh.receiveShadow = true;
    return mesh;
  }, [shape, looking, x, y, z]);
  useEffect(() => () => disposeObject(plain), [plain]);
  useEffect(() => () => void (read && disposeObject(read)), [read]);
  return read ?? plain;
}

function PropSeen({ prop, joint }: { prop: Prop; joint: number }) {
  const editor = useEditor();
  const { stage, session } = editor;
  const looks = useLooks(prop);
  const light = useLightDisplay();
  const rig = useSeen((project) => project.rig);
  const named = useSeen(useShallow((project) => project.layers.map(({ color }) => color)));
  const gone = useSession(
    (state) =>
      state.hidden.includes(prop.name) ||
      (prop.camera !== undefined && (state.through === prop.name || state.previewing)),
  );
  const invalidate = useThree((state) => state.invalidate);
  const group = useMemo(() => {
    const object = new THREE.Group();
    object.matrixAutoUpdate = false;
    return object;
  }, []);
  useEffect(() => {
    group.add(looks);
    return () => {
      group.remove(looks);
    };
  }, [group, looks]);
  useEffect(() => {
    const colors = layerColors(named);
    const height = rigHeight(rig);
    const tints = new Float32Array(4 * rig.joints.length);
    const tint = new THREE.Color();
    const own = new Map<THREE.MeshStandardMaterial, THREE.Color>();
    looks.traverse((object) => {
      const { material } = object as THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>;
      if (!material?.color) return;
      material.userData.own ??= material.color.clone();
      own.set(material, material.userData.own);
    });
    const draw = () => {
      const shown = stage.get();
      if (shown.project.rig !== rig) return;
      group.matrix.fromArray(shown.matrices, 16 * joint);
      group.matrixWorldNeedsUpdate = true;
      const { drivenBy, picked } = session.getState();
      if (drivenBy === 'full') jointTints(shown, colors, height, tints);
      const cover = drivenBy === 'full' ? STRONGEST * Math.min(1, tints[4 * joint + 3]) : 0;
      tint.fromArray(tints, 4 * joint);
      for (const [material, color] of own) {
        material.color.copy(color).multiplyScalar(1 - cover);
        if (cover > 0)
          material.color.add(tint.clone().multiplyScalar(cover / Math.max(1e-6, tints[4 * joint + 3])));
        material.emissive?.set(picked.includes(joint) ? PICKED : '#000000');
      }
      invalidate();
    };
    draw();
    const stops = [stage.subscribe(draw), session.subscribe(draw)];
    return () => stops.forEach((stop) => void stop());
  }, [looks, group, joint, named, rig, stage, session, invalidate]);
  useEffect(() => {
    looks.traverse((object) => {
      object.castShadow = !light;
    });
    invalidate();
  }, [looks, light, invalidate]);
  const pick = (event: ThreeEvent<MouseEvent>) => {
    if (event.delta > 4 || pressedHandles() || session.getState().previewing) return;
    if (touched(editor, event)) return;
    event.stopPropagation();
    perform(editor, pickJoint, { joint, more: event.nativeEvent.shiftKey });
  };
  if (gone) return null;
  // biome-ignore lint/a11y/noStaticElementInteractions: an object of the 3D scene; props are picked by key in the panel Joint
  return <primitive object={group} onClick={pick} />;
}
