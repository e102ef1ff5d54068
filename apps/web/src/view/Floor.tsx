import { useMemo } from 'react';
import * as THREE from 'three';

/** The quay: a floor that takes shadows, with a grid of half metres that fades into the distance. */
export function Floor({ dark }: { dark: boolean }) {
  const grid = useMemo(() => {
    const made = new THREE.GridHelper(60, 120, dark ? '#3C5F69' : '#9DB5B2', dark ? '#23414A' : '#BFCFCB');
    (made.material as THREE.Material).transparent = true;
    (made.material as THREE.Material).opacity = 0.55;
    return made;
  }, [dark]);
  return (
    <group>
      <mesh rotation-x={-Math.PI / 2} position-y={-0.002} receiveShadow>
        <planeGeometry args={[120, 120]} />
        <meshStandardMaterial color={dark ? '#1B3139' : '#CFDAD5'} roughness={1} />
      </mesh>
      <primitive object={grid} position-y={0.001} />
    </group>
  );
}
