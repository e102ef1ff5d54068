import { useThree } from '@react-three/fiber';
import { useEffect, useMemo, useRef, useState } from 'react';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { useEditor } from '../../editor/context.js';
import { notify } from '../../ui/notify.js';
import { disposeObject } from './dispose.js';
import { irradiance, type Lights, SHADOW } from './lights.js';

/** The harbour, read once: nothing of it is ever changed. */
let read: Promise<THREE.Group> | undefined;

function harbour(): Promise<THREE.Group> {
  read ??= new GLTFLoader().loadAsync('/demo/harbour.glb').then(({ scene }) => scene);
  return read;
}

/**
 * The harbour with the scene's light in the colours of its vertices: nothing of it moves, and most of the picture is quay and
 * water, of which no light is asked any more then. The water alone still shines back.
 */
function litBy(lights: Lights, scene: THREE.Group): THREE.Group {
  const lit = scene.clone(true);
  lit.traverse((object) => {
    if (!(object instanceof THREE.Mesh)) return;
    const { name, userData } = object.material as THREE.Material;
    if (name === 'water') {
      object.material = new THREE.MeshPhongMaterial({
        vertexColors: true,
        shininess: 70,
        specular: '#6f9fae',
      });
      return;
    }
    object.material = new THREE.MeshBasicMaterial({ vertexColors: true, fog: !userData.shines });
    if (!userData.shines) object.geometry = withLight(lights, object.geometry);
  });
  return lit;
}

/** A shape whose colours are what a matt surface gives back: colour times irradiance over π (Lambert). */
function withLight(lights: Lights, geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const { normal, color } = geometry.attributes;
  const lit = new Float32Array(3 * color.count);
  const [facing, own] = [new THREE.Vector3(), new THREE.Color()];
  for (let v = 0; v < color.count; v++) {
    const { all } = irradiance(lights, facing.fromBufferAttribute(normal, v));
    own
      .fromBufferAttribute(color, v)
      .multiply(all)
      .multiplyScalar(1 / Math.PI)
      .toArray(lit, 3 * v);
  }
  const out = new THREE.BufferGeometry();
  for (const [name, attribute] of Object.entries(geometry.attributes)) out.setAttribute(name, attribute);
  out.setIndex(geometry.index);
  return out.setAttribute('color', new THREE.BufferAttribute(lit, 3));
}

interface HarbourProps {
  readonly lights: Lights;
  /** View units a rig unit. */
  readonly scale: number;
  readonly metresPerUnit: number;
  /** Where the middle of the floor is in the view. */
  readonly middle: readonly [number, number, number];
  /** What is shown until it has been read, and where it cannot be. */
  readonly children: React.ReactNode;
}

/** The quay on which the demos play, in true size. */
export function Harbour({ lights, scale, metresPerUnit, middle, children }: HarbourProps) {
  const [plain, setPlain] = useState<THREE.Group>();
  const invalidate = useThree((state) => state.invalidate);
  useEffect(() => {
    let left = false;
    harbour().then(
      (loaded) => {
        if (left) return;
        setPlain(loaded);
        invalidate();
      },
      () => {
        read = undefined;
        notify({ title: 'The harbour cannot be shown', text: 'Its file could not be read; the floor is.' });
      },
    );
    return () => {
      left = true;
    };
  }, [invalidate]);
  const scene = useMemo(() => plain && litBy(lights, plain), [plain, lights]);
  // Its shapes are shared by all pictures: each gives back what its own card holds of them.
  useEffect(() => () => void (scene && disposeObject(scene)), [scene]);
  if (!scene) return children;
  const metre = scale / metresPerUnit;
  return (
    <>
      <primitive object={scene} scale={metre} />
      <QuayShadow lights={lights} scale={scale} middle={middle} edge={EDGE * metre} />
    </>
  );
}

/** Where the quay ends beside the water, in metres. */
const EDGE = -1.8;
/** How far a body reaches around its root, and how high its head is with a hat, in view units. */
const REACH = 0.8;
const HIGH = 2;

interface QuayShadowProps extends Pick<HarbourProps, 'lights' | 'scale' | 'middle'> {
  readonly edge: number;
}

/** The shadow of the character on the quay: a ground around it that shows nothing but shadows, and ends where the quay does. */
function QuayShadow({ lights, scale, middle, edge }: QuayShadowProps) {
  const { stage } = useEditor();
  const ground = useRef<THREE.Mesh>(null);
  const dark = useMemo(() => {
    const { key, all } = irradiance(lights, new THREE.Vector3(0, 1, 0));
    return (SHADOW * (key.r + key.g + key.b)) / (all.r + all.g + all.b);
  }, [lights]);
  /** How far the shadow of the highest point falls. */
  const reach = useMemo(() => {
    const way = lights.key.at.clone().sub(lights.key.from);
    return way.multiplyScalar(-HIGH / way.y);
  }, [lights]);
  useEffect(() => {
    const follow = () => {
      const { matrices } = stage.get();
      const [x, z] = [matrices[12] * scale - middle[0], matrices[14] * scale - middle[2]];
      const [near, far] = [
        Math.max(edge, x - REACH + Math.min(0, reach.x)),
        x + REACH + Math.max(0, reach.x),
      ];
      const [back, ahead] = [z - REACH + Math.min(0, reach.z), z + REACH + Math.max(0, reach.z)];
      if (!ground.current) return;
      ground.current.visible = far > near;
      ground.current.position.set((near + far) / 2, 0.001, (back + ahead) / 2);
      ground.current.scale.set(Math.max(far - near, 1e-3), ahead - back, 1);
    };
    follow();
    return stage.subscribe(follow);
  }, [stage, scale, middle, edge, reach]);
  return (
    <mesh ref={ground} rotation-x={-Math.PI / 2} receiveShadow>
      <planeGeometry />
      <shadowMaterial opacity={dark} polygonOffset polygonOffsetFactor={-1} polygonOffsetUnits={-8} />
    </mesh>
  );
}
