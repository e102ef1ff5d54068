import { addAfterEffect, useThree } from '@react-three/fiber';
import { useEffect } from 'react';
import { setPictureTaker } from '../jobs/picture.js';

const WIDTH = 512;
const HEIGHT = 288;

/** Takes the small picture that Projects shows, of a frame that has just been drawn. */
export function Picture() {
  const gl = useThree((state) => state.gl);
  const scene = useThree((state) => state.scene);
  const invalidate = useThree((state) => state.invalidate);
  useEffect(() => {
    const small = document.createElement('canvas');
    small.width = WIDTH;
    small.height = HEIGHT;
    const copy = () => {
      const { width, height } = gl.domElement;
      const crop = Math.min(width, (height * WIDTH) / HEIGHT);
      const rows = (crop * HEIGHT) / WIDTH;
      if (crop === 0) return;
      small
        .getContext('2d')
        ?.drawImage(gl.domElement, (width - crop) / 2, (height - rows) / 2, crop, rows, 0, 0, WIDTH, HEIGHT);
    };
    const encoded = () =>
      new Promise<string | undefined>((resolve) => {
        small.toBlob(
          (blob) => {
            const reader = new FileReader();
            reader.onload = () => resolve(reader.result as string);
            reader.onerror = () => resolve(undefined);
            if (blob) reader.readAsDataURL(blob);
            else resolve(undefined);
          },
          'image/jpeg',
          0.82,
        );
      });
    setPictureTaker(async () => {
      // What was drawn can be read until the browser shows it, so it is copied in the task that draws it.
      // The character is shown as it is, without the handles.
      const handles = scene.children.filter((object) => object.userData.handles && object.visible);
      await new Promise<void>((drawn) => {
        for (const object of handles) object.visible = false;
        const stop = addAfterEffect(() => {
          stop();
          copy();
          for (const object of handles) object.visible = true;
          drawn();
        });
        invalidate();
      });
      // Not before the frame has ended, in which asking for another one is not heard.
      if (handles.length > 0) invalidate();
      return encoded();
    });
    return () => setPictureTaker(undefined);
  }, [gl, scene, invalidate]);
  return null;
}
