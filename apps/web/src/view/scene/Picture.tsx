import { useThree } from '@react-three/fiber';
import { useEffect } from 'react';
import { useEditor } from '../../editor/context.js';
import { setPictureTaker } from '../../jobs/picture.js';

const WIDTH = 512;
const HEIGHT = 288;

/** Takes the small picture that Projects shows. */
export function Picture() {
  const { session } = useEditor();
  const gl = useThree((state) => state.gl);
  const scene = useThree((state) => state.scene);
  const camera = useThree((state) => state.camera);
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
      if (!scene.userData.framed || !scene.userData.posed) return undefined;
      // Several views are drawn one after the other: one of them would stand in place of all. The picture of before stays.
      const { split, shot } = session.getState().compare;
      if (split !== undefined || shot !== undefined) return undefined;
      // The character is shown as it is, without the handles. What was drawn can be read until the browser shows it, and
      // drawn again before that nobody sees it.
      const handles = scene.children.filter((object) => object.userData.handles && object.visible);
      for (const object of handles) object.visible = false;
      gl.render(scene, camera);
      copy();
      for (const object of handles) object.visible = true;
      if (handles.length > 0) gl.render(scene, camera);
      return encoded();
    });
    return () => setPictureTaker(undefined);
  }, [gl, scene, camera, session]);
  return null;
}
