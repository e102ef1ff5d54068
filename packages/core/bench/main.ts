import { existsSync, readFileSync } from 'node:fs';
import * as THREE from 'three';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import { compileStack, evaluateStack, type Project, readBvh, restPose, type Take } from '../src/index.js';
import { type Line, measure, printTable } from './measure.js';
import { keyedStack, rigOfSize, takeOfSize, takeStack } from './subject.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';
const FRAMES = 40;

/** Evaluates a stack at frames that fall between samples. */
function evaluator(project: Project): () => void {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  return () => {
    for (let k = 0; k < FRAMES; k++) evaluateStack(stack, 2.37 * k + 0.41, pose);
  };
}

/** three's mixer with one action a take, the first as the base, the others made additive. */
function mixer(base: Take, takes: readonly Take[], weight: number): () => void {
  const objects = base.rig.joints.map((joint) => {
    const object = new THREE.Object3D();
    object.name = joint.name;
    return object;
  });
  for (const [j, joint] of base.rig.joints.entries())
    if (joint.parent >= 0) objects[joint.parent].add(objects[j]);
  const clipOf = (take: Take) => {
    const times = Array.from({ length: take.count }, (_, k) => k * take.interval);
    const n = take.rig.joints.length;
    const tracks = take.rig.joints.map((joint, j) => {
      const values = times.flatMap((_, s) => [
        ...take.rotations.values.subarray(4 * (s * n + j), 4 * (s * n + j) + 4),
      ]);
      return new THREE.QuaternionKeyframeTrack(`${joint.name}.quaternion`, times, values);
    });
    tracks.push(
      new THREE.VectorKeyframeTrack('joint0.position', times, [...take.translations.values]) as never,
    );
    return new THREE.AnimationClip(take.id, -1, tracks);
  };
  const player = new THREE.AnimationMixer(objects[0]);
  player.clipAction(clipOf(base)).play();
  for (const take of takes) {
    player
      .clipAction(THREE.AnimationUtils.makeClipAdditive(clipOf(take)))
      .setEffectiveWeight(weight)
      .play();
  }
  return () => {
    for (let k = 0; k < FRAMES; k++) player.setTime((2.37 * k + 0.41) / 30);
  };
}

function lines(): Line[] {
  const rig = rigOfSize(65);
  const base = takeOfSize(rig, 100, 1);
  const takes = Array.from({ length: 32 }, (_, i) => takeOfSize(rig, 100, i + 2));
  const found = [
    measure(
      'evaluate: 65 joints, 8 keyed layers',
      'ms a frame',
      1e3,
      FRAMES,
      evaluator(keyedStack(rig, base, 8)),
    ),
    measure(
      'evaluate: 65 joints, 32 additive take layers',
      'ms a frame',
      1e3,
      FRAMES,
      evaluator(takeStack(base, takes, 'additive', 0.5)),
      mixer(base, takes, 0.5),
    ),
  ];
  if (existsSync(CAPTURE)) {
    const bytes = readFileSync(CAPTURE);
    const text = bytes.toString('utf8');
    found.push(
      measure(
        'read BVH: 31 joints, 2752 frames',
        'ms',
        1e3,
        1,
        () => readBvh(bytes),
        () => new BVHLoader().parse(text),
      ),
    );
  }
  return found;
}

const found = lines();
if (process.argv.includes('--json')) console.log(JSON.stringify(found));
else printTable(found);
