import * as THREE from 'three';

/** A light without a place: its way, from where it shines to what it is aimed at, in view units. */
interface Sunlight {
  readonly from: THREE.Vector3;
  readonly at: THREE.Vector3;
  readonly color: string;
  readonly intensity: number;
}

/** The light of the scene in a theme: that of the sky and the ground, the key light, and the one from behind. */
export interface Lights {
  readonly sky: string;
  readonly ground: string;
  readonly around: number;
  readonly key: Sunlight;
  readonly rim: Sunlight;
}

/** How dark the shadow of the key light is, 1 where none of it comes. */
export const SHADOW = 0.8;

const lightsOf = (dark: boolean): Lights => ({
  sky: dark ? '#C4DDE0' : '#FFFFFF',
  ground: dark ? '#5A4A38' : '#C9BCA0',
  around: 1.7,
  key: {
    from: new THREE.Vector3(2.6, 4.6, 3.2),
    at: new THREE.Vector3(0, 0.8, 0),
    color: '#FFE3B3',
    intensity: dark ? 2.9 : 2.2,
  },
  rim: {
    from: new THREE.Vector3(-4, 2.5, -3),
    at: new THREE.Vector3(),
    color: '#7FB8D6',
    intensity: dark ? 1.1 : 0.6,
  },
});

export const LIGHTS = { dark: lightsOf(true), light: lightsOf(false) };

/** What comes of the key light alone, and of all lights, on a surface with a normal: linear colours. */
export function irradiance(
  { sky, ground, around, key, rim }: Lights,
  normal: THREE.Vector3,
): { readonly key: THREE.Color; readonly all: THREE.Color } {
  const all = new THREE.Color(ground).lerp(new THREE.Color(sky), 0.5 + 0.5 * normal.y).multiplyScalar(around);
  const of = ({ from, at, color, intensity }: Sunlight) =>
    new THREE.Color(color).multiplyScalar(
      intensity * Math.max(0, from.clone().sub(at).normalize().dot(normal)),
    );
  const own = of(key);
  return { key: own, all: all.add(of(rim)).add(own) };
}
