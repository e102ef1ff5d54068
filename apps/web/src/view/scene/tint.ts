import { actsAsChange } from '@evlay/core/evaluate';
import { memberCount } from '@evlay/core/rig';
import * as THREE from 'three';
import type { Shown } from '../../editor/stage.js';

/** Degrees of change at which a layer that adds or holds contacts colours a joint in full. */
const FULL_TURN = (14 * Math.PI) / 180;
/** The same for a move, as a part of the character's height. */
const FULL_MOVE = 0.04;
const STRONGEST = 0.85;

const color = new THREE.Color();

/** Linear-light colours of the layers, three numbers each; the base and layers without colour are left dark. */
export function layerColors(colors: readonly (string | undefined)[]): Float32Array {
  const out = new Float32Array(3 * colors.length);
  for (const [i, name] of colors.entries()) if (name) color.set(name).toArray(out, 3 * i);
  return out;
}

/**
 * Writes for each joint the colour of who drives it: red, green and blue in linear light, multiplied by how
 * much of the character's own colour they cover, and that cover. The base and the rest pose cover nothing.
 */
export function jointTints(shown: Shown, colors: Float32Array, height: number, out: Float32Array): void {
  const { project, attribution, stack } = shown;
  const n = project.rig.joints.length;
  const members = memberCount(project.rig);
  out.fill(0);
  for (let i = 1; i < project.layers.length; i++) {
    // What has no colour of its own shows as the character's own material.
    if (project.layers[i].color === undefined) continue;
    const asChange = actsAsChange(stack.layers[i]);
    for (let j = 0; j < n; j++) {
      const cover = asChange
        ? Math.min(
            1,
            attribution.turns[i * members + j] / FULL_TURN +
              attribution.moves[i * members + j] / (FULL_MOVE * height),
          ) * 0.62
        : attribution.shares[(i + 1) * members + j];
      if (cover === 0) continue;
      const keep = asChange ? 1 - cover : 1;
      for (let c = 0; c < 3; c++) out[4 * j + c] = out[4 * j + c] * keep + colors[3 * i + c] * cover;
      out[4 * j + 3] = out[4 * j + 3] * keep + cover;
    }
  }
}

/**
 * Two rows of one texel a bone: the tint, and whether the bone is picked (red), hidden (green), out of the reach of the
 * lit layer's keys (blue), and tinted at its edges alone (alpha).
 */
export interface TintTexture {
  readonly texture: THREE.DataTexture;
  readonly data: Float32Array;
}

export function newTintTexture(bones: number): TintTexture {
  const data = new Float32Array(8 * bones);
  const texture = new THREE.DataTexture(data, bones, 2, THREE.RGBAFormat, THREE.FloatType);
  texture.needsUpdate = true;
  return { texture, data };
}

/** How joints are shown beside their tint. */
export interface JointMarks {
  readonly picked: readonly number[];
  /** For each joint whether it is hidden, and whether the lit layer may not key it. */
  readonly hidden: readonly boolean[];
  readonly outside: readonly boolean[];
  /** Whether tints are seen at the edges of the figure alone. */
  readonly edges: boolean;
}

/** A change of a tint that is smaller is not seen: a fraction of a step of a screen's colours. */
const UNSEEN = 1 / 1024;

/** Writes tints and marks of joints to a texture whose bone `b` is joint `jointOf[b]`; it is sent to the graphics card where they have changed. */
export function writeTints(
  { data, texture }: TintTexture,
  jointOf: readonly number[],
  tints: Float32Array | undefined,
  { picked, hidden, outside, edges }: JointMarks,
): void {
  const bones = jointOf.length;
  let changed = false;
  const put = (i: number, value: number) => {
    if (Math.abs(data[i] - value) < UNSEEN) return;
    data[i] = value;
    changed = true;
  };
  for (let b = 0; b < bones; b++) {
    const j = jointOf[b];
    for (let c = 0; c < 4; c++) put(4 * b + c, tints && j >= 0 ? tints[4 * j + c] * STRONGEST : 0);
    const o = 4 * (bones + b);
    put(o, picked.includes(j) ? 1 : 0);
    put(o + 1, hidden[j] ? 1 : 0);
    put(o + 2, outside[j] ? 1 : 0);
    put(o + 3, edges ? 1 : 0);
  }
  if (changed) texture.needsUpdate = true;
}

/** Makes a standard material show the tint of the bones that move each vertex, weighed as they move it. */
export function withTint(
  material: THREE.MeshStandardMaterial,
  tint: TintTexture,
): THREE.MeshStandardMaterial {
  const own = material.clone();
  own.onBeforeCompile = (shader) => {
    shader.uniforms.jointTint = { value: tint.texture };
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        `#include <common>
        uniform sampler2D jointTint;
        varying vec4 vTint;
        varying vec4 vMarks;`,
      )
      .replace(
        '#include <skinbase_vertex>',
        `#include <skinbase_vertex>
        vTint = vec4(0.0);
        vMarks = vec4(0.0);
        for (int k = 0; k < 4; k++) {
          int bone = int(skinIndex[k]);
          vTint += skinWeight[k] * texelFetch(jointTint, ivec2(bone, 0), 0);
          vMarks += skinWeight[k] * texelFetch(jointTint, ivec2(bone, 1), 0);
        }`,
      );
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>
        varying vec4 vTint;
        varying vec4 vMarks;`,
      )
      .replace(
        '#include <color_fragment>',
        `#include <color_fragment>
        if (vMarks.g > 0.5) discard;`,
      )
      .replace(
        '#include <emissivemap_fragment>',
        `#include <emissivemap_fragment>
        float edge = 1.0 - abs(dot(normalize(normal), normalize(vViewPosition)));
        vec4 tint = vTint * mix(1.0, smoothstep(0.45, 0.75, edge), vMarks.a);
        diffuseColor.rgb = diffuseColor.rgb * (1.0 - tint.a) + tint.rgb;
        // What takes no keys steps back.
        float grey = dot(diffuseColor.rgb, vec3(0.21, 0.72, 0.07));
        diffuseColor.rgb = mix(diffuseColor.rgb, vec3(grey) * 0.42, 0.8 * vMarks.b);
        // What is picked is paler and has a pale edge: no colour, since colours say who drives.
        totalEmissiveRadiance += vec3(0.92, 1.0, 0.96) * vMarks.r * (0.06 + 0.75 * smoothstep(0.35, 0.95, edge));`,
      );
  };
  return own;
}
