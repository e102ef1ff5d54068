import type { Rig } from '@evlay/core';
import { characterIn } from '@evlay/core';
import { meshBounds, readSkeleton } from '@evlay/core/format';
import { characterOf, rigHeight, rootOf } from '@evlay/core/rig';
import { type RefObject, useEffect, useMemo, useRef } from 'react';
import type * as THREE from 'three';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import { NOW, Others, TOOLS } from '../compare/Others.js';
import { usePlates } from '../compare/use-plates.js';
import { BendHandle } from '../handles/BendHandle.js';
import { Handles } from '../handles/Handles.js';
import { PathHandles } from '../handles/PathHandles.js';
import { PlaceHandles } from '../handles/PlaceHandles.js';
import { TargetMarks } from '../handles/TargetMarks.js';
import { Camera } from './Camera.js';
import { Figures } from './Figure.js';
import { FindingSpots } from './FindingSpots.js';
import { Floor, ShadowFloor } from './Floor.js';
import { Harbour } from './Harbour.js';
import { LIGHTS, type Lights, SHADOW } from './lights.js';
import { Picture } from './Picture.js';
import { Props } from './Props.js';
import { ThroughCamera } from './ThroughCamera.js';
import { Trails } from './Trails.js';
import { useLightDisplay } from './use-light.js';
import { useStand } from './use-stand.js';

/** Every character stands this tall in the view, so that light, floor and camera fit any unit. */
const SEEN_HEIGHT = 1.6;

interface SceneProps {
  readonly dark: boolean;
  /** Names the picked joint, and says by how much a target is missed. */
  readonly tag: RefObject<HTMLElement | null>;
  readonly gap: RefObject<HTMLElement | null>;
}

/** What the view shows: the character at a common size, props, floor, light and camera. */
export function Scene({ dark, tag, gap }: SceneProps) {
  const body = useSeen((project) => characterOf(project.rig));
  const figure = useSeen((project) => characterIn(project.scene).figure);
  const extent = useMemo(() => extentOf(body, figure?.bytes), [body, figure]);
  const scale = SEEN_HEIGHT / extent.size;
  const placing = useSession((state) => state.placing);
  const previewing = useSession((state) => state.previewing);
  useStand(figure?.bytes);
  const light = useLightDisplay();
  const metresPerUnit = useSeen((project) => project.metresPerUnit);
  const place = useSeen((project) => project.place);
  const wanted = useSession((state) => state.surroundings);
  const ground = useSeen((project) => project.ground);
  const middle = (ground ?? [0, 0, 0]).map((value) => value * scale) as [number, number, number];
  // A plate is seen in place of all that surrounds the characters; their shadows fall on it.
  const plate = usePlates().length > 0;
  const atHarbour = place === 'harbour' && wanted && !light && !plate;
  const floor = plate ? <ShadowFloor /> : <Floor dark={dark} />;
  const lights = LIGHTS[dark ? 'dark' : 'light'];
  const sky = dark ? '#16303A' : '#DCE6E1';
  return (
    <>
      {!plate && <color attach="background" args={[sky]} />}
      {!plate && <fog attach="fog" args={[sky, 6, 20]} />}
      <hemisphereLight args={[lights.sky, lights.ground, lights.around]} />
      <Sun lights={lights} scale={scale} floor={middle[1]} />
      <directionalLight
        position={lights.rim.from}
        intensity={lights.rim.intensity}
        color={lights.rim.color}
      />
      <group position={middle}>
        {atHarbour ? (
          <Harbour lights={lights} scale={scale} metresPerUnit={metresPerUnit} middle={middle}>
            {floor}
          </Harbour>
        ) : (
          floor
        )}
      </group>
      <group scale={scale} name={NOW}>
        <Figures />
        <Props />
      </group>
      {!previewing && <Others scale={scale} />}
      <group name={TOOLS}>
        {!previewing && (placing ? <PlaceHandles scale={scale} /> : <Handles scale={scale} tag={tag} />)}
        {!previewing && !placing && <BendHandle scale={scale} />}
        <Trails scale={scale} />
        {!previewing && <TargetMarks scale={scale} tag={gap} />}
        {!previewing && <PathHandles scale={scale} />}
        {!previewing && <FindingSpots scale={scale} />}
      </group>
      <Camera scale={scale} reach={extent.reach} figure={figure?.bytes} />
      <ThroughCamera scale={scale} />
      {!previewing && <Picture />}
    </>
  );
}

/** The key light; it walks with the character so that its shadow stays sharp. */
function Sun({ lights, scale, floor }: { lights: Lights; scale: number; floor: number }) {
  const { stage } = useEditor();
  const light = useLightDisplay();
  const sun = useRef<THREE.DirectionalLight>(null);
  const { from, at, color, intensity } = lights.key;
  useEffect(() => {
    const follow = () => {
      const shown = stage.get();
      if (!sun.current) return;
      const x = shown.matrices[12] * scale;
      const z = shown.matrices[14] * scale;
      sun.current.position.set(x, floor, z).add(from);
      sun.current.target.position.set(x, floor, z).add(at);
      sun.current.target.updateMatrixWorld();
    };
    follow();
    return stage.subscribe(follow);
  }, [stage, scale, floor, from, at]);
  return (
    <directionalLight
      ref={sun}
      castShadow={!light}
      intensity={intensity}
      color={color}
      shadow-mapSize={[1024, 1024]}
      shadow-intensity={SHADOW}
      shadow-bias={-0.0004}
      shadow-normalBias={0.01}
    >
      {/* The bias is a share of the depth seen from the light: the nearer the ends are, the nearer to a foot its shadow begins. */}
      <orthographicCamera attach="shadow-camera" args={[-2.2, 2.2, 2.2, -2.2, 0.5, 14]} />
    </directionalLight>
  );
}

/**
 * How large a character is seen to be, in rig units: its height, or the largest side of an object that has only one
 * joint, and how far that reaches around the joint.
 */
function extentOf(rig: Rig, bytes: Uint8Array | undefined): { size: number; reach: number } {
  const height = rigHeight(rig);
  const box = height === 0 && bytes ? meshBounds(readSkeleton(bytes)) : undefined;
  if (!box) return { size: height || SEEN_HEIGHT, reach: 0 };
  const side = Math.max(...box.high.map((value, axis) => value - box.low[axis])) || SEEN_HEIGHT;
  const far = Math.max(
    ...rig.joints[rootOf(rig)].translation.flatMap((at, axis) => [box.high[axis] - at, at - box.low[axis]]),
  );
  return { size: side, reach: far };
}
