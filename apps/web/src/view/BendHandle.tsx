import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useRef } from 'react';
import * as THREE from 'three';
import { refusalOf, tellRefusal } from '../commands/command.js';
import { type Posing, tryPose } from '../commands/pose.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { limbWith } from '../editor/limbs.js';
import { followPointer } from '../gestures/pointer.js';
import { beginPosing } from '../gestures/posing.js';
import { pressHandles } from './attach-handles.js';
import { beginBend } from './move-joint.js';

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
    pressHandles();
    const orbit = get().controls as { enabled: boolean } | null;
    if (orbit) orbit.enabled = false;
    const { camera, size } = get();
    const bend = beginBend(editor, limb);
    // The pointer is taken to be in the plane through the ball that faces the camera.
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(
      camera.getWorldDirection(new THREE.Vector3()),
      ball.current!.position,
    );
    const canvas = get().gl.domElement.getBoundingClientRect();
    const ray = new THREE.Raycaster();
    const hit = new THREE.Vector3();
    let gesture: ReturnType<typeof beginPosing>;
    let refused = false;
    const end = (kept: boolean) => {
      if (kept) gesture?.commit();
      else gesture?.cancel();
      if (orbit) orbit.enabled = true;
    };
    const stop = followPointer(event.nativeEvent, {
      move(_dx, _dy, { clientX, clientY }) {
        const at = new THREE.Vector2(
          (2 * (clientX - canvas.left)) / size.width - 1,
          1 - (2 * (clientY - canvas.top)) / size.height,
        );
        ray.setFromCamera(at, camera);
        if (!ray.ray.intersectPlane(plane, hit)) return;
        const posing: Posing = bend(hit.clone().divideScalar(scale).toArray());
        if (!gesture && !refused) {
          const why = refusalOf(editor, tryPose, posing);
          if (why) tellRefusal(tryPose.name, why);
          refused = why !== undefined;
          gesture = refused ? undefined : beginPosing(editor, (kept) => stop(kept));
        }
        gesture?.to(posing);
      },
      end,
    });
    // A press that does not move gives the camera back too.
    const released = () => {
      if (orbit) orbit.enabled = true;
    };
    window.addEventListener('pointerup', released, { once: true });
  };

  return (
    <mesh ref={ball} userData={{ handles: true }} renderOrder={10} onPointerDown={grab}>
      <sphereGeometry args={[RADIUS, 20, 14]} />
      <meshBasicMaterial color="#FFC857" depthTest={false} transparent opacity={0.9} />
    </mesh>
  );
}
