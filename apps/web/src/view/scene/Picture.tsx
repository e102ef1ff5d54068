import { useThree } from '@react-three/fiber';
import { useEffect } from 'react';
import { useEditor } from '../../editor/context.js';
import { setPictureTaker } from '../../jobs/picture.js';
import { readPicture } from './read-picture.js';

const WIDTH = 512;
const HEIGHT = 288;

/** The middle of a picture, small, as a data URL. */
async function asSmall(picture: ImageData): Promise<string | undefined> {
  const { width, height } = picture;
  const crop = Math.min(width, (height * WIDTH) / HEIGHT);
  const rows = (crop * HEIGHT) / WIDTH;
  if (!(crop > 0)) return undefined;
  const whole = await createImageBitmap(picture, (width - crop) / 2, (height - rows) / 2, crop, rows, {
    resizeWidth: WIDTH,
    resizeHeight: HEIGHT,
    resizeQuality: 'medium',
  });
  const small = new OffscreenCanvas(WIDTH, HEIGHT);
  // Kept where the processor draws: nothing waits for the graphics card.
  small.getContext('2d', { willReadFrequently: true })?.drawImage(whole, 0, 0);
  whole.close();
  const jpeg = await small.convertToBlob({ type: 'image/jpeg', quality: 0.82 });
  return new Promise((resolve) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.onerror = () => resolve(undefined);
    reader.readAsDataURL(jpeg);
  });
}

/** Takes the small picture that Projects shows. */
export function Picture() {
  const { session } = useEditor();
  const gl = useThree((state) => state.gl);
  const scene = useThree((state) => state.scene);
  const camera = useThree((state) => state.camera);
  useEffect(() => {
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
      const read = readPicture(gl.getContext() as WebGL2RenderingContext);
      for (const object of handles) object.visible = true;
      if (handles.length > 0) gl.render(scene, camera);
      const picture = await read;
      return picture && asSmall(picture);
    });
    return () => setPictureTaker(undefined);
  }, [gl, scene, camera, session]);
  return null;
}
