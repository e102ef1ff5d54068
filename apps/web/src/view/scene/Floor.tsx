import { useMemo } from 'react';
import * as THREE from 'three';

/** The quay: a floor that takes shadows, with lines every half metre that fade into the distance. */
export function Floor({ dark }: { dark: boolean }) {
  const material = useMemo(() => floorMaterial(dark), [dark]);
  return (
    <mesh rotation-x={-Math.PI / 2} receiveShadow material={material}>
      <planeGeometry args={[160, 160]} />
    </mesh>
  );
}

/** A floor of which only the shadows on it are seen. */
export function ShadowFloor() {
  return (
    <mesh rotation-x={-Math.PI / 2} receiveShadow>
      <planeGeometry args={[160, 160]} />
      <shadowMaterial opacity={0.4} />
    </mesh>
  );
}

/** Draws the lines in the floor's own surface: they stay one pixel thin and never flicker against it. */
function floorMaterial(dark: boolean): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({ color: dark ? '#203B44' : '#CFDAD5', roughness: 1 });
  const line = new THREE.Color(dark ? '#6F9CA6' : '#8FA9A6');
  material.onBeforeCompile = (shader) => {
    shader.uniforms.lineColor = { value: line };
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 vPlace;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nvPlace = position.xy;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec2 vPlace;\nuniform vec3 lineColor;')
      .replace(
        '#include <color_fragment>',
        `#include <color_fragment>
        vec2 cell = vPlace * 2.0;
        vec2 width = fwidth(cell);
        vec2 near = abs(fract(cell - 0.5) - 0.5) / width;
        float on = 1.0 - min(min(near.x, near.y), 1.0);
        float fade = 1.0 - smoothstep(0.15, 0.6, max(width.x, width.y));
        diffuseColor.rgb = mix(diffuseColor.rgb, lineColor, on * fade * 0.3);`,
      );
  };
  return material;
}
