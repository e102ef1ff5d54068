import { type SceneFile, sceneGlb } from '../format/scene-glb.js';
import type { Project } from '../layer/project.js';
import { AT_ORIGIN } from '../layer/scene.js';

/**
 * Makes one GLB of the GLB files to which all characters of a scene were baked, in their order, `named` as they are called:
 * each stands where its frame has it. Throws `FileError` where one of them cannot be put with others into one file.
 */
export function bakedScene(
  { name, scene, metresPerUnit }: Project,
  named: readonly string[],
  files: readonly Uint8Array[],
): ReturnType<typeof sceneGlb> {
  // A character that came as a GLB is written in the lengths of that, which are metres.
  const unit = (figure: unknown) => (figure ? 1 : metresPerUnit);
  const metres = unit(scene.characters[0].figure);
  return sceneGlb(
    name,
    files.map((bytes, k): SceneFile => {
      const { figure, stand = AT_ORIGIN } = scene.characters[k];
      if (k === 0) return { name: named[k], bytes };
      const at = stand.at.map((value) => value * metres) as unknown as typeof stand.at;
      return {
        name: named[k],
        bytes,
        stand: { ...stand, at, scale: (stand.scale * metres) / unit(figure) },
      };
    }),
  );
}
