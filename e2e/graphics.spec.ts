import { readFileSync } from 'node:fs';
import { imageSize, splitGlb } from '@evlay/core/format';
import { Document, type Extension, NodeIO, WebIO } from '@gltf-transform/core';
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRTextureBasisu } from '@gltf-transform/extensions';
import { expect, type Page, test } from '@playwright/test';
import draco from 'draco3dgltf';
import { unzipSync } from 'fflate';
import { createDefaultContainer, write } from 'ktx-parse';
import { MeshoptEncoder } from 'meshoptimizer/encoder';
import { downloadBy, drawLightly, dropFile, expectDrawn, expectPicture, exported } from './app.js';

/** A picture as the browser itself writes it. */
async function pictureOf(page: Page, type: string, width: number, height: number, quality: number) {
  const base64 = await page.evaluate(
    async ([type, width, height, quality]) => {
      const canvas = document.createElement('canvas');
      [canvas.width, canvas.height] = [width, height];
      const context = canvas.getContext('2d')!;
      context.fillStyle = '#b0562f';
      context.fillRect(0, 0, width, height);
      const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, type, quality));
      const bytes = new Uint8Array(await blob!.arrayBuffer());
      return btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(''));
    },
    [type, width, height, quality] as const,
  );
  return new Uint8Array(Buffer.from(base64, 'base64'));
}

/**
 * A texture of 8 by 8 pixels of one colour in UASTC, the larger of the two formats of Basis Universal: blocks of 16 bytes whose
 * mode 8 is a single colour (`KHR_texture_basisu`; the five bits of the mode found by trying three's transcoder).
 */
function basisTexture(colour: readonly number[]): Uint8Array<ArrayBuffer> {
  const block = new Uint8Array(16);
  let at = 0;
  const put = (value: number, bits: number) => {
    for (let k = 0; k < bits; k++, at++) block[at >> 3] |= ((value >> k) & 1) << (at & 7);
  };
  put(23, 5);
  for (const value of [...colour, 255]) put(value, 8);
  const levelData = Uint8Array.from([0, 1, 2, 3].flatMap(() => [...block]));
  const texture = createDefaultContainer();
  const [format] = texture.dataFormatDescriptor;
  Object.assign(format, { colorModel: 166, transferFunction: 2, texelBlockDimension: [3, 3, 0, 0] });
  Object.assign(format, { bytesPlane: [16, 0, 0, 0, 0, 0, 0, 0] });
  const sample = { channelType: 3, bitOffset: 0, bitLength: 127, samplePosition: [0, 0, 0, 0] };
  format.samples = [{ ...sample, sampleLower: 0, sampleUpper: 0xffffffff }];
  const levels = [{ levelData, uncompressedByteLength: levelData.length }];
  return new Uint8Array(write({ ...texture, pixelWidth: 8, pixelHeight: 8, levelCount: 1, levels }));
}

/** How many pixels of the view are much greener than they are red or blue. */
async function greenPixels(page: Page): Promise<number> {
  const view = page.getByRole('img', { name: 'The character at the playhead' });
  const png = (await view.screenshot()).toString('base64');
  return page.evaluate(async (data) => {
    const bytes = Uint8Array.from(atob(data), (char) => char.charCodeAt(0));
    const image = await createImageBitmap(new Blob([bytes], { type: 'image/png' }));
    const context = new OffscreenCanvas(image.width, image.height).getContext('2d')!;
    context.drawImage(image, 0, 0);
    const { data: pixels } = context.getImageData(0, 0, image.width, image.height);
    let count = 0;
    for (let o = 0; o < pixels.length; o += 4)
      if (pixels[o + 1] > 60 && pixels[o + 1] > 2 * Math.max(pixels[o], pixels[o + 2])) count++;
    return count;
  }, png);
}

/** A post of two joints with a textured surface, of which the root is the mesh too. */
async function postWith(
  texture: Uint8Array<ArrayBuffer>,
  at: [number, number, number] = [0, 0, 0],
  mimeType = 'image/jpeg',
): Promise<Uint8Array> {
  const made = new Document();
  if (mimeType === 'image/ktx2') made.createExtension(KHRTextureBasisu).setRequired(true);
  const buffer = made.createBuffer();
  const accessor = (
    type: 'VEC2' | 'VEC3' | 'VEC4' | 'MAT4' | 'SCALAR',
    array: Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>,
  ) => made.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const joints = Uint8Array.from([0, 0, 1, 1].flatMap((j) => [j, 0, 0, 0]));
  const weights = Float32Array.from([0, 1, 2, 3].flatMap(() => [1, 0, 0, 0]));
  const primitive = made
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0, 0, 0, 0.3, 0, 0, 0, 1, 0, 0.3, 1, 0)))
    .setAttribute('TEXCOORD_0', accessor('VEC2', Float32Array.of(0, 1, 1, 1, 0, 0, 1, 0)))
    .setAttribute('JOINTS_0', accessor('VEC4', joints))
    .setAttribute('WEIGHTS_0', accessor('VEC4', weights))
    .setIndices(accessor('SCALAR', Uint8Array.of(0, 1, 2, 2, 1, 3)))
    .setMaterial(
      made.createMaterial().setBaseColorTexture(made.createTexture().setImage(texture).setMimeType(mimeType)),
    );
  const tip = made.createNode('tip').setTranslation([0, 1, 0]);
  const root = made.createNode('root').addChild(tip).setMesh(made.createMesh().addPrimitive(primitive));
  const inverses = Float32Array.from(
    [0, 1].flatMap((up) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -up, 0, 1]),
  );
  const skin = made.createSkin().addJoint(root).addJoint(tip);
  root.setSkin(skin.setInverseBindMatrices(accessor('MAT4', inverses))).setTranslation(at);
  made.createScene().addChild(root);
  return new WebIO().registerExtensions([KHRTextureBasisu]).writeBinary(made);
}

