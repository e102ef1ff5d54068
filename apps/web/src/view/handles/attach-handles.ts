import type { RootState } from '@react-three/fiber';
import * as THREE from 'three';
import { TransformControls } from 'three/addons/controls/TransformControls.js';

interface HandleWork {
  /** What the handles do; they turn and scale in the object's own axes. */
  readonly does: 'turn' | 'move' | 'scale';
  /** Whether they move along the object's own axes, and not along those of the scene. */
  readonly alongOwn?: boolean;
  /** The step in which they go, radians or units of the scene. */
  readonly snap?: number;
  readonly size?: number;
  readonly start: () => void;
  /** They were dragged; `shift` is whether that key is held. */
  readonly drag: (shift: boolean) => void;
  readonly end: () => void;
}

/** Handles that are attached to an object of the scene. */
export interface AttachedHandles {
  /** Lets go of the pointer in the middle of a drag: nothing more is heard of it. */
  readonly letGo: () => void;
  readonly detach: () => void;
}

/** Pixels from the middle of the handles within which a drag moves in the plane of the picture. */
const MIDDLE = 8;

/**
 * Handles whose middle always moves in the plane of the picture. Seen from straight ahead, the arrow towards the eye lies
 * over it, and a drag along that goes anywhere.
 */
class Controls extends TransformControls {
  override pointerHover(pointer: PointerEvent | null): void {
    super.pointerHover(pointer);
    if (!pointer || !this.object || this.dragging || this.axis === null || this.mode !== 'translate') return;
    const { clientWidth, clientHeight } = this.domElement as HTMLElement;
    const middle = this.object.getWorldPosition(new THREE.Vector3()).project(this.camera);
    // What is heard of the pointer are its coordinates in the picture, from -1 to 1.
    const off = Math.hypot(
      ((pointer.x - middle.x) * clientWidth) / 2,
      ((pointer.y - middle.y) * clientHeight) / 2,
    );
    if (off < MIDDLE) this.axis = 'XYZ';
  }
}

/** What three calls it. */
const MODES = { turn: 'rotate', move: 'translate', scale: 'scale' } as const;

/** Whether the last press of the pointer was on handles: the click that ends it picks nothing behind them. */
let pressed = false;
export const pressedHandles = (): boolean => pressed;

/** Says that what was pressed in the view is a handle. */
export function pressHandles(): void {
  pressed = true;
}

/**
 * Puts handles on an object of the scene. The camera holds still while they are dragged. Escape, and a window that is
 * left, end a drag like everywhere: whoever works the handles hears it from the gesture.
 */
export function attachHandles(
  object: THREE.Object3D,
  get: () => RootState,
  { does, alongOwn = false, size = 0.75, snap, start, drag, end }: HandleWork,
): AttachedHandles {
  const { camera, gl, scene, invalidate } = get();
  const controls = new Controls(camera, gl.domElement);
  controls.setMode(MODES[does]);
  controls.setSpace(does !== 'move' || alongOwn ? 'local' : 'world');
  if (does === 'turn') controls.setRotationSnap(snap ?? null);
  else if (does === 'move') controls.setTranslationSnap(snap ?? null);
  controls.setSize(size);
  controls.setColors('#F58A78', '#8BD17C', '#6FB4F0', '#FFC857');
  const helper = controls.getHelper();
  helper.userData.handles = true;
  scene.add(object, helper);
  controls.attach(object);
  // What is under the pointer is not asked while handles are dragged: it would cost a layout of the page a move.
  const keep = (event: Event) => event.stopPropagation();
  const hold = ({ value }: { value: unknown }) => {
    const orbit = get().controls as { enabled: boolean } | null;
    if (orbit) orbit.enabled = !value;
    if (value) gl.domElement.addEventListener('pointermove', keep);
    else gl.domElement.removeEventListener('pointermove', keep);
  };
  // Heard before the handles themselves hear of it.
  const forget = () => {
    pressed = false;
  };
  let shift = false;
  const noteShift = (event: PointerEvent) => {
    shift = event.shiftKey;
  };
  window.addEventListener('pointerdown', forget, true);
  window.addEventListener('pointermove', noteShift, true);
  controls.addEventListener('mouseDown', () => {
    pressHandles();
    start();
  });
  controls.addEventListener('objectChange', () => drag(shift));
  controls.addEventListener('mouseUp', end);
  controls.addEventListener('change', () => invalidate());
  controls.addEventListener('dragging-changed', hold);
  const letGo = () => {
    controls.dragging = false;
    controls.axis = null;
  };
  return {
    letGo,
    detach() {
      hold({ value: false });
      window.removeEventListener('pointerdown', forget, true);
      window.removeEventListener('pointermove', noteShift, true);
      controls.detach();
      controls.dispose();
      scene.remove(object, helper);
      invalidate();
    },
  };
}
