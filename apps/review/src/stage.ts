import type { Prop } from '@evlay/core';
import { characterOf, jointIndex, propsFrom, rigHeight } from '@evlay/core/rig';
import { loadStack, type Moment, type Player, playerOf } from '@evlay/player';
import { type Driver, drive, figureOf } from '@evlay/player/three';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { clone } from 'three/addons/utils/SkeletonUtils.js';

/** Every character is seen this tall, so that light and camera fit any unit. */
const SEEN_HEIGHT = 1.6;

/** One player with what it drives. */
export interface Cast {
  readonly player: Player;
  readonly top: THREE.Object3D;
  readonly show: (moment: Moment) => void;
}

/** The scene of a review: light, floor, and casts that each show a variant. */
export interface Stage {
  readonly scene: THREE.Scene;
  /** View units for a unit of the rig. */
  readonly scale: number;
  readonly main: Cast;
  /** A second cast, for another variant beside the first. */
  readonly second: Cast;
  /** Casts that are seen through, for frames around. */
  readonly ghosts: readonly Cast[];
}

/** Opens the project of a review. Throws `FileError`. */
export async function openStage(project: Uint8Array): Promise<Stage> {
  const player = await loadStack(project);
  const figures = await Promise.all(
    player.project.scene.characters.map(async ({ figure }) => {
      if (!figure) return undefined;
      try {
        return figureOf(await loaded(figure.bytes));
      } catch {
        // What cannot be shown, such as a packed mesh, is seen as bones.
        return undefined;
      }
    }),
  );
  const models = await Promise.all(
    player.project.scene.props.map(({ model }) =>
      model
        ? loaded(model.bytes).then(
            ({ scene }) => shaded(scene),
            () => undefined,
          )
        : undefined,
    ),
  );
  const scale = SEEN_HEIGHT / (rigHeight(characterOf(player.project.rig)) || SEEN_HEIGHT);
  const scene = new THREE.Scene();
  scene.background = new THREE.Color('#16303A');
  scene.fog = new THREE.Fog('#16303A', 8, 26);
  scene.add(new THREE.HemisphereLight('#BFD8DC', '#26383A', 1.3));
  const sun = new THREE.DirectionalLight('#FFE3B0', 2.4);
  sun.position.set(2.5, 4, 2);
  sun.castShadow = true;
  sun.shadow.mapSize.set(1024, 1024);
  sun.shadow.bias = -0.0006;
  sun.shadow.camera = new THREE.OrthographicCamera(-4, 4, 4, -4, 0.5, 14);
  scene.add(sun, sun.target);
  const floor = new THREE.Mesh(
    new THREE.CircleGeometry(24, 48),
    new THREE.MeshStandardMaterial({ color: '#35535A', roughness: 0.95 }),
  );
  floor.rotation.x = -Math.PI / 2;
  floor.receiveShadow = true;
  const grid = new THREE.GridHelper(24, 24, '#4A6A72', '#3D5C64');
  grid.position.y = 0.002;
  const ground = new THREE.Group();
  ground.add(floor, grid);
  ground.position.set(
    ...((player.project.ground ?? [0, 0, 0]).map((at) => at * scale) as [number, number, number]),
  );
  scene.add(ground);
  const cast = (own: Player, through?: string) => castOf(own, figures, models, scale, through);
  const main = cast(player);
  const second = cast(playerOf(player.project));
  const ghosts = ['#56B4E9', '#E69F00'].map((color) => cast(playerOf(player.project), color));
  for (const one of [main, second, ...ghosts]) scene.add(one.top);
  for (const one of [second, ...ghosts]) one.top.visible = false;
  return { scene, scale, main, second, ghosts };
}

const loaded = (bytes: Uint8Array) => new GLTFLoader().parseAsync(bytes.slice().buffer as ArrayBuffer, '');

/** An object whose meshes throw shadows. */
function shaded(object: THREE.Object3D): THREE.Object3D {
  object.traverse((node) => {
    node.castShadow = (node as THREE.Mesh).isMesh;
  });
  return object;
}

/** A prop without a file. */
function shapeOf({ shape, size }: Prop): THREE.Object3D {
  const geometry =
    shape === 'ball'
      ? new THREE.SphereGeometry(0.5, 20, 14)
      : shape === 'cylinder'
        ? new THREE.CylinderGeometry(0.5, 0.5, 1, 24)
        : new THREE.BoxGeometry(1, 1, 1);
  geometry.scale(...size);
  return shaded(
    new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ color: '#7A6548', roughness: 0.8 })),
  );
}

function castOf(
  player: Player,
  figures: readonly (THREE.Object3D | undefined)[],
  models: readonly (THREE.Object3D | undefined)[],
  scale: number,
  through?: string,
): Cast {
  const { rig, scene } = player.project;
  const top = new THREE.Group();
  top.scale.setScalar(scale);
  const drivers: Driver[] = [];
  for (const [k, figure] of figures.entries()) {
    if (!figure) {
      const bones = bonesOf(player, k, through);
      top.add(bones.lines);
      drivers.push(bones.show);
      continue;
    }
    const own = clone(figure);
    own.traverse((node) => {
      const mesh = node as THREE.Mesh;
      if (!mesh.isMesh) return;
      mesh.castShadow = through === undefined;
      mesh.frustumCulled = false;
      if (through !== undefined)
        mesh.material = new THREE.MeshBasicMaterial({
          color: through,
          transparent: true,
          opacity: 0.25,
          depthWrite: false,
        });
    });
    top.add(own);
    drivers.push(drive(player, own, k));
  }
  if (through === undefined) {
    const first = propsFrom(rig);
    for (const [k, prop] of scene.props.entries()) {
      if (prop.camera || prop.hidden) continue;
      const own = models[k]?.clone() ?? shapeOf(prop);
      const place = new THREE.Group();
      place.matrixAutoUpdate = false;
      place.add(own);
      top.add(place);
      drivers.push(({ matrices }) => {
        place.matrix.fromArray(matrices, 16 * (first + k));
        place.matrixWorldNeedsUpdate = true;
      });
    }
  }
  return { player, top, show: (moment) => drivers.forEach((driver) => void driver(moment)) };
}

/** A character without a surface, as lines from joint to joint. */
function bonesOf(player: Player, character: number, through?: string) {
  const { rig, scene } = player.project;
  const prefix = character === 0 ? '' : `${scene.characters[character].name}/`;
  const bones = characterOf(rig, character).joints.flatMap(({ parent }, j, joints) =>
    parent < 0
      ? []
      : [[jointIndex(rig, prefix + joints[parent].name), jointIndex(rig, prefix + joints[j].name)]],
  );
  const geometry = new THREE.BufferGeometry();
  const places = new THREE.BufferAttribute(new Float32Array(6 * bones.length), 3);
  geometry.setAttribute('position', places);
  const material = new THREE.LineBasicMaterial({
    color: through ?? '#EAF1EC',
    transparent: true,
    opacity: through ? 0.4 : 1,
  });
  const lines = new THREE.LineSegments(geometry, material);
  lines.frustumCulled = false;
  const show: Driver = ({ matrices }) => {
    for (const [k, ends] of bones.entries())
      for (const [e, j] of ends.entries())
        places.setXYZ(2 * k + e, matrices[16 * j + 12], matrices[16 * j + 13], matrices[16 * j + 14]);
    places.needsUpdate = true;
  };
  return { lines, show };
}