test('a huge texture is shown smaller and said, and the picture comes back after its context was lost', async ({
  page,
}) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  // What Chromium writes is what its size is told of.
  for (const [type, width, height, quality] of [
    ['image/png', 301, 77, 1],
    ['image/jpeg', 640, 33, 0.8],
    ['image/webp', 129, 400, 0.6],
    ['image/webp', 50, 21, 1],
  ] as const)
    expect(imageSize(await pictureOf(page, type, width, height, quality))).toEqual({ width, height });
  const large = await pictureOf(page, 'image/jpeg', 12_000, 24, 0.5);
  expect(imageSize(large.subarray(0, 10))).toBeUndefined();
  await dropFile(page, 'post.glb', await postWith(large));
  const canvas = page.getByRole('img', { name: 'The character at the playhead' }).locator('canvas');
  await expect(canvas).toBeVisible();
  await expect(page.getByText('It has 12000 × 24 pixels; 4096 along a side are shown.')).toBeVisible();

  const lost = () =>
    canvas.evaluate((one) => (one as HTMLCanvasElement).getContext('webgl2')?.isContextLost() ?? true);
  await canvas.evaluate((one) => {
    const context = (one as HTMLCanvasElement).getContext('webgl2')!;
    context.getExtension('WEBGL_lose_context')!.loseContext();
  });
  await expect(page.getByText('it is drawn anew')).toBeVisible();
  await expect(page.getByText('it is drawn anew')).toBeHidden();
  expect(await lost()).toBe(false);
});

test('a character under the floor and far away says so, and is put right without a change to its motion', async ({
  page,
}) => {
  await drawLightly(page);
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(
    page,
    'post.glb',
    await postWith(await pictureOf(page, 'image/jpeg', 4, 4, 1), [40, -0.6, 30]),
  );
  await expect(page.getByText('The character is 60 cm under the floor')).toBeVisible();
  await page.getByRole('button', { name: 'Stand it on the floor' }).click();
  const stood = await exported(page);
  expect(stood.ground?.map((value) => Number(value.toFixed(5)))).toEqual([0, -0.6, 0]);
  await page.getByRole('button', { name: 'Bring it here' }).click();
  const brought = await exported(page);
  expect(brought.ground?.map((value) => Number(value.toFixed(5)))).toEqual([40, -0.6, 30]);
  expect(brought.rig.joints).toEqual(stood.rig.joints);
  expect(brought.layers[0].content).toEqual(stood.layers[0].content);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  expect((await exported(page)).ground).toBeUndefined();
});

test('characters with Draco meshes and with meshopt buffers are seen, and baked onto as they are', async ({
  page,
}) => {
  await MeshoptEncoder.ready;
  const io = new NodeIO()
    .registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression])
    .registerDependencies({
      'meshopt.encoder': MeshoptEncoder,
      'draco3d.encoder': await draco.createEncoderModule(),
    });
  const demo = unzipSync(readFileSync('apps/web/dist/demo/lamp-lighting.evlay'));
  for (const [name, packing] of [
    ['draco.glb', KHRDracoMeshCompression],
    ['meshopt.glb', EXTMeshoptCompression],
  ] as const) {
    const made = await io.readBinary(demo['rig.glb']);
    made.createExtension<Extension>(packing).setRequired(true);
    const packed = await io.writeBinary(made);
    expect(packed.length).toBeLessThan(0.7 * demo['rig.glb'].length);
    await page.goto('/');
    await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
    await dropFile(page, name, packed);
    await expectDrawn(page);
    await expectPicture(page);
    await expect(page.getByText(/not shown|could not be read/)).toHaveCount(0);
    await page.getByRole('link', { name: 'Bake', exact: true }).click();
    const { bytes } = await downloadBy(page, () =>
      page.getByRole('button', { name: 'Bake to GLB', exact: true }).click(),
    );
    const [before, after] = [splitGlb(packed), splitGlb(bytes)];
    expect(Buffer.compare(after.bin.subarray(0, before.bin.length), before.bin)).toBe(0);
    expect(JSON.parse(after.json).animations).toHaveLength(1);
  }
});

test('a Basis texture is shown in its colour, and stays in the file that is baked', async ({ page }) => {
  const texture = basisTexture([10, 200, 30]);
  const packed = await postWith(texture, [0, 0, 0], 'image/ktx2');
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'post.glb', packed);
  await expectDrawn(page);
  await expect.poll(() => greenPixels(page)).toBeGreaterThan(500);
  await expect(page.getByText(/not read|could not be read/)).toHaveCount(0);
  await page.getByRole('link', { name: 'Bake', exact: true }).click();
  const { bytes } = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Bake to GLB', exact: true }).click(),
  );
  const [before, after] = [splitGlb(packed), splitGlb(bytes)];
  expect(Buffer.compare(after.bin.subarray(0, before.bin.length), before.bin)).toBe(0);
  expect(JSON.parse(after.json).images).toEqual(JSON.parse(before.json).images);
});
