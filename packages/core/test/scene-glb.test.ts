import { Document, NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, KHRMaterialsClearcoat } from '@gltf-transform/extensions';
import { validateBytes } from 'gltf-validator';
import { AnimationMixer, type Object3D, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { quayRun } from '../../demo/src/brindle/quay-run.js';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { bakeBlock, bakedScene, planBake, samplesOfCharacter } from '../src/bake/index.js';
import { addCharacter, hangAsRope, standCharacter } from '../src/edit/index.js';
import {
  joinGlb,
  readCharacter,
  readSkeleton,
  ropeFile,
  splitGlb,
  writeGlb,
  writeOnCharacter,
} from '../src/format/index.js';
import { compileStack, evaluateStack, type Project, restPose } from '../src/index.js';
import { characterOf, jointIndex, placePose, rigHeight, rigOfCharacter } from '../src/rig/index.js';

/** Every character of a scene, baked to a GLB by itself. */
function bakedAll(project: Project): Uint8Array[] {
  const samples = bakeBlock(compileStack(project), planBake(project, {}), 0, planBake(project, {}).count);
  return project.scene.characters.map(({ figure }, k) => {
    const rig = rigOfCharacter(project.rig, k);
    const own = samplesOfCharacter(project.rig, k, samples);
    return figure
      ? writeOnCharacter(figure.bytes, rig, own, project.name)
      : writeGlb(rig, own, { name: project.name, metresPerUnit: project.metresPerUnit });
  });
}

/** A file with an extension that nobody knows: on a node, and as what an animation moves. */
function withStranger(file: Uint8Array, required = false): Uint8Array {
  const { json, bin, others } = splitGlb(file);
  const gltf = JSON.parse(json);
  const stranger = { VND_stranger: { node: 1 } };
  gltf.extensionsUsed = [...(gltf.extensionsUsed ?? []), 'VND_stranger'];
  if (required) gltf.extensionsRequired = ['VND_stranger'];
  gltf.nodes[0].extensions = stranger;
  gltf.animations.at(-1).channels.push({ sampler: 0, target: { path: 'pointer', extensions: stranger } });
  return joinGlb({ json: JSON.stringify(gltf), bin, others });
}

const named = (top: Object3D, name: string): Object3D => {
  let found: Object3D | undefined;
  top.traverse((one) => {
    if (!found && (one.userData.name ?? one.name) === name) found = one;
  });
  return found!;
};

describe('one GLB of all characters', () => {
  it('shows each where the scene has it, as three reads and plays it', async () => {
    const wick = await lampLighting(new Uint8Array());
    const bare = { ...wick, scene: { ...wick.scene, characters: [{ name: 'Wick', rig: WICK }] } };
    const run = quayRun(new Uint8Array());
    const dog = addCharacter(bare, { name: 'Brindle', rig: BRINDLE, takes: run.takes, metresPerUnit: 1 });
    const placed = standCharacter(dog.project, 1, { at: [0.4, 0.1, -0.7], heading: 130, scale: 1.3 });
    const rope = await readCharacter(
      'Rope.glb',
      ropeFile({ kind: 'chain', length: 1.6, thickness: 0.03, links: 12, across: 0.8, up: 0 }),
    );
    const third = addCharacter(placed, { ...rope, metresPerUnit: 1 });
    const scene = hangAsRope(third.project, third.character, {
      from: 'LeftHand',
      to: 'Brindle/Head',
    }).project;
    const { bytes, warnings } = bakedScene(scene, ['Wick', 'Brindle', 'Rope'], bakedAll(scene));
    expect(warnings).toEqual([]);
    expect((await validateBytes(bytes)).issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const { scene: shown, animations } = await new GLTFLoader().parseAsync(bytes.slice().buffer, '');
    expect(animations.map(({ name }) => name)).toEqual([scene.name]);
    const mixer = new AnimationMixer(shown);
    mixer.clipAction(animations[0]).play();
    const wicks = named(shown, WICK.joints[0].name);
    for (const frame of [0, 31, 88]) {
      mixer.setTime(frame / scene.fps);
      shown.updateMatrixWorld(true);
      const pose = restPose(scene.rig);
      evaluateStack(compileStack(scene), frame, pose);
      const { matrices } = placePose(scene.rig, pose);
      for (const [character, top] of [wicks, named(shown, 'Brindle'), named(shown, 'Rope')].entries()) {
        const before = character === 0 ? '' : `${scene.scene.characters[character].name}/`;
        for (const { name } of characterOf(scene.rig, character).joints) {
          const at = named(top, name).getWorldPosition(new Vector3());
          const o = 16 * jointIndex(scene.rig, before + name) + 12;
          const off = Math.hypot(at.x - matrices[o], at.y - matrices[o + 1], at.z - matrices[o + 2]);
          expect(off, `${before}${name} at ${frame}`).toBeLessThan(1e-5 * rigHeight(WICK));
        }
      }
    }
  });

  it('keeps meshes, pictures, materials, morph targets and further animations of files that a library wrote', async () => {
    const file = async (color: number, picture: number) => {
      const made = new Document();
      const buffer = made.createBuffer();
      const data = (type: 'VEC3' | 'VEC2' | 'SCALAR', values: number[]) =>
        made.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
      const texture = made
        .createTexture()
        .setMimeType('image/png')
        .setImage(Uint8Array.of(0x89, 0x50, 0x4e, 0x47, picture));
      const clearcoat = made.createExtension(KHRMaterialsClearcoat).createClearcoat();
      const material = made
        .createMaterial(`m${picture}`)
        .setBaseColorFactor([color, 0, 0, 1])
        .setNormalTexture(texture)
        .setExtension('KHR_materials_clearcoat', clearcoat.setClearcoatTexture(texture));
      const mesh = made
        .createMesh('face')
        .setWeights([0])
        .setExtras({ targetNames: ['smile'] });
      mesh.addPrimitive(
        made
          .createPrimitive()
          .setMaterial(material)
          .setAttribute('POSITION', data('VEC3', [0, 0, 0, 1, 0, 0, 0, 1, picture]))
          .setAttribute('TEXCOORD_0', data('VEC2', [0, 0, 1, 0, 0, 1]))
          .addTarget(
            made
              .createPrimitiveTarget('smile')
              .setAttribute('POSITION', data('VEC3', [0, 0, 0, 0, 0, 0, 0, 0, 1])),
          ),
      );
      const [root, tip] = ['Root', 'Tip'].map((name) => made.createNode(name));
      root.addChild(tip.setTranslation([0, picture, 0]).setMesh(mesh));
      made.createScene().addChild(root);
      const clip = made.createAnimation('wave');
      const sampler = made
        .createAnimationSampler()
        .setInput(data('SCALAR', [0, 1]))
        .setOutput(data('VEC3', [0, picture, 0, 0, 2, 0]));
      clip
        .addSampler(sampler)
        .addChannel(
          made.createAnimationChannel().setSampler(sampler).setTargetNode(tip).setTargetPath('translation'),
        );
      const bytes = await new NodeIO().registerExtensions(ALL_EXTENSIONS).writeBinary(made);
      return readCharacter(`C${picture}.glb`, bytes);
    };
    const [one, two] = [await file(0.2, 1), await file(0.8, 2)];
    const { takes: _, ...figure } = two;
    const project: Project = {
      ...(await lampLighting(new Uint8Array())),
      name: 'Both',
      rig: one.rig,
      parts: one.rig.joints.map(() => 'other'),
      limbs: {},
      takes: [],
      scene: { characters: [{ name: 'One', rig: one.rig, figure: one.figure }], props: [] },
      layers: [{ ...(await lampLighting(new Uint8Array())).layers[0], content: { kind: 'nothing' } }],
    };
    const both = addCharacter(project, { ...figure, name: 'Two', takes: [], metresPerUnit: 1 }).project;
    // What an extension says that is not known would name nodes and textures of another file.
    const baked = bakedAll(both).map((file, k) => (k === 0 ? file : withStranger(file)));
    const { bytes, warnings } = bakedScene(both, ['One', 'Two'], baked);
    expect(warnings).toEqual([expect.stringMatching(/^Two: what VND_stranger says is left out/)]);
    expect(splitGlb(bytes).json).not.toContain('VND_stranger');
    const needy = withStranger(baked[0], true);
    expect(() => bakedScene(both, ['One', 'Two'], [needy, baked[1]])).toThrow(
      /One: its file needs "VND_stranger"/,
    );
    const issues = (await validateBytes(bytes)).issues.messages.filter(({ severity }) => severity === 0);
    // The pictures are no pictures; all else is in order.
    expect(issues.filter(({ code }) => !/IMAGE/.test(code))).toEqual([]);
    const back = (await new NodeIO().registerExtensions(ALL_EXTENSIONS).readBinary(bytes)).getRoot();
    expect(back.listAnimations().map((clip) => clip.getName())).toEqual(['One wave', 'Two wave', 'Both']);
    const meshes = back.listMeshes();
    expect(meshes.map((mesh) => mesh.getExtras().targetNames)).toEqual([['smile'], ['smile']]);
    for (const [k, mesh] of meshes.entries()) {
      const [primitive] = mesh.listPrimitives();
      const material = primitive.getMaterial()!;
      expect(material.getBaseColorFactor()[0]).toBeCloseTo(k === 0 ? 0.2 : 0.8, 6);
      expect(material.getNormalTexture()!.getImage()![4]).toBe(k + 1);
      const coat =
        material.getExtension<ReturnType<KHRMaterialsClearcoat['createClearcoat']>>(
          'KHR_materials_clearcoat',
        )!;
      expect(coat.getClearcoatTexture()!.getImage()![4]).toBe(k + 1);
      expect([...primitive.getAttribute('POSITION')!.getArray()!].at(-1)).toBe(k + 1);
    }
    expect(readSkeleton(bytes).gltf.nodes!.map(({ name }) => name)).toEqual([
      'Root',
      'Tip',
      'Root',
      'Tip',
      'Two',
    ]);
  });
});
