import type { NoteView, Stroke, StrokePoint } from '@evlay/core';
import { jointIndex } from '@evlay/core/rig';
import { drawStrokes } from '@evlay/player/strokes';
import { type PointerEvent, type RefObject, useEffect, useRef } from 'react';
import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Stage } from './stage.js';

/** How what is seen is divided: one variant, two side by side, or one picture with a line between them. */
export type Divided = 'one' | 'beside' | 'line';

/** What the picture shows. It is read at every frame, so that playing renders nothing of the page. */
export interface Look {
  frame: number;
  divided: Divided;
  /** Where the line is, from 0 to 1. */
  line: number;
  /** Frames before and after that are seen through; 0 shows none. */
  onion: number;
  /** The camera of the scene that is looked through, by its name. */
  camera: string | undefined;
  /** What is drawn over it. */
  strokes: readonly Stroke[];
}

export interface Pictured {
  /** Draws the picture anew with the next frame of the screen. */
  readonly draw: () => void;
  readonly view: () => NoteView;
  readonly lookFrom: (view: NoteView) => void;
}

const FOV = 32;

interface PictureProps {
  readonly stage: Stage;
  readonly look: Look;
  readonly pictured: RefObject<Pictured | null>;
  /** A stroke that is drawn, while drawing is on. */
  readonly drawing: { readonly color: string; readonly onStroke: (stroke: Stroke) => void } | undefined;
}

/** How wide a stroke is where it is pressed in full, in heights of the picture. */
const WIDE = 0.012;

/** The 3D picture with what is drawn on it. */
export function Picture({ stage, look, pictured, drawing }: PictureProps) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const paper = useRef<HTMLCanvasElement>(null);
  const points = useRef<StrokePoint[] | undefined>(undefined);

  useEffect(() => {
    const element = canvas.current!;
    const renderer = new THREE.WebGLRenderer({ canvas: element, antialias: true });
    renderer.shadowMap.enabled = true;
    const camera = new THREE.PerspectiveCamera(FOV, 1, 0.05, 80);
    const controls = new OrbitControls(camera, element);
    controls.maxPolarAngle = 1.7;
    const { main, second, ghosts, scale, scene } = stage;
    const root = main.player.at(look.frame).matrices;
    controls.target.set(root[12] * scale, 0.85, root[14] * scale);
    camera.position.set(root[12] * scale + 2.6, 1.4, root[14] * scale + 4);
    controls.update();
    let [width, height] = [1, 1];
    let asked = 0;
    const looked = () => {
      const joint = look.camera === undefined ? -1 : jointIndex(main.player.project.rig, look.camera);
      controls.enabled = joint < 0;
      if (joint < 0) {
        camera.fov = FOV;
        return;
      }
      new THREE.Matrix4()
        .fromArray(main.player.at(look.frame).matrices, 16 * joint)
        .decompose(camera.position, camera.quaternion, new THREE.Vector3());
      camera.position.multiplyScalar(scale);
      camera.fov =
        main.player.project.scene.props.find(({ name }) => name === look.camera)?.camera?.fov ?? FOV;
    };
    const pane = (x: number, wide: number, aspect: number, shown: typeof main | typeof second) => {
      main.top.visible = shown === main;
      second.top.visible = shown === second;
      camera.aspect = aspect;
      camera.updateProjectionMatrix();
      renderer.setScissor(x, 0, wide, height);
      renderer.render(scene, camera);
    };
    const draw = () => {
      asked = 0;
      looked();
      for (const [k, ghost] of ghosts.entries()) {
        ghost.top.visible = look.onion > 0;
        if (look.onion > 0) ghost.show(ghost.player.at(look.frame + (k === 0 ? -look.onion : look.onion)));
      }
      main.show(main.player.at(look.frame));
      if (look.divided !== 'one') second.show(second.player.at(look.frame));
      renderer.setScissorTest(true);
      if (look.divided === 'beside') {
        const half = Math.round(width / 2);
        renderer.setViewport(0, 0, half, height);
        pane(0, half, half / height, main);
        renderer.setViewport(half, 0, width - half, height);
        pane(half, width - half, (width - half) / height, second);
      } else {
        const at = look.divided === 'line' ? Math.round(width * look.line) : width;
        renderer.setViewport(0, 0, width, height);
        pane(0, at, width / height, main);
        if (at < width) pane(at, width - at, width / height, second);
      }
      const context = paper.current!.getContext('2d')!;
      context.clearRect(0, 0, paper.current!.width, paper.current!.height);
      const drawn = points.current;
      const now = drawn && drawing ? [{ points: drawn, color: drawing.color, width: WIDE }] : [];
      // Strokes are of the first picture where two are side by side.
      const wide = paper.current!.width * (look.divided === 'beside' ? 0.5 : 1);
      drawStrokes(context, wide, paper.current!.height, [...look.strokes, ...now]);
    };
    const ask = () => {
      asked ||= requestAnimationFrame(draw);
    };
    controls.addEventListener('change', ask);
    const resized = new ResizeObserver(([{ contentRect }]) => {
      width = Math.max(1, Math.round(contentRect.width));
      height = Math.max(1, Math.round(contentRect.height));
      renderer.setPixelRatio(Math.min(2, devicePixelRatio));
      renderer.setSize(width, height, false);
      paper.current!.width = width * Math.min(2, devicePixelRatio);
      paper.current!.height = height * Math.min(2, devicePixelRatio);
      ask();
    });
    resized.observe(box.current!);
    pictured.current = {
      draw: ask,
      view: () => ({
        from: camera.position.clone().divideScalar(scale).toArray(),
        at: controls.target.clone().divideScalar(scale).toArray(),
        fov: camera.fov,
      }),
      lookFrom: ({ from, at }) => {
        if (look.camera !== undefined) return;
        camera.position.set(...from).multiplyScalar(scale);
        controls.target.set(...at).multiplyScalar(scale);
        controls.update();
        ask();
      },
    };
    ask();
    return () => {
      cancelAnimationFrame(asked);
      resized.disconnect();
      controls.dispose();
      renderer.dispose();
      pictured.current = null;
    };
  }, [stage, look, pictured, drawing]);

  const pointOf = (event: PointerEvent): StrokePoint => {
    const box = event.currentTarget.getBoundingClientRect();
    const { left, top, height } = box;
    const width = box.width * (look.divided === 'beside' ? 0.5 : 1);
    const pressure = event.pointerType === 'pen' ? event.pressure : 0.5;
    return [
      (event.clientX - left - width / 2) / height,
      (event.clientY - top - height / 2) / height,
      pressure,
    ];
  };
  const end = () => {
    const drawn = points.current;
    points.current = undefined;
    if (drawn && drawn.length > 0 && drawing)
      drawing.onStroke({ points: drawn, color: drawing.color, width: WIDE });
  };
  return (
    <div ref={box} className="picture">
      <canvas ref={canvas} aria-label="The character at this frame" role="img" />
      <canvas
        ref={paper}
        className={drawing ? 'paper on' : 'paper'}
        aria-hidden
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          points.current = [pointOf(event)];
          pictured.current?.draw();
        }}
        onPointerMove={(event) => {
          if (!points.current) return;
          points.current.push(pointOf(event));
          pictured.current?.draw();
        }}
        onPointerUp={end}
        onPointerCancel={end}
      />
    </div>
  );
}
