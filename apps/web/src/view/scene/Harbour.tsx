import { useThree } from '@react-three/fiber';
import { useEffect, useState } from 'react';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { notify } from '../../ui/notify.js';
import { disposeObject } from './dispose.js';

/** The harbour, read once: nothing of it is ever changed. */
let read: Promise<THREE.Group> | undefined;

function harbour(): Promise<THREE.Group> {
  read ??= new GLTFLoader().loadAsync('/demo/harbour.glb').then(({ scene }) => {
    scene.traverse((object) => {
      if (!(object instanceof THREE.Mesh)) return;
      object.material = materialOf(object.material as THREE.Material);
      object.receiveShadow = object.material.name === 'stone';
    });
    return scene;
  });
  return read;
}

/** Simpler materials than those of the character: most of the picture is quay and water. */
function materialOf({ name, userData }: THREE.Material): THREE.Material {
  const look = { name, vertexColors: true };
  if (userData.shines) return new THREE.MeshBasicMaterial({ ...look, fog: false });
  if (name === 'water') return new THREE.MeshPhongMaterial({ ...look, shininess: 70, specular: '#6f9fae' });
  return new THREE.MeshLambertMaterial(look);
}

interface HarbourProps {
  /** View units a metre. */
  readonly scale: number;
  /** What is shown until it has been read, and where it cannot be. */
  readonly children: React.ReactNode;
}

/** The quay on which the demos play, in true size. */
export function Harbour({ scale, children }: HarbourProps) {
  const [scene, setScene] = useState<THREE.Group>();
  const invalidate = useThree((state) => state.invalidate);
  useEffect(() => {
    let left = false;
    harbour().then(
      (loaded) => {
        if (left) return;
        setScene(loaded.clone(true));
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
  // Its shapes are shared by all pictures: each gives back what its own card holds of them.
  useEffect(() => () => void (scene && disposeObject(scene)), [scene]);
  if (!scene) return children;
  return <primitive object={scene} scale={scale} />;
}
