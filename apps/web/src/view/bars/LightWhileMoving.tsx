import { useFrame, useThree } from '@react-three/fiber';
import { useEffect, useMemo, useRef } from 'react';
import * as THREE from 'three';
import { FullScreenQuad } from 'three/addons/postprocessing/Pass.js';
import { useEditor } from '../../editor/context.js';

/** Milliseconds without a new frame after which the picture is sharp again. */
const STILL = 200;

/** Spreads a picture over the whole view, as light that is brought to the screen like everything that is drawn. */
const spread = (map: THREE.Texture) =>
  new THREE.ShaderMaterial({
    uniforms: { map: { value: map } },
    vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
    fragmentShader: `
      uniform sampler2D map;
      varying vec2 at;
      void main() {
        gl_FragColor = texture2D(map, at);
        #include <tonemapping_fragment>
        #include <colorspace_fragment>
      }`,
    depthTest: false,
    depthWrite: false,
  });

/**
 * Draws at half the resolution while what is seen moves: into a smaller picture that is spread over the view. The
 * canvas keeps its size, since making room for another one takes longer than a frame.
 */
export function LightWhileMoving() {
  const { stage } = useEditor();
  const invalidate = useThree((state) => state.invalidate);
  const moving = useRef(false);
  const half = useMemo(() => {
    const target = new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType });
    return { target, quad: new FullScreenQuad(spread(target.texture)) };
  }, []);

  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const stop = stage.subscribe(() => {
      moving.current = true;
      clearTimeout(timer);
      timer = setTimeout(() => {
        moving.current = false;
        invalidate();
      }, STILL);
    });
    return () => {
      clearTimeout(timer);
      stop();
    };
  }, [stage, invalidate]);

  useEffect(
    () => () => {
      half.target.dispose();
      half.quad.dispose();
    },
    [half],
  );

  // With a priority above 0 it is this that draws.
  useFrame(({ gl, scene, camera, size }) => {
    if (!moving.current) {
      gl.render(scene, camera);
      return;
    }
    half.target.setSize(Math.ceil(size.width / 2), Math.ceil(size.height / 2));
    gl.setRenderTarget(half.target);
    gl.render(scene, camera);
    gl.setRenderTarget(null);
    half.quad.render(gl);
  }, 1);

  return null;
}
