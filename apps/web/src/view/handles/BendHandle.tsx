import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useRef } from 'react';
import type * as THREE from 'three';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { limbWith } from '../../editor/limbs.js';
import { beginBend } from './move-joint.js';
import { poseInPlane } from './pose-in-plane.js';

/** Radius of the handle, in view units: about 2 cm on a person. */
const RADIUS = 0.022;

/** A ball on the knee or elbow of the limb that is picked: dragged, it turns the limb round the line to its end. */
export function BendHandle({ scale }: { scale: number }) {
  const editor = useEditor();
  const joint = useSession((state) => state.picked.at(-1));
  const handle = useSession((state) => state.handle);
  const playing = useSession((state) => state.playing);
  const limb = useProject((project) => (joint === undefined ? undefined : limbWith(project, joint)));
  const ball = useRef<THREE.Mesh>(null);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);
  const shown = limb !== undefined && limb.name !== 'trunk' && handle === 'move' && !playing;

  useEffect(() => {
    if (!shown) return;
    const put = () => {
      const { matrices } = editor.stage.get();
      ball.current?.position.fromArray(matrices, 16 * limb.chain[1] + 12).multiplyScalar(scale);
      invalidate();
    };
    put();
    return editor.stage.subscribe(put);
  }, [editor, limb, shown, scale, invalidate]);

  if (!shown) return null;

  const grab = (event: ThreeEvent<PointerEvent>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const bend = beginBend(editor, limb);
    poseInPlane(editor, get, event.nativeEvent, ball.current!.position, (place) =>
      bend(place.divideScalar(scale).toArray()),
    );
  };

  return (
    <mesh ref={ball} userData={{ handles: true }} renderOrder={10} onPointerDown={grab}>
      <sphereGeometry args={[RADIUS, 20, 14]} />
      <meshBasicMaterial color="#FFC857" depthTest={false} transparent opacity={0.9} />
    </mesh>
  );
}
